// SPDX-License-Identifier: GPL-3.0-or-later
// The window's own actions: book, edit, look.

#include "app/engine/book_view.h"
#include "app/engine/places.h"
#include "app/engine/text.h"
#include "app/engine/time_notation.h"
#include "app/shell/find_box.h"
#include "app/shell/foot_bar.h"
#include "app/shell/gesture_sheet.h"
#include "app/shell/main_window.h"
#include "app/style/widgets.h"
#include "app/trace/trace_desk.h"

#include <QActionGroup>
#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>

#include <algorithm>

namespace kuvio::app {
namespace {
constexpr int kTextStep = 25, kTextMost = 200;  // % of text as designed
}

void MainWindow::makeBookActions() {
  actions_.add(QStringLiteral("newBook"), tr("New book…"), QKeySequence::New,
               [this] { newBook(); });
  actions_.add(QStringLiteral("openBook"), tr("Open book…"), QKeySequence::Open,
               [this] { chooseBook(); });
  actions_.add(QStringLiteral("copyBook"), tr("Save a copy…"), QKeySequence(tr("Ctrl+Shift+S")),
               [this] { saveCopy(false); });
  actions_.add(QStringLiteral("copyWithoutDeleted"), tr("Save a copy without deleted captures…"),
               {}, [this] { saveCopy(true); });
  QAction* recent =
      actions_.add(QStringLiteral("recent"), tr("Recent"), {}, [this] { fillRecent(); });
  recent->setMenu(new QMenu(this));
  connect(recent->menu(), &QMenu::aboutToShow, this, &MainWindow::fillRecent);
  actions_.add(QStringLiteral("example"), tr("Look at an example"), {},
               [this] { example_.make(ExampleMaker::usualPlace()); });
  actions_.add(QStringLiteral("quit"), tr("Quit"), QKeySequence(tr("Ctrl+Q")), [this] { close(); });
}

void MainWindow::makeEditActions() {
  QUndoStack* history = session_.history();
  QAction* undo = actions_.add(QStringLiteral("undo"), tr("Undo"), QKeySequence::Undo,
                               [history] { history->undo(); });
  QAction* redo = actions_.add(QStringLiteral("redo"), tr("Redo"), QKeySequence(tr("Ctrl+Shift+Z")),
                               [history] { history->redo(); });
  connect(history, &QUndoStack::undoTextChanged, undo, [undo](const QString& text) {
    undo->setText(text.isEmpty() ? tr("Undo") : tr("Undo: %1").arg(text));
  });
  connect(history, &QUndoStack::redoTextChanged, redo, [redo](const QString& text) {
    redo->setText(text.isEmpty() ? tr("Redo") : tr("Redo: %1").arg(text));
  });
  actions_.add(QStringLiteral("find"), tr("Find an action…"), QKeySequence(tr("Ctrl+K")),
               [this] { find_->open(); });
  actions_.add(QStringLiteral("copyReadOut"), tr("Copy read-out"), QKeySequence(tr("Ctrl+Shift+C")),
               [this] { QApplication::clipboard()->setText(foot_->line().text()); });
}

void MainWindow::makeLookActions() {
  int n = 0;
  for (const DeskInfo& desk : all_desks()) {
    actions_.add(QStringLiteral("go") + QLatin1String(desk.key), tr("%1 desk").arg(desk.name()),
                 QKeySequence(Qt::CTRL | static_cast<Qt::Key>(Qt::Key_1 + n++)),
                 [this, id = desk.id] { setDesk(id); });
  }
  auto* group = new QActionGroup(this);
  const auto look = [&](const char* id, const QString& text, Preferences::Look which) {
    QAction* a = actions_.add(QLatin1String(id), text, {}, [this, which] {
      preferences_.look = which;
      if (which != Preferences::Look::system) {
        setTheme(which == Preferences::Look::night ? Theme::Kind::night : Theme::Kind::paper);
      } else {
        delete system_scheme_;
        system_scheme_ = nullptr;
        followSystem();
      }
      keepPreferences();
    });
    a->setCheckable(true);
    a->setChecked(preferences_.look == which);
    group->addAction(a);
  };
  look("lookSystem", tr("System theme"), Preferences::Look::system);
  look("lookPaper", tr("Paper (light)"), Preferences::Look::paper);
  look("lookNight", tr("Night (dark)"), Preferences::Look::night);
  const auto text = [&](const char* id, const QString& title, int step) {
    actions_.add(QLatin1String(id), title, {}, [this, step] { changeTextSize(step); });
  };
  text("textLarger", tr("Larger text"), kTextStep);
  text("textSmaller", tr("Smaller text"), -kTextStep);
  actions_.add(QStringLiteral("nextUnit"), tr("Next charge unit"), QKeySequence(tr("Ctrl+E")),
               [this] { setUnit(foot_->nextUnit()); });
  QAction* times = actions_.add(QStringLiteral("timesInSeconds"), tr("Times in seconds"),
                                QKeySequence(tr("Ctrl+Alt+T")), [this] { changeTimes(); });
  times->setCheckable(true);
  times->setChecked(preferences_.times_in_seconds);
  followSystem();
}

void MainWindow::makeHelpActions() {
  actions_.add(QStringLiteral("gestures"), tr("Keys and gestures"), QKeySequence(Qt::Key_F1),
               [this] {
                 if (auto* open = findChild<GestureSheet*>()) return open->raise();
                 (new GestureSheet(actions_, this))->show();
               });
  actions_.add(QStringLiteral("about"), tr("About Kuvio"), {}, [this] {
    QMessageBox::about(
        this, tr("About Kuvio"),
        tr("Kuvio %1\n\nCurrent waveforms, operating states, the charge of each, and what it means "
           "for the battery.\n\nFree software under the GNU General Public License, version 3 or "
           "later. A book is one SQLite file; its tables are documented.")
            .arg(QApplication::applicationVersion()));
  });
}

/// What the window can say of what actions need; the desks say the rest.
void MainWindow::answerNeeds() {
  const auto book = [this](auto ask) {
    return [this, ask] { return session_.book() && ask(*session_.book()); };
  };
  const auto phase = [this](auto ask) { return [this, ask] { return ask(bench_.state().phase); }; };
  using Phase = BenchState::Phase;
  actions_.answer(Needs::undo, [this] { return session_.history()->canUndo(); });
  actions_.answer(Needs::redo, [this] { return session_.history()->canRedo(); });
  actions_.answer(Needs::book, book([](const BookView&) { return true; }));
  actions_.answer(Needs::more_captures, book([](const BookView& b) { return b.rows.size() > 1; }));
  actions_.answer(Needs::deleted, book([](const BookView& b) { return b.deleted > 0; }));
  actions_.answer(Needs::recording, [this] { return bench_.recording(); });
  actions_.answer(Needs::no_recording, [this] { return !bench_.recording(); });
  actions_.answer(Needs::connected,
                  phase([](Phase p) { return p == Phase::ready || p == Phase::recording; }));
  // Also while a link is lost: what may be on can be asked to go off.
  actions_.answer(Needs::output, [this] {
    return bench_.state().phase != Phase::none && bench_.state().output.has_output;
  });
}

/// What is laid out keeps the size it was laid out for: the next window has the new one.
void MainWindow::changeTextSize(int step) {
  const int wanted = std::clamp(preferences_.text_percent + step, 100, kTextMost);
  if (wanted == preferences_.text_percent)
    return report(step > 0 ? tr("Text cannot be larger than %1 %.").arg(wanted)
                           : tr("Text cannot be smaller than %1 %.").arg(wanted));
  preferences_.text_percent = wanted;
  keepPreferences();
  report(Message::done(tr("Text will be %1 % when Kuvio starts again.").arg(wanted)));
}

/// One way of writing moments everywhere.
void MainWindow::changeTimes() {
  preferences_.times_in_seconds = !preferences_.times_in_seconds;
  set_time_notation(preferences_.times_in_seconds ? TimeNotation::seconds : TimeNotation::clock);
  if (QAction* a = actions_.find(QStringLiteral("timesInSeconds")))
    a->setChecked(preferences_.times_in_seconds);
  for (const auto& [id, one] : by_id_) one->applyTheme();
  for (QWidget* w : findChildren<QWidget*>()) w->update();
  updateFoot();
  keepPreferences();
}

void MainWindow::followSystem() {
  if (preferences_.look != Preferences::Look::system) return;
  system_scheme_ = new SystemColorScheme(QDBusConnection::sessionBus(), this);
  connect(system_scheme_, &SystemColorScheme::changed, this, [this](bool dark) {
    if (preferences_.look == Preferences::Look::system)
      setTheme(dark ? Theme::Kind::night : Theme::Kind::paper);
  });
}

void MainWindow::chooseBook() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open book"),
                                                    book_path_.section(QLatin1Char('/'), 0, -2),
                                                    tr("Kuvio books (*.kuvio)"));
  if (!path.isEmpty()) openBook(path);
}

