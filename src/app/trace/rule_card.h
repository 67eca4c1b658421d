// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/style/widgets.h"
#include "core/envelope.h"
#include "core/recipe.h"
#include "formats/project_edits.h"

#include <QLabel>
#include <QLineEdit>

namespace kuvio::app {

/// A rule's swatch, by which it is dragged to another place; Up and Down move it too.
class RuleGrip : public QWidget {
  Q_OBJECT
public:
  RuleGrip(int index, QWidget* parent);
  void setFill(const QBrush& fill);

signals:
  /// It is held at that height of the screen; `done` when it was let go.
  void dragged(int global_y, bool done);
  void stepped(int direction);

protected:
  void paintEvent(QPaintEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

private:
  QBrush fill_;
  bool held_ = false;
};

/// A visit in small, as the trace shows it.
class Specimen : public QWidget {
  Q_OBJECT
public:
  Specimen(int index, QWidget* parent);
  void setVisit(std::vector<EnvelopeColumn> columns, const QColor& ink);
  bool empty() const { return columns_.empty(); }

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  std::vector<EnvelopeColumn> columns_;
  QColor ink_;
};

/// One rule of a recipe as a form.
class RuleCard : public QWidget {
  Q_OBJECT
public:
  RuleCard(int index, QWidget* parent);
  void setRule(const StateRule& rule, const QBrush& fill);
  /// Visits that the rule finds in the capture shown; below 0 while that is not known. `remark`
  /// says what it turned away, or where its samples are when it finds none.
  void setVisits(int visits, const QString& remark = {});
  /// Its typical visit in the capture shown; empty where it has none.
  void setSpecimen(std::vector<EnvelopeColumn> columns, const QColor& ink);
  RuleGrip* grip() { return grip_; }

signals:
  void renamed(int rule, const QString& name);
  void edgeEdited(int rule, kuvio::formats::BandEdge edge, std::optional<double> level_a);
  /// "shortest" or "join_gaps".
  void lengthEdited(int rule, const char* key, std::optional<double> length_s);
  void removed(int rule);

protected:
  void paintEvent(QPaintEvent* event) override;

private:
  int index_;
  RuleGrip* grip_;
  Specimen* specimen_;
  QString shown_name_;
  QLineEdit* name_;
  QLabel *visits_, *why_none_, *asked_;
  QuantityEdit *above_, *below_, *shortest_, *join_;
};

}  // namespace kuvio::app
