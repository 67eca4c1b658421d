// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/desk/actions.h"
#include "app/desk/desk.h"
#include "app/engine/bench_control.h"
#include "app/engine/example_maker.h"
#include "app/engine/preferences.h"
#include "app/engine/system_color_scheme.h"
#include "app/engine/views_fwd.h"
#include "app/style/theme.h"

#include <QMainWindow>
#include <QStackedWidget>
#include <QTimer>

#include <functional>
#include <map>

class QSplitter;

namespace kuvio::app {

class CapturesPanel;
class EmptyState;
class FindBox;
class FootBar;
class ImportPage;
class MessageRow;
class TopBar;
class TraceDesk;

/// The window on one book: five desks under one bar, the captures to the left of the trace, the
/// read-out, messages and the recording at the foot. It owns what the desks share and
/// wires them together.
class MainWindow : public QMainWindow {
  Q_OBJECT
public:
  explicit MainWindow(Preferences preferences = {}, QWidget* parent = nullptr);
  ~MainWindow() override;

  void openBook(const QString& path, bool create = false);
  /// A book, or a recipe, budget, duty plan or battery for the open one, by its name.
  void openFile(const QString& path);
  /// Shows what text logs are taken to mean, to be imported or not.
  void importFiles(const QStringList& files);
  /// Writes a copy of the open book, also while it is recorded into.
  void copyBook(const QString& to, bool without_deleted = false);
  /// Closes the window; a recording is ended first, as with Stop.
  void leave();
  ViewState& view() { return view_; }
  Session& session() { return session_; }
  BenchControl& bench() { return bench_; }
  Actions& actions() { return actions_; }
  void setTheme(Theme::Kind kind);
  void setDesk(DeskId desk);
  DeskId desk() const { return desk_; }
  /// The sentence at the foot, as plain text.
  QString readOut() const;
  QString message() const;
  /// True once the shown capture's frame is painted and nothing is under way.
  bool settled() const { return settled_; }

signals:
  void ready();

protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void closeEvent(QCloseEvent* event) override;

private:
  void makeDesks();
  void makeBookActions();
  void makeEditActions();
  void makeLookActions();
  void makeHelpActions();
  void answerNeeds();
  void connectSession();
  void connectBench();
  void chooseBook();
  void newBook();
  void bookFor(const std::function<void()>& then);
  void newBookIn(const QString& stem, const QString& said, const std::function<void()>& then);
  void makeImport();
  ImportPage& importPage();
  void chooseImport();
  void runImport(const std::vector<Session::ImportJob>& jobs);
  void reportImported(const std::vector<formats::ImportResult>& made);
  void askAboutOutput();
  void saveCopy(bool without_deleted);
  void fillRecent();
  void takeBook(const BookViewPtr& book);
  void takeShown(const ShownPtr& shown);
  void report(const Message& message);
  void reportRecorded(qint64 capture, bool interrupted, const QString& message);
  void updateFoot();
  void setUnit(const QString& symbol);
  void changeTextSize(int step);
  void changeTimes();
  void sayEmpty();
  void keepPreferences();
  void followSystem();

  Preferences preferences_;
  PreferenceKeeper keeper_;
  Session session_;
  Documents documents_{session_};
  ViewState view_;
  BenchControl bench_;
  Actions actions_;
  ExampleMaker example_;
  SystemColorScheme* system_scheme_ = nullptr;
  TopBar* top_ = nullptr;
  FindBox* find_ = nullptr;
  FootBar* foot_ = nullptr;
  MessageRow* message_ = nullptr;
  CapturesPanel* captures_ = nullptr;
  QSplitter* parts_ = nullptr;
  QStackedWidget* desks_ = nullptr;
  EmptyState* empty_ = nullptr;
  QWidget* empty_page_ = nullptr;  // it, in the area that it scrolls in
  TraceDesk* trace_desk_ = nullptr;
  std::map<DeskId, Desk*> by_id_;
  ImportPage* import_ = nullptr;
  QWidget* import_area_ = nullptr;
  std::map<DeskId, QWidget*> pages_;  // each desk in the area that it scrolls in
  DeskId desk_ = DeskId::trace;
  QString book_path_;
  QTimer poll_;
  std::pair<QString, std::function<void()>> once_open_;  // what waits for which book
  bool settled_ = false, budget_stale_ = false, leaving_ = false;
};

}  // namespace kuvio::app