void MainWindow::newBook() {
  QString path = QFileDialog::getSaveFileName(this, tr("New book"), tr("Investigation.kuvio"),
                                              tr("Kuvio books (*.kuvio)"), nullptr,
                                              QFileDialog::DontConfirmOverwrite);
  if (path.isEmpty()) return;
  if (!path.endsWith(QStringLiteral(".kuvio"))) path += QStringLiteral(".kuvio");
  openBook(path, true);
}

/// A book in the user's documents for what is to be recorded, named after the bench.
void MainWindow::bookFor(const std::function<void()>& then) {
  newBookIn(bench_.simulated() ? tr("Simulated bench") : tr("Bench"),
            tr("Recording into %1, a new book."), then);
}

/// A book of a name that is not taken yet, in the user's documents; `then` once it is open.
void MainWindow::newBookIn(const QString& stem, const QString& said,
                           const std::function<void()>& then) {
  const QString folder = documents_folder();
  QString path;
  for (int number = 1; path.isEmpty() || QFileInfo::exists(path); ++number) {
    path = QStringLiteral("%1/%2%3.kuvio")
               .arg(folder, stem, number == 1 ? QString() : QStringLiteral(" %1").arg(number));
  }
  once_open_ = {path, [this, then, path, said] {
                  report(said.arg(path));
                  then();
                }};
  session_.open(path, true);
}

/// Also while it is recorded into: the copy is the book as it is at that moment, in one file.
void MainWindow::saveCopy(bool without_deleted) {
  if (!session_.book()) return report(tr("No book is open."));
  QString to =
      QFileDialog::getSaveFileName(this, tr("Save a copy"), {}, tr("Kuvio books (*.kuvio)"),
                                   nullptr, QFileDialog::DontConfirmOverwrite);
  if (to.isEmpty()) return;
  if (!to.endsWith(QStringLiteral(".kuvio"))) to += QStringLiteral(".kuvio");
  copyBook(to, without_deleted);
}

void MainWindow::copyBook(const QString& to, bool without_deleted) {
  session_.copyBook(to, without_deleted,
                    [this, to] { report(Message::done(tr("Copied to %1").arg(to))); });
}

void MainWindow::fillRecent() {
  QMenu* menu = actions_.find(QStringLiteral("recent"))->menu();
  menu->clear();
  for (const QString& path : preferences_.recent) {
    QAction* one = menu->addAction(path);
    connect(one, &QAction::triggered, this, [this, path] { openBook(path); });
  }
  if (preferences_.recent.isEmpty()) menu->addAction(tr("None yet"))->setEnabled(false);
}

}  // namespace kuvio::app
