// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/captures_list.h"
#include "app/fan_view.h"
#include "app/overview.h"
#include "app/tables.h"
#include "app/theme.h"
#include "app/trace_lane.h"

#include <QLabel>
#include <QMainWindow>
#include <QPushButton>
#include <QStackedWidget>
#include <QTimer>

namespace kuvio::app {

/// The window on one book: captures to the left, trace, fan and ledger in the middle, the device
/// log to the right, the read-out line at the foot. It wires the views together and holds the
/// actions; what is looked at is in ViewState.
class MainWindow : public QMainWindow {
  Q_OBJECT
public:
  explicit MainWindow(QWidget* parent = nullptr);

  void openBook(const QString& path);
  ViewState& view() { return view_; }
  Session& session() { return session_; }
  void setTheme(Theme::Kind kind);
  /// The sentence at the foot, as plain text.
  QString readOut() const { return read_out_->text(); }
  /// True once the shown capture's frame is painted and nothing is under way.
  bool settled() const { return settled_; }

signals:
  void ready();

protected:
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void closeEvent(QCloseEvent* event) override;

private:
  QWidget* makeTopBar();
  QWidget* makeCaptures();
  QWidget* makeMiddle();
  QWidget* makeLog();
  QWidget* makeFoot();
  QWidget* makeEmpty();
  void makeActions();
  QAction* addOwnAction(const QString& text, const QKeySequence& keys, std::function<void()> run);
  void connectViews();
  void chooseBook();
  void chooseRecipe();
  void takeBook(const BookViewPtr& book);
  void takeCapture(const CaptureViewPtr& capture);
  void tell(const QString& message);
  void updateReadOut();
  void followVisit();
  void markSpanEnd(bool right);

  Session session_;
  ViewState view_;
  CapturesModel* captures_model_ = nullptr;
  QListView* captures_ = nullptr;
  QStackedWidget* stack_ = nullptr;
  QLabel* title_ = nullptr;
  QLabel* message_ = nullptr;
  QLabel* empty_text_ = nullptr;
  QLabel* read_out_ = nullptr;
  QPushButton* scale_ = nullptr;
  Overview* overview_ = nullptr;
  TraceLane* lane_ = nullptr;
  FanView* fan_ = nullptr;
  LedgerModel* ledger_model_ = nullptr;
  NotebookTable* ledger_ = nullptr;
  LogModel* log_model_ = nullptr;
  NotebookTable* log_ = nullptr;
  QLabel* log_empty_ = nullptr;
  QTimer poll_;
  SpanReadingPtr reading_;
  qint64 shown_id_ = 0;
  bool settled_ = false, following_ = false;
  QString book_path_;
};

}  // namespace kuvio::app
