// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/main_window.h"

#include "app/bench/bench_desk.h"
#include "app/budget/budget_desk.h"
#include "app/builds/builds_desk.h"
#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/engine/time_notation.h"
#include "app/engine/trace_views.h"
#include "app/lifetime/lifetime_desk.h"
#include "app/shell/captures_panel.h"
#include "app/shell/find_box.h"
#include "app/shell/foot_bar.h"
#include "app/shell/message_row.h"
#include "app/shell/top_bar.h"
#include "app/style/pixels.h"
#include "app/style/plain_text.h"
#include "app/style/widgets.h"
#include "app/trace/trace_desk.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileInfo>
#include <QMessageBox>
#include <QMimeData>
#include <QSplitter>
#include <QUrl>
#include <QVBoxLayout>

#include <cmath>

namespace kuvio::app {
namespace {

int shownPercent() { return static_cast<int>(std::lround(100 * text_scale())); }

constexpr int kPollMs = 300;
constexpr int kRecentOffered = 2;
constexpr int kOffWithinMs = 4000;

}  // namespace

MainWindow::MainWindow(Preferences preferences, QWidget* parent)
    : QMainWindow(parent), preferences_(std::move(preferences)), actions_(this) {
  PlainText::insist();  // before there is any text to show
  set_time_notation(preferences_.times_in_seconds ? TimeNotation::seconds : TimeNotation::clock);
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
  desks_ = new QStackedWidget(centre);
  desks_->setObjectName(QStringLiteral("desks"));
  column->addWidget(desks_, 1);
  parts_ = new QSplitter(Qt::Horizontal, desks_);
  parts_->setObjectName(QStringLiteral("parts"));
  parts_->setHandleWidth(1);
  parts_->setChildrenCollapsible(false);
  column->addWidget(ruling(centre));
  foot_ = new FootBar(view_, centre);
  column->addWidget(foot_);
  message_ = new MessageRow(bench_, centre);
  column->addWidget(message_);
  setCentralWidget(centre);
  makeBookActions();
  makeEditActions();
  captures_ = new CapturesPanel(session_, actions_, parts_);
  parts_->insertWidget(0, captures_);
  makeDesks();
  makeImport();
  makeLookActions();
  makeHelpActions();
  answerNeeds();
  find_ = new FindBox(actions_, centre);
  connectSession();
  connectBench();
  if (!preferences_.geometry.isEmpty()) restoreGeometry(preferences_.geometry);
  // What was wide for large text would leave the trace a slit with small.
  if (preferences_.parts_percent == shownPercent()) {
    if (!preferences_.parts.isEmpty()) parts_->restoreState(preferences_.parts);
    trace_desk_->restoreLayout(preferences_.trace_parts);
  }
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

void MainWindow::makeDesks() {
  const Context context{session_, documents_, view_, bench_, actions_};
  auto* bench = new BenchDesk(context, preferences_, desks_);
  trace_desk_ = new TraceDesk(context, parts_);
  auto* budget = new BudgetDesk(context, desks_);
  by_id_ = {{DeskId::bench, bench},
            {DeskId::trace, trace_desk_},
            {DeskId::builds, new BuildsDesk(context, desks_)},
            {DeskId::budget, budget},
            {DeskId::lifetime, new LifetimeDesk(context, desks_)}};
  parts_->addWidget(trace_desk_);
  parts_->setStretchFactor(1, 1);
  parts_->setSizes({Px{180}, 1280 - Px{180}});
  for (const auto& [id, one] : by_id_) {
    // Whole on any screen and with any text: what finds no room is scrolled to.
    pages_[id] = scroll_area(one == trace_desk_ ? static_cast<QWidget*>(parts_) : one, desks_);
    desks_->addWidget(pages_[id]);
    connect(one, &Desk::messageReported, this, &MainWindow::report);
    connect(one, &Desk::footChanged, this, &MainWindow::updateFoot);
    connect(one, &Desk::instantChanged, foot_, &FootBar::setInstant);
    connect(one, &Desk::deskRequested, this, &MainWindow::setDesk);
  }
  empty_ = new EmptyState(QStringLiteral("empty"), desks_);
  empty_page_ = scroll_area(empty_, desks_);
  desks_->addWidget(empty_page_);
  connect(bench, &BenchDesk::preferencesChanged, this, &MainWindow::keepPreferences);
  connect(trace_desk_, &TraceDesk::limitRequested, this,
          [this, budget](const SpanFigures& span, const QString& state) {
            setDesk(DeskId::budget);
            budget->limitFrom(span, state);
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
  connect(&actions_, &Actions::refused, this, [this](const QString& why) { report(why); });
  connect(&session_, &Session::bookOpened, this, &MainWindow::takeBook);
  connect(&session_, &Session::shown, this, &MainWindow::takeShown);
  connect(&session_, &Session::failed, this,
          [this](const QString& why) { report(Message::trouble(why)); });
  connect(&session_, &Session::busyChanged, &message_->work(), &WorkStrip::setWork);
  // Checked again once the book's new list is there.
  connect(&session_, &Session::changed, this, [this] { budget_stale_ = true; });
  connect(&session_, &Session::budgetReady, this, [this](const BudgetViewPtr& view) {
    std::map<std::string, Verdict> verdicts;
    for (std::size_t i = 0; i < view->results.size(); ++i) {
      if (view->troubles[i].empty()) verdicts[view->builds[i]] = view->results[i].verdict;
    }
    captures_->setVerdicts(std::move(verdicts));
  });
  connect(&message_->work(), &WorkStrip::cancelled, &session_, &Session::cancel);
  connect(&message_->work(), &WorkStrip::cancelled, &example_, &ExampleMaker::cancel);
  connect(&example_, &ExampleMaker::working, &message_->work(), &WorkStrip::setWork);
  connect(&example_, &ExampleMaker::made, this, [this](const QString& path) { openBook(path); });
  connect(&example_, &ExampleMaker::failed, this,
          [this](const QString& why) { report(Message::trouble(why)); });
  connect(captures_, &CapturesPanel::messageReported, this, &MainWindow::report);
  connect(captures_, &CapturesPanel::chosen, this, [this] { settled_ = false; });
  connect(foot_, &FootBar::unitChosen, this, &MainWindow::setUnit);
  poll_.setInterval(kPollMs);
  connect(&poll_, &QTimer::timeout, &session_, &Session::poll);
}

void MainWindow::connectBench() {
  connect(&bench_, &BenchControl::failed, this,
          [this](const QString& why) { report(Message::trouble(why)); });
  connect(&bench_, &BenchControl::bookWanted, this, &MainWindow::bookFor);
  connect(&bench_, &BenchControl::recordingBegan, this, [this](qint64 capture) {
    captures_->setCurrent(capture);  // shown as soon as the list has it
    session_.poll();
    setDesk(DeskId::trace);
  });
  connect(&bench_, &BenchControl::recordingEnded, this,
          [this](qint64 capture, bool interrupted, const QString& message) {
            session_.poll();
            reportRecorded(capture, interrupted, message);
          });
}

void MainWindow::reportRecorded(qint64 capture, bool interrupted, const QString& message) {
  if (capture == 0) return report(interrupted ? Message::trouble(message) : Message(message));
  const BenchState& s = bench_.state();
  Message said = Message::done(
      tr("Recorded %1 of %2. %3").arg(qs(duration(s.recorded_s)), qs(s.name), message).trimmed());
  if (interrupted) said = Message::trouble(message);
  if (desk_ != DeskId::trace) {
    said.offer = tr("Show on Trace");
    said.run = [this, capture] {
      captures_->setCurrent(capture);
      setDesk(DeskId::trace);
    };
  }
  report(said);
}

void MainWindow::setDesk(DeskId id) {
  Desk* desk = by_id_.at(id);
  desk_ = id;
  top_->setDesk(id);
  actions_.setDesk(id);
  const bool trace = id == DeskId::trace;
  const bool any = session_.book() && !session_.book()->rows.empty();
  foot_->showCycles(trace && any);
  // Without a book there is one page for all of them; Bench works without.
  if ((trace && !any) || (id != DeskId::bench && !session_.book())) {
    desks_->setCurrentWidget(empty_page_);
  } else {
    desks_->setCurrentWidget(pages_.at(id));
    desk->enter();
  }
  updateFoot();
}

void MainWindow::sayEmpty() {
  if (book_path_.isEmpty()) {
    std::vector<EmptyState::Offer> offers{{tr("New book…"), [this] { newBook(); }},
                                          {tr("Open book…"), [this] { chooseBook(); }},
                                          {tr("Import…"), [this] { chooseImport(); }}};
    for (const QString& recent : preferences_.recent.mid(0, kRecentOffered))
      offers.emplace_back(tr("Open %1").arg(file_name(recent)),
                          [this, recent] { openBook(recent); });
    offers.emplace_back(tr("Start at the bench"), [this] { setDesk(DeskId::bench); });
    offers.emplace_back(tr("Look at an example"),
                        [this] { actions_.run(actions_.find(QStringLiteral("example"))); });
    empty_->say(
        tr("No book is open"),
        tr("A book holds everything for one investigation: captures, states, budget and battery."),
        offers);
  } else {
    empty_->say(tr("%1 holds no captures yet").arg(file_name(book_path_)),
                tr("Record one on the Bench desk, or import what something else has logged."),
                {{tr("Go to Bench"), [this] { setDesk(DeskId::bench); }},
                 {tr("Import…"), [this] { chooseImport(); }}});
  }
}

void MainWindow::openBook(const QString& path, bool create) {
  if (bench_.recording()) {
    report(tr("Stop the recording first; it is being written to the open book."));
    return;
  }
  settled_ = false;
  once_open_ = {};
  message_->dismiss();
  // Remembered whole: another day begins in another folder.
  session_.open(QFileInfo(path).absoluteFilePath(), create);
}

void MainWindow::openFile(const QString& path) {
  const QString kind_of_file = QFileInfo(path).suffix().toLower();
  if (kind_of_file == QLatin1String("kuvio") || kind_of_file.isEmpty()) return openBook(path);
  if (kind_of_file != QLatin1String("toml")) return importFiles({path});
  const auto kind = book::document_kind_of_file(path.toStdString());
  if (!kind) {
    return report(Message::trouble(
        tr("%1: unknown file type. Kuvio opens books, recipes, budgets, duty plans and batteries.")
            .arg(file_name(path))));
  }
  if (!session_.book())
    return report(tr("Open a book first; %1 is loaded into it.").arg(file_name(path)));
  setDesk(*kind == DocumentKind::recipe   ? DeskId::trace
          : *kind == DocumentKind::budget ? DeskId::budget
                                          : DeskId::lifetime);
  documents_.open(*kind, path);
}

void MainWindow::takeBook(const BookViewPtr& book) {
  const bool other = book->path != book_path_;
  book_path_ = book->path;
  setWindowTitle(QStringLiteral("%1 – Kuvio").arg(file_name(book_path_)));
  if (other) {
    bench_.setBook(book_path_);
    preferences_.remember(book_path_);
    keepPreferences();
    if (book->document(DocumentKind::budget)) session_.requestBudget();
    if (!book->unclean.empty())
      report(Message::trouble(tr("%1: %2").arg(file_name(book_path_), qs(book->unclean))));
  }
  if (std::exchange(budget_stale_, false)) session_.requestBudget();
  poll_.start();
  sayEmpty();
  // Another book than the one that was asked for starts no recording.
  const auto [awaited, then] = std::exchange(once_open_, {});
  const bool any = !book->rows.empty();
  if (!any) view_.setShown(nullptr);
  if (!any || other || desks_->currentWidget() == empty_page_) setDesk(desk_);
  captures_->setBook(book, other);
  if (any && other) captures_->takeFocus();
  if (then && awaited == book->path) then();
}

void MainWindow::takeShown(const ShownPtr& shown) {
  if (shown->captures.empty() || shown->captures.front()->info.id != captures_->current()) return;
  const CaptureViewPtr& capture = shown->captures.front();
  const bool fresh = !view_.capture() || view_.capture()->info.id != capture->info.id;
  view_.setShown(shown);
  if (fresh && capture->info.interrupted) {
    report(Message::trouble(
        tr("Interrupted: %1. %2 saved.")
            .arg(qs(capture->info.end_reason), qs(duration(capture->info.duration_s())))));
  }
  updateFoot();
}

void MainWindow::report(const Message& message) { message_->say(message); }

QString MainWindow::message() const { return message_->text(); }

QString MainWindow::readOut() const { return foot_->line().text(); }

void MainWindow::updateFoot() {
  auto parts = by_id_.at(desk_)->foot();
  // While a span's figures are on their way the last ones stay.
  if (parts.empty() && view_.span() && desk_ == DeskId::trace) return;
  foot_->line().setParts(std::move(parts));
}

void MainWindow::setUnit(const QString& symbol) {
  const int index = foot_->setUnit(symbol);
  for (const auto& [id, one] : by_id_) one->setUnit(static_cast<ChargeUnit>(index));
  preferences_.unit = foot_->unit();
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
  if (!urls.isEmpty() && urls.first().isLocalFile()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  // Several are logs: of books and plans one is open at a time.
  QStringList files;
  for (const QUrl& url : event->mimeData()->urls()) {
    const QString file = url.toLocalFile();
    if (file.endsWith(QLatin1String(".kuvio")) || file.endsWith(QLatin1String(".toml")))
      return openFile(file);
    if (!file.isEmpty()) files << file;
  }
  if (files.size() == 1) return openFile(files.front());
  if (!files.isEmpty()) importFiles(files);
}

void MainWindow::leave() {
  leaving_ = true;  // whoever asks from outside is not there to answer
  if (!bench_.recording()) {
    close();
    return;
  }
  connect(&bench_, &BenchControl::recordingEnded, this, &MainWindow::close, Qt::QueuedConnection);
  bench_.stop();
}

/// Kuvio switches nothing off by itself, and leaves nothing on without a word.
void MainWindow::askAboutOutput() {
  if (findChild<QMessageBox*>(QStringLiteral("outputOnQuestion"))) return;
  auto* ask = new QMessageBox(QMessageBox::NoIcon, tr("The output is on"),
                              tr("The output is on. Without Kuvio nobody watches it."),
                              QMessageBox::NoButton, this);
  ask->setObjectName(QStringLiteral("outputOnQuestion"));
  ask->setAttribute(Qt::WA_DeleteOnClose);
  QPushButton* off = ask->addButton(tr("Switch off and quit"), QMessageBox::AcceptRole);
  QPushButton* on = ask->addButton(tr("Leave on and quit"), QMessageBox::DestructiveRole);
  QPushButton* stay = ask->addButton(tr("Stay"), QMessageBox::RejectRole);
  off->setObjectName(QStringLiteral("offAndQuit"));
  on->setObjectName(QStringLiteral("onAndQuit"));
  stay->setObjectName(QStringLiteral("stay"));
  ask->setDefaultButton(stay);
  ask->setEscapeButton(stay);
  connect(on, &QPushButton::clicked, this, [this] {
    leaving_ = true;
    close();
  });
  connect(off, &QPushButton::clicked, this, [this] {
    auto* goes = new QObject(this);
    connect(&bench_, &BenchControl::changed, goes, [this, goes] {
      if (bench_.state().output_on) return;
      goes->deleteLater();
      close();
    });
    QTimer::singleShot(kOffWithinMs, goes, [this, goes] {
      goes->deleteLater();
      report(Message::trouble(tr("The output did not go off. Check it before you leave.")));
    });
    bench_.switchOutput(false);
  });
  ask->open();
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (bench_.recording()) {
    report(tr("A recording is running. Stop it before closing; what is recorded is kept."));
    event->ignore();
    return;
  }
  if (bench_.state().output_on && !leaving_) {
    event->ignore();
    askAboutOutput();
    return;
  }
  preferences_.geometry = saveGeometry();
  preferences_.parts_percent = shownPercent();
  preferences_.parts = parts_->saveState();
  preferences_.trace_parts = trace_desk_->saveLayout();
  preferences_.desk = QLatin1String(info(desk_).key);
  keepPreferences();
  event->accept();
}

}  // namespace kuvio::app
