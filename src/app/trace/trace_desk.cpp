// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/trace_desk.h"

#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/state_edits.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/folding_splitter.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/trace/channels_margin.h"
#include "app/trace/fan_view.h"
#include "app/trace/lanes.h"
#include "app/trace/ledger_model.h"
#include "app/trace/log_margin.h"
#include "app/trace/overview.h"
#include "app/trace/read_out.h"
#include "app/trace/recipe_margin.h"
#include "app/trace/spread_margin.h"
#include "app/trace/state_dialogs.h"
#include "app/trace/visits_page.h"

#include <QApplication>
#include <QClipboard>
#include <QDataStream>
#include <QMenu>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>

namespace kuvio::app {
TraceDesk::TraceDesk(const Context& context, QWidget* parent) : Desk(parent), context_(context) {
  setObjectName(QStringLiteral("traceDesk"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  across_ = new FoldingSplitter(Px{262}, Px{880}, this);
  across_->setObjectName(QStringLiteral("traceParts"));
  across_->addWidget(makeMiddle());
  across_->addWidget(makeMargin());
  across_->setStretchFactor(0, 1);
  across_->setSizes({1100 - Px{262}, Px{262}});
  across_->setCollapsible(0, false);
  across_->setHint(tr("Side panel (Ctrl+M)"));
  row->addWidget(across_);
  makeMoveActions();
  makeViewActions();
  makeStateActions();
  makeLaneActions();
  makeSpanActions();
  makeAccountActions();
  makeStepActions();
  answerNeeds();
  connectViews();
}

QWidget* TraceDesk::makeMiddle() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 4, 0, 0);
  column->setSpacing(2);
  overview_ = new Overview(context_.view, box);
  lanes_ = new Lanes(context_.view, context_.session, box);
  fan_ = new FanView(context_.view, context_.session, box);
  not_split_ = new EmptyState(QStringLiteral("notSplit"), box);
  pill_ = button({}, QStringLiteral("live"), lanes_);
  pill_->hide();
  down_ = new QSplitter(Qt::Vertical, box);
  down_->setObjectName(QStringLiteral("down"));
  down_->setHandleWidth(5);
  down_->setChildrenCollapsible(false);
  auto* upper = new QWidget(down_);
  auto* upper_column = new QVBoxLayout(upper);
  upper_column->setContentsMargins(0, 0, 0, 0);
  upper_column->setSpacing(2);
  upper_column->addWidget(overview_);
  upper_column->addWidget(lanes_, 1);
  cursors_ = remark({}, upper);
  cursors_->setObjectName(QStringLiteral("cursorLine"));
  cursors_->setIndent(kLaneLeft);
  cursors_->setFont(Theme::baseFont(12));
  cursors_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  cursors_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  cursors_->hide();
  upper_column->addWidget(cursors_);
  makeGoTo(upper);
  upper_column->addWidget(fan_);
  upper_column->addWidget(not_split_);
  down_->addWidget(upper);
  down_->addWidget(makeAccount(down_));
  down_->setStretchFactor(0, 1);
  down_->setSizes({428, 286});
  column->addWidget(down_);
  return box;
}

void TraceDesk::makeMoveActions() {
  ViewState& view = context_.view;
  const DeskId desk = DeskId::trace;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    return context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  const auto middle = [&view] { return (view.from() + view.to()) / 2; };
  add("showAll", tr("Whole capture"), Qt::Key_Home, [&view] { view.showAll(); });
  add("zoomSpan", tr("Zoom to span or visit"), Qt::Key_Z, [this, &view] {
    if (view.span()) {
      view.show(view.span()->first, view.span()->second);
    } else if (const Visit* v = pickedVisit()) {
      view.show(v->from_s, v->to_s);
    }
  });
  add("zoomIn", tr("Zoom in"), Qt::Key_Plus, [&view, middle] { view.zoomAt(middle(), 0.5); });
  add("zoomOut", tr("Zoom out"), Qt::Key_Minus, [&view, middle] { view.zoomAt(middle(), 2); });
  add("panLeft", tr("Pan earlier"), QKeySequence(Qt::SHIFT | Qt::Key_Left),
      [&view] { view.pan(-0.2 * (view.to() - view.from())); });
  add("panRight", tr("Pan later"), QKeySequence(Qt::SHIFT | Qt::Key_Right),
      [&view] { view.pan(0.2 * (view.to() - view.from())); });
  add("viewBack", tr("Previous view"), QKeySequence(Qt::ALT | Qt::Key_Left),
      [&view] { view.back(); });
  add("viewForward", tr("Next view"), QKeySequence(Qt::ALT | Qt::Key_Right),
      [&view] { view.forward(); });
  add("returnLive", tr("Return to live"), Qt::Key_End, [&view] {
    if (view.recording()) view.returnToLive();
  });
  add("spanBegins", tr("Start span at pointer"), Qt::Key_BracketLeft,
      [this] { markSpanEnd(false); });
  add("spanEnds", tr("End span at pointer"), Qt::Key_BracketRight, [this] { markSpanEnd(true); });
  add("spanVisit", tr("Set span to selected visit"), QKeySequence(tr("V")), [this, &view] {
    if (const Visit* v = pickedVisit()) view.setSpan(v->from_s, v->to_s);
  });
  add("clearSpan", tr("Clear span"), Qt::Key_Escape, [&view] {
    if (!view.span() && view.visit() == ViewState::kNone) view.clearCursors();
    view.clearSpan();
    view.pickVisit(ViewState::kNone);
  });
  add("nextVisit", tr("Next visit"), Qt::Key_Right, [&view] { view.stepVisit(1); });
  add("previousVisit", tr("Previous visit"), Qt::Key_Left, [&view] { view.stepVisit(-1); });
}

void TraceDesk::makeViewActions() {
  const DeskId desk = DeskId::trace;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    return context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  QAction* scale = add("logScale", tr("Logarithmic current"), QKeySequence(tr("Ctrl+L")), [] {});
  scale->setCheckable(true);
  scale->setChecked(true);
  connect(scale, &QAction::toggled, this, [this](bool on) { lanes_->setLogarithmic(on); });
  add("fitValues", tr("Reset value axes"), Qt::Key_F, [this] {
    lanes_->fitValues();
    lanes_->replot(QCustomPlot::rpQueuedReplot);
  });
  add("showLog", tr("Show log"), QKeySequence(tr("Ctrl+Shift+L")), [this] {
    showPage(0);
    log_->focusFilter();
  });
  add("showSpread", tr("Show histogram"), QKeySequence(tr("D")), [this] { showPage(2); });
  add("lineUp", tr("Line up…"), QKeySequence(tr("Ctrl+Shift+U")), [this] { showPage(4); });
  add("showChannels", tr("Show channels: zero, shunt, gain…"), {}, [this] { showPage(3); });
  context_.actions.add(QStringLiteral("chooseShunt"), tr("Choose a shunt…"), {},
                       [this] { channels_->chooseShunt(); });
  add("showRecipe", tr("Show recipe"), QKeySequence(tr("Ctrl+Shift+R")), [this] {
    showPage(1);
    recipe_->setFocus();
  });
  add("toggleMargin", tr("Side panel"), QKeySequence(tr("Ctrl+M")),
      [this] { across_->setSideOpen(!across_->isSideOpen()); });
  context_.actions.add(
      QStringLiteral("copyTrace"), tr("Copy picture of the traces"),
      QKeySequence(tr("Ctrl+Shift+P")), [this] { copy_picture(lanes_); }, desk);
  context_.actions.add(
      QStringLiteral("copyLedger"), tr("Copy ledger as text (TSV)"), {},
      [this] { ledger_->copy(); }, desk);
}

void TraceDesk::makeStateActions() {
  const DeskId desk = DeskId::trace;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    return context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  add("findStates", tr("Find states"), {}, [this] {
    if (context_.view.capture()) find_states_of(context_.session, context_.view.capture()->info.id);
    showPage(1);
  });
  add("fewerStates", tr("Find one state fewer"), {}, [this] { recipe_->findOther(-1); });
  add("moreStates", tr("Find one state more"), {}, [this] { recipe_->findOther(1); });
  add("nameSpan", tr("Name as state…"), QKeySequence(tr("N")), [this] { nameSpan(); });
  add("limitFromSpan", tr("Set limit from this…"), QKeySequence(tr("L")),
      [this] { limitFromSpan(); });
  add("editVisit", tr("Edit visit…"), Qt::Key_F2, [this] { editVisit(); });
  add("cutVisit", tr("Cut visit at pointer"), QKeySequence(tr("C")), [this] { cutHere(); });
  add("joinNext", tr("Join with the next visit"), QKeySequence(tr("J")), [this] { joinWith(1); });
  add("joinPrevious", tr("Join with previous visit"), QKeySequence(tr("Shift+J")),
      [this] { joinWith(-1); });
  add("pinVisit", tr("Pin the visit"), QKeySequence(tr("P")), [this] { pinVisit(); });
  add("reviewEdits", tr("Manual edits…"), {}, [this] { edits_->click(); });
  add("newRecipe", tr("New recipe"), {}, [this] {
    showPage(1);
    recipe_->newRecipe();
  });
  add("openRecipe", tr("Open recipe…"), QKeySequence(tr("Ctrl+R")), [this] {
    showPage(1);
    recipe_->openRecipe();
  });
  add("saveRecipe", tr("Save recipe as…"), {}, [this] { recipe_->saveAs(); });
  add("applyRecipe", tr("Split with recipe"), QKeySequence(tr("Ctrl+Return")),
      [this] { recipe_->apply(false); });
  add("applyRecipeAll", tr("Split all captures with recipe"), QKeySequence(tr("Ctrl+Shift+Return")),
      [this] { recipe_->apply(true); });
}

void TraceDesk::connectViews() {
  connect(lanes_, &Lanes::framePainted, this, &TraceDesk::framePainted);
  connect(lanes_, &Lanes::menuWanted, this, &TraceDesk::spanMenu);
  connect(fan_, &FanView::menuWanted, this, &TraceDesk::visitMenu);
  connect(fan_, &FanView::edgesMoved, this, &TraceDesk::moveEdges);
  connect(recipe_, &RecipeMargin::thresholdsChanged, lanes_, &Lanes::setThresholds);
  connect(lanes_, &Lanes::thresholdDragged, recipe_, &RecipeMargin::dragEdge);
  connect(lanes_, &Lanes::hiddenClicked, this, &TraceDesk::chooseLanes);
  connect(log_, &LogMargin::edgeWanted, this, &TraceDesk::lineToEdge);
  connect(log_, &LogMargin::matchWanted, this, [this](int direction) {
    context_.actions.find(QLatin1String(direction > 0 ? "nextMatch" : "previousMatch"))->trigger();
  });
  connect(log_, &LogMargin::left, lanes_, qOverload<>(&QWidget::setFocus));
  connect(&context_.view, &ViewState::captureChanged, this, &TraceDesk::takeCapture);
  connect(&context_.view, &ViewState::rangeChanged, this, &TraceDesk::updatePill);
  connect(&context_.view, &ViewState::followChanged, this, &TraceDesk::updatePill);
  connect(pill_, &QPushButton::clicked, this, [this] { context_.view.returnToLive(); });
  connect(edits_, &QPushButton::clicked, this, [this] {
    if (!context_.view.capture() || context_.view.capture()->edits == 0) return;
    auto* dialog = new EditsDialog(*context_.view.capture(), this);
    const qint64 id = context_.view.capture()->info.id;
    connect(dialog, &EditsDialog::dropped, this,
            [this, id](int edit) { drop_edit(context_.session, id, edit); });
    // What is undone meanwhile is not to be removed any more.
    connect(&context_.view, &ViewState::captureChanged, dialog, [this, id, dialog] {
      const CaptureViewPtr& now = context_.view.capture();
      if (now && now->info.id == id) return dialog->take(*now);
      dialog->close();
    });
    dialog->show();
  });
  connect(&context_.session, &Session::budgetReady, this, &TraceDesk::takeBudget);
  connect(&context_.view, &ViewState::cursorsChanged, this, &TraceDesk::followCursors);
  connect(&context_.view, &ViewState::captureChanged, this, &TraceDesk::followCursors);
  connect(&context_.view, &ViewState::pointerChanged, this, &TraceDesk::followCursors);
  connect(&context_.session, &Session::momentsReady, this, &TraceDesk::takeMoments);
  connect(&context_.session, &Session::frameReady, ledger_model_, &LedgerModel::setSeen);
  connect(&context_.session, &Session::spanReady, this, [this](const SpanReadingPtr& reading) {
    const std::pair asked(reading->asked_from_s, reading->asked_to_s);
    const CaptureViewPtr& capture = context_.view.capture();
    if (context_.view.span() == asked) reading_ = reading;
    if (capture && asked == std::pair(capture->from_s, capture->to_s)) whole_ = reading;
    emit footChanged();
  });
  connect(&context_.view, &ViewState::spanChanged, this, [this] {
    if (context_.view.span())
      context_.session.requestSpan(context_.view.span()->first, context_.view.span()->second);
    if (!context_.view.span()) {
      reading_.reset();
      askWhole();
    }
    follow();
  });
  connect(&context_.view, &ViewState::visitChanged, this, &TraceDesk::follow);
  connect(&context_.view, &ViewState::pointedChanged, this, &Desk::footChanged);
  connect(ledger_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (following_ || !index.isValid()) return;
            const std::string state = ledger_model_->stateOf(index.row());
            if (!state.empty()) context_.view.pickState(state);
          });
}

