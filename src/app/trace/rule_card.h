// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/style/widgets.h"
#include "core/recipe.h"
#include "formats/project_edits.h"

#include <QLabel>
#include <QLineEdit>

namespace kuvio::app {

/// One rule of a recipe as a form.
class RuleCard : public QWidget {
  Q_OBJECT
public:
  RuleCard(int index, QWidget* parent);
  void setRule(const StateRule& rule, const QBrush& fill);
  /// Visits that the rule finds in the capture shown; below 0 while that is not known.
  void setVisits(int visits);

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
  QBrush fill_;
  QString shown_name_;
  QLineEdit* name_;
  QLabel* visits_;
  QuantityEdit *above_, *below_, *shortest_, *join_;
};

}  // namespace kuvio::app
