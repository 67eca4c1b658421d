// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/builds/bridge_view.h"
#include "app/builds/difference_model.h"
#include "app/builds/typical_plot.h"
#include "app/desk/desk.h"
#include "app/engine/views_fwd.h"
#include "app/style/widgets.h"

#include <QComboBox>
#include <QStackedWidget>

namespace kuvio::app {

/// The Builds desk: the sentence, the bridge, the typical visit and the difference ledger of a
/// candidate against the reference.
class BuildsDesk : public Desk {
  Q_OBJECT
public:
  explicit BuildsDesk(const Context& context, QWidget* parent = nullptr);
  void enter() override;
  void applyTheme() override;
  void setUnit(ChargeUnit unit) override;
  std::vector<FootPart> foot() const override;
  QString sentence() const { return first_->text(); }

private:
  void makeHead();
  QWidget* makeBanner();
  QLayout* makePlots(QWidget* page);
  QWidget* makeTable(QWidget* page);
  void connectParts();
  void takeBook();
  void take(const BuildsViewPtr& view);
  void sayTrouble();
  void showMismatch();
  void ask();
  void pick(const QString& state);
  void acceptUnlike();

  Context context_;
  QWidget* head_;
  QStackedWidget* stack_;
  EmptyState* empty_;
  QComboBox *reference_, *candidate_;
  QLabel *first_, *second_, *typical_caption_, *unlike_;
  QWidget* banner_;
  QLineEdit* reason_;
  QPushButton* accept_;
  BridgeView* bridge_;
  TypicalPlot* typical_;
  DifferenceModel* model_;
  NotebookTable* table_;
  BuildsViewPtr view_;
  QString picked_, compared_;  // the state; the candidate last compared
  bool shown_ = false, taking_ = false;
};

}  // namespace kuvio::app