/// What can be done about a capture that is not split, the likeliest first.
void TraceDesk::takeCapture() {
  const CaptureViewPtr& capture = context_.view.capture();
  following_ = true;
  ledger_model_->setCapture(capture);
  following_ = false;
  takeBudget(budget_);
  const bool several = context_.view.shown() && context_.view.shown()->captures.size() > 1;
  if (tabs_->isTabVisible(4) != several) {
    tabs_->setTabVisible(4, several);  // two to be lined up
    // A tab bar keeps its arrows when what needed them goes, until it is laid out anew.
    tabs_->setUsesScrollButtons(false);
    tabs_->setUsesScrollButtons(true);
  }
  const bool split = capture && !capture->visits.empty();
  fan_->setVisible(split);
  not_split_->setVisible(capture && !split);
  account_->setVisible(capture && capture->ledger);
  account_tabs_->setVisible(split);
  if (!split) showAccount(Page::ledger);
  if (capture && !split) {
    sayNotSplit(*capture);
  }
  edits_->setVisible(split && capture->edits > 0);
  if (capture && capture->edits > 0) {
    edits_->setText(
        (capture->edits == 1 ? tr("1 manual edit") : tr("%1 manual edits").arg(capture->edits)) +
        (capture->conflicts.empty() ? QString()
                                    : tr(", %1 not applied").arg(capture->conflicts.size())) +
        tr(" · review"));
    edits_->setAccessibleName(edits_->text());
  }
  // Of one that grows the last figures stay until the next are there.
  if (const qint64 id = capture ? capture->info.id : 0; std::exchange(whole_of_, id) != id)
    whole_.reset();
  askWhole();
  follow();
  updatePill();
}

