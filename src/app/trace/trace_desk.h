// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/desk.h"
#include "app/engine/views_fwd.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QMenu;
class QPushButton;
class QSplitter;
class QStackedWidget;
class QTabBar;

namespace kuvio {
struct SpanFigures;
struct Visit;
}  // namespace kuvio

namespace kuvio::app {

class EmptyState;
class FanView;
class FoldingSplitter;
class Lanes;
class LanePlan;
class LedgerModel;
class ChannelsMargin;
class LineUpMargin;
class LogMargin;
class NotebookTable;
class Overview;
class RecipeMargin;
class SpreadMargin;
class TroublesPage;
class VisitsPage;
class WaitsPage;
class WaysPage;
enum class ValueFit;
enum class ValueScale;

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
  /// What stands under the traces.
  enum class Page { ledger, visits, transitions, waits, troubles };
  void showAccount(Page page);
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
  QWidget* makeAccount(QWidget* parent);
  void makeAccountActions();
  void makeMoveActions();
  void makeViewActions();
  void makeStateActions();
  void makeLaneActions();
  void makeScaleActions();
  void makeSpanActions();
  void makeStepActions();
  void answerNeeds();
  void makeGoTo(QWidget* parent);
  void goToTyped();
  void followCursors();
  std::string pointedChannel() const;
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
  void askWhole();
  void sayNotSplit(const CaptureView& capture);
  void takeBudget(const BudgetViewPtr& view);
  /// Columns as wide as what stands in them.
  void fitLedger();
  void follow();
  void updatePill();
  void markSpanEnd(bool right);
  void spanMenu(const QPoint& at);
  void visitMenu(const QPoint& at);
  void lanesMenu(QMenu& menu);
  void fillLanesList(QMenu& menu);
  void chooseLanes(const QPoint& at);
  void nameSpan();
  void limitFromSpan();
  void editVisit();
  void moveEdge(int visit, double to_s);
  void moveEdges(int first, int last, double by_s);
  void lineToEdge(double t);
  void cutHere();
  void joinWith(int direction);
  void pinVisit();
  const Visit* pickedVisit() const;
  QStringList states() const;

  void offerCurrents();
  void askLedger();
  void takeLedger(const LedgerViewPtr& ledger);

  Context context_;
  ChargeUnit unit_ = ChargeUnit::coulomb;
  SpanReadingPtr reading_, whole_;  // of the span; of the whole capture
  Overview* overview_ = nullptr;
  Lanes* lanes_ = nullptr;
  FanView* fan_ = nullptr;
  EmptyState* not_split_ = nullptr;
  QPushButton *pill_ = nullptr, *edits_ = nullptr;
  LedgerModel* ledger_model_ = nullptr;
  NotebookTable* ledger_ = nullptr;
  QWidget* account_ = nullptr;  // ledger, visits and what happens in time, a page each
  QComboBox* ledger_of_ = nullptr;
  QTabBar* account_tabs_ = nullptr;
  VisitsPage* visits_ = nullptr;
  WaysPage* ways_ = nullptr;
  WaitsPage* waits_ = nullptr;
  TroublesPage* troubles_ = nullptr;
  QTabBar* tabs_ = nullptr;
  LogMargin* log_ = nullptr;
  RecipeMargin* recipe_ = nullptr;
  SpreadMargin* spread_ = nullptr;
  LineUpMargin* line_up_ = nullptr;
  ChannelsMargin* channels_ = nullptr;
  QLabel* cursors_ = nullptr;
  QLineEdit* go_to_ = nullptr;
  QStackedWidget* margin_ = nullptr;
  void showPage(int index);
  FoldingSplitter* across_ = nullptr;
  QSplitter* down_ = nullptr;
  BudgetViewPtr budget_;
  qint64 whole_of_ = 0;
  bool following_ = false;
};

}  // namespace kuvio::app
