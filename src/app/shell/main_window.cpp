// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/main_window.h"

#include "app/bench/bench_desk.h"
#include "app/budget/budget_desk.h"
#include "app/builds/builds_desk.h"
#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/lifetime/lifetime_desk.h"
#include "app/shell/find_box.h"
#include "app/shell/foot_line.h"
#include "app/shell/top_bar.h"
#include "app/style/plain_text.h"
#include "app/style/widgets.h"
#include "app/trace/trace_desk.h"

#include <QApplication>
#include <QCloseEvent>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QMimeData>
#include <QSplitter>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {

constexpr int kPollMs = 300;

}  // namespace

MainWindow::MainWindow(Preferences preferences, QWidget* parent)
    : QMainWindow(parent), preferences_(std::move(preferences)), actions_(this) {
  PlainText::insist();  // before there is any text to show
  setObjectName(QStringLiteral("window"));
  setWindowTitle(QStringLiteral("Kuvio"));
  setAcceptDrops(true);
  resize(1280, 800);
  auto* centre = new QWidget(this);
  auto* column = new QVBoxLayout(centre);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  top_ = new TopBar(actions_, bench_, centre);
  column->addWidget(top_);
  column->addWidget(ruling(centre));
  column->addWidget(new RecordingStrip(bench_, centre));
  column->addWidget(makeMessage());
  desks_ = new QStackedWidget(centre);
  column->addWidget(desks_, 1);
  parts_ = new QSplitter(Qt::Horizontal, desks_);
  parts_->setObjectName(QStringLiteral("parts"));
  parts_->setHandleWidth(1);
  parts_->addWidget(makeCaptures());
  parts_->setChildrenCollapsible(false);
  column->addWidget(ruling(centre));
  column->addWidget(makeFoot());
  setCentralWidget(centre);
  makeBookActions();
  makeEditActions();
  makeDesks();
  makeLookActions();
  find_ = new FindBox(actions_, centre);
  connectSession();
  connectBench();
  if (!preferences_.parts.isEmpty()) parts_->restoreState(preferences_.parts);
  if (!preferences_.geometry.isEmpty()) restoreGeometry(preferences_.geometry);
  trace_desk_->restoreLayout(preferences_.trace_parts);
  setUnit(preferences_.unit);
  setDesk(desk_of_key(preferences_.desk).value_or(DeskId::trace));
  sayEmpty();
  setFocus();
}

MainWindow::~MainWindow() {
  // The desks hear of nothing any more while the session goes.
  session_.disconnect();
  bench_.disconnect();
  // Hiding moves the focus, and who loses it paints: that must be while what it shows is there.
  // Then the desks go, before session, view and actions, which they know.
  hide();
  qDeleteAll(findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly));
}

QWidget* MainWindow::makeMessage() {
  message_bar_ = new QWidget(this);
  auto* row = new QHBoxLayout(message_bar_);
  row->setContentsMargins(20, 6, 16, 6);
  message_ = new QLabel(message_bar_);
  message_->setObjectName(QStringLiteral("message"));
  message_->setAccessibleName(tr("Message"));
  message_->setWordWrap(true);
  message_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  auto* seen = button(tr("Dismiss"), QStringLiteral("messageSeen"), message_bar_);
  row->addWidget(message_, 1);
  row->addWidget(seen, 0, Qt::AlignTop);
  connect(seen, &QPushButton::clicked, message_bar_, &QWidget::hide);
  message_bar_->hide();
  return message_bar_;
}

QWidget* MainWindow::makeCaptures() {
  captures_box_ = new QWidget(this);
  auto* column = new QVBoxLayout(captures_box_);
  column->setContentsMargins(0, 12, 0, 0);
  auto* head = heading(tr("CAPTURES"), captures_box_);
  head->setContentsMargins(20, 0, 0, 0);
  column->addWidget(head);
  captures_model_ = new CapturesModel(this);
  captures_ = new QListView(captures_box_);
  captures_->setObjectName(QStringLiteral("captures"));
  captures_->setAccessibleName(tr("Captures"));
  captures_->setModel(captures_model_);
  captures_->setItemDelegate(new CaptureDelegate(captures_));
  captures_->setFrameShape(QFrame::NoFrame);
  captures_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  captures_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  captures_->setResizeMode(QListView::Adjust);
  captures_->setUniformItemSizes(true);
  captures_->setContextMenuPolicy(Qt::ActionsContextMenu);
  column->addWidget(captures_);
  captures_box_->setMinimumWidth(170);
  return captures_box_;
}

