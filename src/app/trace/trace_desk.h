// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/desk.h"
#include "app/style/widgets.h"
#include "app/trace/fan_view.h"
#include "app/trace/lanes.h"
#include "app/trace/ledger_model.h"
#include "app/trace/line_up_margin.h"
#include "app/trace/log_margin.h"
#include "app/trace/overview.h"
#include "app/trace/recipe_margin.h"
#include "app/trace/spread_margin.h"

#include <QSplitter>
#include <QTabBar>

namespace kuvio::app {

/// The Trace desk: overview, lanes, ribbon and fan, ledger; log and recipe in the margin.
class TraceDesk : public Desk {
  Q_OBJECT
public:
  explicit TraceDesk(const Context& context, QWidget* parent = nullptr);
  void applyTheme() override;
  void setUnit(ChargeUnit unit) override;
  std::vector<FootPart> foot() const override;
  QByteArray saveLayout() const;
  void restoreLayout(const QByteArray& layout);
  RecipeMargin* recipe() { return recipe_; }
  /// What is seen as a picture (PDF, SVG or PNG by the name's ending); reported when done.
  void savePicture(const QString& path);
  /// The first capture's samples as a text table; reported when done.
  void saveSamples(const QString& path, double from_s, double to_s);

signals:
  void framePainted();
  void limitRequested(const kuvio::SpanFigures& span, const QString& state);

protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

private:
  QWidget* makeMiddle();
  QWidget* makeMargin();
  void makeActions();
  void makeStateActions();
  void makeLaneActions();
  void makeSpanActions();
  void makeStepActions();
  void makeGoTo(QWidget* parent);
  void goToTyped();
  void followCursors();
  void takeMoments(const MomentsReadingPtr& reading);
  double placeOfKeys() const;
  QString spanTable() const;
  void exportPicture();
  void exportSamples();
  void changeLane(const std::function<void(LanePlan&, std::size_t)>& change);
  void setScale(ValueScale scale);
  void setFit(ValueFit fit, double low, double high);
  void connectViews();
  void takeCapture();
  void takeBudget(const BudgetViewPtr& view);
  /// Columns as wide as what stands in them.
  void fitLedger();
  void follow();
  void updatePill();
  void markSpanEnd(bool right);
  void spanMenu(const QPoint& at);
  void visitMenu(const QPoint& at);
  void lanesMenu(QMenu& menu);
  void nameSpan();
  void limitFromSpan();
  void editVisit();
  void moveEdge(int visit, double to_s);
  void lineToEdge(double t);
  void cutHere();
  void joinWith(int direction);
  void pinVisit();
  const Visit* pickedVisit() const;
  QStringList states() const;

  Context c_;
  ChargeUnit unit_ = ChargeUnit::coulomb;
  SpanReadingPtr reading_;
  Overview* overview_ = nullptr;
  Lanes* lanes_ = nullptr;
  FanView* fan_ = nullptr;
  EmptyState* not_split_ = nullptr;
  QPushButton *pill_ = nullptr, *edits_ = nullptr;
  LedgerModel* ledger_model_ = nullptr;
  NotebookTable* ledger_ = nullptr;
  QTabBar* tabs_ = nullptr;
  LogMargin* log_ = nullptr;
  RecipeMargin* recipe_ = nullptr;
  SpreadMargin* spread_ = nullptr;
  LineUpMargin* line_up_ = nullptr;
  QLabel* cursors_ = nullptr;
  QLineEdit* go_to_ = nullptr;
  QStackedWidget* margin_ = nullptr;
  QSplitter *across_ = nullptr, *down_ = nullptr;
  BudgetViewPtr budget_;
  bool following_ = false;
};

}  // namespace kuvio::app
