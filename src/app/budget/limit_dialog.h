// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/style/widgets.h"
#include "core/budget.h"

#include <QComboBox>
#include <QDialog>

#include <vector>

class QFormLayout;

namespace kuvio::app {

/// One limit as a form: of what, which quantity, what is expected and what must hold.
class LimitDialog : public QDialog {
  Q_OBJECT
public:
  /// `states`: those the budget's recipe knows. `field`: there is a duty plan and a battery.
  LimitDialog(const QStringList& states, bool field, QWidget* parent);
  /// Fills the form in. What a limit is of cannot be changed in one that is there already.
  void setLimit(const Limit& limit, bool existing);

signals:
  void limitAccepted(const kuvio::Limit& limit);

private:
  void makeBounds(QFormLayout* form);
  QLayout* makeButtons();
  void offerQuantities();
  /// A limit's figures are typed in the units of one dimension.
  struct Fields {
    Dimension dimension;
    QuantityEdit *expect, *bound;
  };
  void take();
  void quantityChanged();
  const LimitQuantityInfo& quantity() const;
  Fields& fields();
  Limit limit_;
  QComboBox *scope_, *quantity_, *statistic_;
  std::vector<Fields> fields_;
  QLabel *bound_label_, *trouble_;
};

}  // namespace kuvio::app