QWidget* MainWindow::makeFoot() {
  auto* bar = new QWidget(this);
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(20, 0, 16, 0);
  foot_ = new FootLine(bar);
  row->addWidget(foot_, 1);
  work_ = new WorkStrip(bar);
  row->addWidget(work_);
  cycles_ = button(tr("Whole cycles"), QStringLiteral("wholeCyclesButton"), bar);
  cycles_->setCheckable(true);
  cycles_->setFlat(true);
  cycles_->setToolTip(tr("Spans snap to whole cycles of a state (W)"));
  connect(cycles_, &QPushButton::toggled, &view_, &ViewState::setWholeCycles);
  connect(&view_, &ViewState::wholeCyclesChanged, cycles_,
          [this] { cycles_->setChecked(view_.wholeCycles()); });
  row->addWidget(cycles_);
  auto* label = remark(tr("Show charge as"), bar);
  label->setWordWrap(false);
  row->addWidget(label);
  unit_ = new QComboBox(bar);
  unit_->setObjectName(QStringLiteral("unit"));
  unit_->setAccessibleName(tr("Unit for charge or energy"));
  unit_->addItems(
      {QStringLiteral("C"), QStringLiteral("Ah"), QStringLiteral("Wh"), QStringLiteral("J")});
  row->addWidget(unit_);
  bar->setFixedHeight(40);
  return bar;
}

void MainWindow::makeDesks() {
  const Context context{session_, documents_, view_, bench_, actions_};
  bench_desk_ = new BenchDesk(context, preferences_, desks_);
  trace_desk_ = new TraceDesk(context, parts_);
  builds_desk_ = new BuildsDesk(context, desks_);
  budget_desk_ = new BudgetDesk(context, desks_);
  lifetime_desk_ = new LifetimeDesk(context, desks_);
  by_id_ = {{DeskId::bench, bench_desk_},
            {DeskId::trace, trace_desk_},
            {DeskId::builds, builds_desk_},
            {DeskId::budget, budget_desk_},
            {DeskId::lifetime, lifetime_desk_}};
  parts_->addWidget(trace_desk_);
  parts_->setStretchFactor(1, 1);
  parts_->setSizes({180, 1100});
  for (const auto& [id, one] : by_id_) {
    desks_->addWidget(one == trace_desk_ ? static_cast<QWidget*>(parts_) : one);
    connect(one, &Desk::messageReported, this, &MainWindow::report);
    connect(one, &Desk::footChanged, this, &MainWindow::updateFoot);
    connect(one, &Desk::deskRequested, this, &MainWindow::setDesk);
  }
  auto* empty = new EmptyState(QStringLiteral("empty"), desks_);
  empty_ = empty;
  desks_->addWidget(empty);
  connect(bench_desk_, &BenchDesk::preferencesChanged, this, &MainWindow::keepPreferences);
  connect(trace_desk_, &TraceDesk::limitRequested, this,
          [this](const SpanFigures& span, const QString& state) {
            setDesk(DeskId::budget);
            budget_desk_->limitFrom(span, state);
          });
  connect(trace_desk_, &TraceDesk::framePainted, this, [this] {
    if (settled_) return;
    settled_ = true;
    emit ready();
  });
}

void MainWindow::connectSession() {
  connect(&documents_, &Documents::messageReported, this, &MainWindow::report);
  connect(&documents_, &Documents::opened, this, [this](DocumentKind kind) {
    if (kind == DocumentKind::recipe) actions_.run(actions_.find(QStringLiteral("showRecipe")));
  });
  connect(top_, &TopBar::deskRequested, this, &MainWindow::setDesk);
  connect(top_, &TopBar::findRequested, find_, &FindBox::open);
  connect(&actions_, &Actions::deskRequested, this, &MainWindow::setDesk);
  connect(&session_, &Session::bookOpened, this, &MainWindow::takeBook);
  connect(&session_, &Session::shown, this, &MainWindow::takeShown);
  connect(&session_, &Session::failed, this, &MainWindow::report);
  connect(&session_, &Session::busyChanged, work_, &WorkStrip::setWork);
  // Checked again once the book's new list is there.
  connect(&session_, &Session::changed, this, [this] { budget_stale_ = true; });
  connect(&session_, &Session::budgetReady, this, [this](const BudgetViewPtr& view) {
    std::map<std::string, Verdict> verdicts;
    for (std::size_t i = 0; i < view->results.size(); ++i) {
      if (view->troubles[i].empty()) verdicts[view->builds[i]] = view->results[i].verdict;
    }
    captures_model_->setVerdicts(std::move(verdicts));
  });
  connect(work_, &WorkStrip::cancelled, &session_, &Session::cancel);
  connect(captures_->selectionModel(), &QItemSelectionModel::currentChanged, this,
          [this](const QModelIndex& index) {
            const qint64 id = index.data(CapturesModel::IdRole).toLongLong();
            if (taking_ || !index.isValid() || id == current_) return;
            current_ = id;
            settled_ = false;
            showCaptures();
          });
  connect(captures_model_, &CapturesModel::ticksChanged, this, &MainWindow::showCaptures);
  connect(unit_, &QComboBox::currentTextChanged, this, &MainWindow::setUnit);
  poll_.setInterval(kPollMs);
  connect(&poll_, &QTimer::timeout, &session_, &Session::poll);
}