/// Figures of the whole capture: what is shown while nothing is marked.
void TraceDesk::askWhole() {
  const CaptureViewPtr& capture = context_.view.capture();
  if (capture && !context_.view.span() && capture->to_s > capture->from_s)
    context_.session.requestSpan(capture->from_s, capture->to_s);
}

void TraceDesk::takeBudget(const BudgetViewPtr& view) {
  budget_ = view;
  std::map<std::string, StateVerdict> verdicts;
  if (view && view->budget && context_.view.capture()) {
    for (std::size_t i = 0; i < view->builds.size() && i < view->results.size(); ++i) {
      if (view->builds[i] == context_.view.capture()->info.build)
        verdicts = verdictsByState(view->results[i]);
    }
  }
  following_ = true;
  ledger_model_->setVerdicts(std::move(verdicts));
  following_ = false;
  ledger_->setColumnHidden(
      LedgerModel::Verdicts,
      !view || !view->budget || ledger_->unwanted().contains(LedgerModel::Verdicts));
  fitLedger();
  follow();
}

void TraceDesk::applyTheme() {
  lanes_->applyTheme();
  overview_->applyTheme();
  log_->fitTimes();
}

void TraceDesk::setUnit(ChargeUnit unit) {
  unit_ = unit;
  ledger_model_->setUnit(unit);
  visits_->setUnit(unit);
  fitLedger();
  follow();
}

