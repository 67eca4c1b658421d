// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QLayout>
#include <QLineEdit>

#include <vector>

namespace kuvio::app {

/// Lays widgets one after the other like words of a sentence, in as many rows as it takes.
class SentenceLayout : public QLayout {
  Q_OBJECT
public:
  explicit SentenceLayout(QWidget* parent = nullptr);
  ~SentenceLayout() override;
  void addItem(QLayoutItem* item) override { items_.push_back(item); }
  void insertWidget(int at, QWidget* widget);
  int count() const override { return static_cast<int>(items_.size()); }
  QLayoutItem* itemAt(int i) const override;
  QLayoutItem* takeAt(int i) override;
  /// Whether a row ends behind every blank.
  void setBlankToRow(bool one) { blank_to_row_ = one; }
  Qt::Orientations expandingDirections() const override { return {}; }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int width) const override { return flow({0, 0, width, 0}, false); }
  QSize sizeHint() const override;
  QSize minimumSize() const override;
  void setGeometry(const QRect& box) override;

private:
  int flow(const QRect& box, bool place) const;
  bool endsRow(const QLayoutItem* item) const;
  bool blank_to_row_ = false;
  std::vector<QLayoutItem*> items_;
};

/// Makes a line as wide as what stands in it, within bounds (pixels): a blank of a sentence.
void fit_to_text(QLineEdit* line, int least, int most);

/// A blank of a sentence: words with a rule under them, no frame. In pencil when what stands in it
/// is proposed and not taken: slanted, pale, dotted under.
class Blank : public QLineEdit {
  Q_OBJECT
public:
  Blank(const QString& name, const QString& accessible, const QString& example, QWidget* parent);
  void setPencil(bool pencil);
  bool isPencil() const { return pencil_; }

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  bool pencil_ = false;
};

}  // namespace kuvio::app