void MainWindow::connectBench() {
  connect(&bench_, &BenchControl::failed, this, &MainWindow::report);
  connect(&bench_, &BenchControl::recordingBegan, this, [this](qint64 capture) {
    current_ = capture;  // shown as soon as the list has it
    session_.poll();
    setDesk(DeskId::trace);
  });
  connect(&bench_, &BenchControl::recordingEnded, this,
          [this](qint64, bool interrupted, const QString& message) {
            session_.poll();
            if (interrupted || !message.isEmpty()) report(message);
          });
}

void MainWindow::setDesk(DeskId id) {
  Desk* desk = by_id_.at(id);
  desk_ = id;
  top_->setDesk(id);
  actions_.setDesk(id);
  const bool trace = id == DeskId::trace;
  const bool any = session_.book() && !session_.book()->rows.empty();
  cycles_->setVisible(trace && any);
  if (trace && !any) {
    desks_->setCurrentWidget(empty_);
  } else {
    desks_->setCurrentWidget(trace ? static_cast<QWidget*>(parts_) : desk);
    desk->enter();
  }
  updateFoot();
}

void MainWindow::sayEmpty() {
  auto* empty = static_cast<EmptyState*>(empty_);
  if (book_path_.isEmpty()) {
    std::vector<EmptyState::Offer> offers{{tr("New book…"), [this] { newBook(); }},
                                          {tr("Open book…"), [this] { chooseBook(); }}};
    if (!preferences_.recent.isEmpty()) {
      const QString last = preferences_.recent.first();
      offers.emplace_back(tr("Open %1 again").arg(file_name(last)),
                          [this, last] { openBook(last); });
    }
    empty->say(
        tr("No book is open"),
        tr("A book holds everything for one investigation: captures, states, budget and battery."),
        offers);
  } else {
    empty->say(tr("%1 holds no captures yet").arg(file_name(book_path_)),
               tr("Record one on the Bench desk; it appears here as it is recorded."),
               {{tr("Go to Bench"), [this] { setDesk(DeskId::bench); }}});
  }
}

void MainWindow::openBook(const QString& path, bool create) {
  if (bench_.recording()) {
    report(tr("Stop the recording first; it is being written to the open book."));
    return;
  }
  settled_ = false;
  message_bar_->hide();
  session_.open(path, create);
}

void MainWindow::openFile(const QString& path) {
  if (!path.endsWith(QStringLiteral(".toml"))) return openBook(path);
  const auto kind = book::document_kind_of_file(path.toStdString());
  if (!kind) {
    return report(
        tr("%1: unknown file type. Kuvio opens books, recipes, budgets, duty plans and batteries.")
            .arg(file_name(path)));
  }
  if (!session_.book())
    return report(tr("Open a book first; %1 is loaded into it.").arg(file_name(path)));
  setDesk(*kind == DocumentKind::recipe   ? DeskId::trace
          : *kind == DocumentKind::budget ? DeskId::budget
                                          : DeskId::lifetime);
  documents_.open(*kind, path);
}

