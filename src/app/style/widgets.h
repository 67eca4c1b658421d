// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/quantity.h"

#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>

#include <functional>
#include <optional>
#include <utility>
#include <vector>

class QBoxLayout;
class QPainter;

namespace kuvio::app {

// Small parts that all desks are put together from.

/// The system's font of fixed pitch, so many pixels high.
QFont mono_font(int pixels);
/// A hair line in the theme's ruling.
QFrame* ruling(QWidget* parent, bool vertical = false);
/// A quiet title in capitals.
QLabel* heading(const QString& text, QWidget* parent);
/// A label in the muted colour.
QLabel* remark(const QString& text, QWidget* parent);
/// A button; the primary one of a desk is filled.
QPushButton* button(const QString& text, const QString& name, QWidget* parent,
                    bool primary = false);

/// An area without a frame in which `page` scrolls where there is too little room for it; it takes
/// the keyboard nowhere, but follows it.
QScrollArea* scroll_area(QWidget* page, QWidget* parent);

/// A layout of parts beside each other, or under each other where there is little room.
QBoxLayout* beside_or_below(QWidget* parent = nullptr);

/// What a desk shows while it has nothing to show: what to do next, and the actions that do it.
class EmptyState : public QWidget {
  Q_OBJECT
public:
  using Offer = std::pair<QString, std::function<void()>>;
  explicit EmptyState(const QString& name, QWidget* parent);
  void say(const QString& title, const QString& text, const std::vector<Offer>& offers = {});
  QString text() const { return title_->text() + QLatin1Char('\n') + text_->text(); }
  /// The keyboard that was in it goes to the window, not to whatever comes next.
  void setVisible(bool visible) override;

private:
  QLabel *title_, *text_;
  QWidget* buttons_;
  QStringList names_;
  std::vector<Offer> offers_;
};

/// What is typed but not yet true: slanted and pale, "proposed, not set" to a screen reader; and
/// back to ink. The one way that pencil is drawn in a line of text.
void draw_in_pencil(QLineEdit* line, bool pencil);
/// The dots under what is in pencil.
void underline_pencil(QPainter& painter, const QLineEdit* line);

/// A line for a quantity with its unit ("3.6 V"): what is typed is read by the rules of
/// core/quantity.h when the line is left or Enter is pressed. What cannot be read is outlined, with
/// the reason beside it, and the value stays as it was; Escape shows it again. A number without a
/// unit has the unit that stood in the line.
///
/// What is typed and not yet taken is in pencil: slanted, pale, dotted under. A line that
/// `waitsForEnter` stays in pencil when it is left: nothing is set, nothing is lost.
class QuantityEdit : public QLineEdit {
  Q_OBJECT
public:
  /// With `optional` an empty line is a value too.
  QuantityEdit(const QString& name, const QString& accessible_name, Dimension dimension,
               QWidget* parent, bool optional = false);
  void setQuantity(std::optional<double> value);
  std::optional<double> quantity() const { return value_; }
  /// Reads what is typed, as leaving the line does.
  void commit() { take(); }
  /// Writes a value in pencil: a proposal, taken by Enter alone. For a line that waits for it.
  void propose(double value);
  /// What is in pencil goes; the value that holds stands there again, as by Escape.
  void takeBack();
  /// Leaving the line takes nothing: Enter does.
  void waitForEnter();
  /// What is typed, with its unit: one that is shown where none was typed.
  QString written() const { return withUnit(text().trimmed()); }
  /// Whether something is typed that is not taken.
  bool isPencil() const { return pencil_; }
  /// Whether what is typed can be read.
  bool isReadable() const;
  bool isWrong() const { return !trouble_.isEmpty(); }
  /// Marks the line as changed against what it is compared with.
  void setChanged(bool changed);

signals:
  void quantityEdited();
  void wrong(const QString& why);

protected:
  void paintEvent(QPaintEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;

private:
  void take();
  /// What was typed, with the shown unit where it has none.
  QString withUnit(const QString& typed) const;
  QString written(double value) const;
  Dimension dimension_;
  void sketch(bool pencil);
  bool optional_, changed_ = false, waits_ = false, pencil_ = false;
  std::optional<double> value_;
  QString shown_, trouble_;
};

/// Adds "Copy picture" to a widget's own context menu, or shows one with it alone.
void copy_picture(QWidget* widget);
void offer_picture(QWidget* widget);

}  // namespace kuvio::app