void TraceDesk::fitLedger() {
  if (ledger_model_->rowCount() == 0) return;
  ledger_->fitColumns({LedgerModel::Least, LedgerModel::Varies, LedgerModel::Peak,
                       LedgerModel::PerVisit, LedgerModel::Visits, LedgerModel::Time});
}

std::vector<FootPart> TraceDesk::foot() const {
  return read_out(context_.view, {reading_, whole_}, unit_);
}

/// Brings the ledger to where the picked visit is.
void TraceDesk::follow() {
  following_ = true;
  const int row = ledger_model_->rowOf(context_.view.pickedState());
  if (row >= 0) {
    ledger_->setCurrentIndex(ledger_model_->index(row, 0));
  } else {
    ledger_->clearSelection();
    ledger_->setCurrentIndex({});
  }
  following_ = false;
  emit footChanged();
}

void TraceDesk::updatePill() {
  pill_->setVisible(context_.view.recording());
  lanes_->setReserve(context_.view.recording() ? pill_->sizeHint().width() : 0);
  if (!context_.view.recording()) return;
  // Live is how it is, Held is where one can go back from.
  pill_->setFlat(!context_.view.held());
  pill_->setFocusPolicy(context_.view.held() ? Qt::StrongFocus : Qt::NoFocus);
  pill_->setText(context_.view.held()
                     ? tr("Held, %1 behind · Return to live (End)")
                           .arg(qs(duration(std::max(0.0, context_.view.behind()))))
                     : tr("Live"));
  pill_->setAccessibleName(pill_->text());
  pill_->adjustSize();
  lanes_->setReserve(pill_->width());
  pill_->move(lanes_->width() - pill_->width() - kLaneRight, lanes_->height() - pill_->height());
}

QByteArray TraceDesk::saveLayout() const {
  QByteArray out;
  QDataStream stream(&out, QIODevice::WriteOnly);
  stream << across_->saveParts() << down_->saveState() << tabs_->currentIndex()
         << ledger_->unwanted() << account_tabs_->currentIndex();
  return out;
}

void TraceDesk::restoreLayout(const QByteArray& layout) {
  if (layout.isEmpty()) return;
  QDataStream stream(layout);
  QByteArray across, down;
  int tab = 0, page = 0;
  QList<int> unwanted;
  stream >> across >> down >> tab >> unwanted >> page;
  across_->restoreState(across);
  down_->restoreState(down);
  tabs_->setCurrentIndex(tab);
  ledger_->setUnwanted(unwanted);
  account_tabs_->setCurrentIndex(page);
}

}  // namespace kuvio::app