void MainWindow::takeBook(const BookViewPtr& book) {
  const bool same = book->path == book_path_;
  book_path_ = book->path;
  setWindowTitle(QStringLiteral("%1 – Kuvio").arg(file_name(book_path_)));
  taking_ = true;
  captures_model_->setBook(book);
  if (!same) {
    std::set<qint64> ticks;
    const QStringList kept = qs(book->note("ticks")).split(QLatin1Char(' '), Qt::SkipEmptyParts);
    for (const QString& id : kept) ticks.insert(id.toLongLong());
    captures_model_->setTicks(ticks);
    captures_model_->setVerdicts({});
    current_ = 0;
    wanted_.clear();
    bench_.setBook(book_path_);
    preferences_.remember(book_path_);
    keepPreferences();
    if (book->document(DocumentKind::budget)) session_.requestBudget();
    if (!book->unclean.empty()) report(tr("%1: %2").arg(file_name(book_path_), qs(book->unclean)));
  }
  taking_ = false;
  if (std::exchange(budget_stale_, false)) session_.requestBudget();
  poll_.start();
  sayEmpty();
  if (book->rows.empty()) {
    current_ = 0;
    wanted_.clear();
    view_.setShown(nullptr);
    setDesk(desk_);
    return;
  }
  if (!book->row(current_)) current_ = book->rows.front().info.id;
  taking_ = true;
  captures_->setCurrentIndex(captures_model_->index(captures_model_->rowOf(current_)));
  taking_ = false;
  if (!same || desks_->currentWidget() == empty_) setDesk(desk_);
  if (!same) captures_->setFocus(Qt::OtherFocusReason);
  showCaptures();
}

/// The current capture and those that are ticked are drawn together.
void MainWindow::showCaptures() {
  if (!session_.book() || current_ == 0) return;
  std::vector<std::int64_t> ids{current_};
  for (const CaptureRow& row : session_.book()->rows) {
    if (row.info.id != current_ && captures_model_->ticks().count(row.info.id) > 0 &&
        !row.info.channels.empty())
      ids.push_back(row.info.id);
  }
  if (ids == wanted_) return;
  wanted_ = ids;
  session_.show(ids);
}

void MainWindow::takeShown(const ShownPtr& shown) {
  if (shown->captures.empty() || shown->captures.front()->info.id != current_) return;
  const CaptureViewPtr& capture = shown->captures.front();
  const bool fresh = !view_.capture() || view_.capture()->info.id != capture->info.id;
  view_.setShown(shown);
  if (fresh && capture->info.interrupted) {
    report(tr("Interrupted: %1. %2 saved.")
               .arg(qs(capture->info.end_reason), qs(duration(capture->info.duration_s()))));
  }
  updateFoot();
}

void MainWindow::report(const QString& message) {
  if (message.isEmpty()) return;
  QPalette p = message_->palette();
  p.setColor(QPalette::WindowText, Theme::current().accent());
  message_->setPalette(p);
  message_->setText(message);
  message_bar_->show();
}

QString MainWindow::readOut() const { return foot_->text(); }

void MainWindow::updateFoot() {
  auto parts = by_id_.at(desk_)->foot();
  // While a span's figures are on their way the last ones stay.
  if (parts.empty() && view_.span() && desk_ == DeskId::trace) return;
  foot_->setParts(std::move(parts));
}

void MainWindow::setUnit(const QString& symbol) {
  const int index = std::max(0, unit_->findText(symbol));
  if (unit_->currentIndex() != index) unit_->setCurrentIndex(index);
  for (const auto& [id, one] : by_id_) one->setUnit(static_cast<ChargeUnit>(index));
  preferences_.unit = unit_->currentText();
  updateFoot();
}

void MainWindow::setTheme(Theme::Kind kind) {
  Theme::apply(kind);
  for (const auto& [id, one] : by_id_) one->applyTheme();
  for (QWidget* w : findChildren<QWidget*>()) w->update();
}

void MainWindow::keepPreferences() { keeper_.save(preferences_); }

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  const auto urls = event->mimeData()->urls();
  if (urls.size() == 1 && urls.first().isLocalFile()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  openFile(event->mimeData()->urls().value(0).toLocalFile());
}

void MainWindow::leave() {
  if (!bench_.recording()) {
    close();
    return;
  }
  connect(&bench_, &BenchControl::recordingEnded, this, &MainWindow::close, Qt::QueuedConnection);
  bench_.stop();
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (bench_.recording()) {
    report(tr("A recording is running. Stop it before closing; what is recorded is kept."));
    event->ignore();
    return;
  }
  preferences_.geometry = saveGeometry();
  preferences_.parts = parts_->saveState();
  preferences_.trace_parts = trace_desk_->saveLayout();
  preferences_.desk = QLatin1String(info(desk_).key);
  keepPreferences();
  event->accept();
}

}  // namespace kuvio::app
