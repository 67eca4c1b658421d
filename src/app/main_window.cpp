// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/main_window.h"

#include "core/present.h"

#include <QAction>
#include <QApplication>
#include <QBoxLayout>
#include <QClipboard>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHeaderView>
#include <QMenu>
#include <QMimeData>
#include <QScrollBar>
#include <QSettings>
#include <QSplitter>

#include <cmath>

namespace kuvio::app {
namespace {

QFrame* ruling(QWidget* parent, bool vertical = false) {
  auto* line = new QFrame(parent);
  line->setFrameShape(vertical ? QFrame::VLine : QFrame::HLine);
  line->setFrameShadow(QFrame::Plain);
  line->setForegroundRole(QPalette::Midlight);
  line->setFixedWidth(vertical ? 1 : QWIDGETSIZE_MAX);
  if (!vertical) line->setFixedHeight(1);
  return line;
}

QLabel* heading(const QString& text, QWidget* parent) {
  auto* label = new QLabel(text, parent);
  label->setFont(Theme::baseFont(11, QFont::DemiBold));
  label->setForegroundRole(QPalette::PlaceholderText);
  return label;
}

/// A moment with as many digits as a span of this width can use.
QString moment(double t, double width) {
  const int decimals =
      std::clamp(static_cast<int>(std::ceil(-std::log10(std::max(width, 1e-9)))) + 3, 3, 9);
  return QString::number(t, 'f', decimals);
}

}  // namespace

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent) {
  setWindowTitle(QStringLiteral("Kuvio"));
  setAcceptDrops(true);
  resize(1280, 800);
  auto* centre = new QWidget(this);
  auto* column = new QVBoxLayout(centre);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  column->addWidget(makeTopBar());
  column->addWidget(ruling(centre));
  message_ = new QLabel(centre);
  message_->setObjectName(QStringLiteral("message"));
  message_->setAccessibleName(tr("Message"));
  message_->setWordWrap(true);
  message_->setContentsMargins(20, 8, 20, 8);
  message_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  message_->hide();
  column->addWidget(message_);

  auto* desk = new QWidget(centre);
  auto* row = new QHBoxLayout(desk);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(0);
  auto* parts = new QSplitter(Qt::Horizontal, desk);
  parts->setObjectName(QStringLiteral("parts"));
  parts->setHandleWidth(1);
  parts->addWidget(makeCaptures());
  parts->addWidget(makeMiddle());
  parts->addWidget(makeLog());
  parts->setStretchFactor(1, 1);
  parts->setSizes({190, 852, 238});
  parts->setChildrenCollapsible(false);
  row->addWidget(parts);
  stack_ = new QStackedWidget(centre);
  stack_->addWidget(makeEmpty());
  stack_->addWidget(desk);
  column->addWidget(stack_, 1);
  column->addWidget(ruling(centre));
  column->addWidget(makeFoot());
  setCentralWidget(centre);

  makeActions();
  connectViews();
  const QByteArray layout = QSettings().value(QStringLiteral("window/parts")).toByteArray();
  if (!layout.isEmpty()) parts->restoreState(layout);
  poll_.setInterval(500);
  connect(&poll_, &QTimer::timeout, &session_, &Session::poll);
  updateReadOut();
}

QWidget* MainWindow::makeTopBar() {
  auto* bar = new QWidget(this);
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(20, 6, 20, 6);
  row->setSpacing(16);
  title_ = new QLabel(tr("Trace"), bar);
  title_->setFont(Theme::baseFont(16, QFont::DemiBold));
  row->addWidget(title_);
  row->addStretch(1);
  scale_ = new QPushButton(bar);
  scale_->setObjectName(QStringLiteral("scale"));
  scale_->setFlat(true);
  scale_->setAccessibleName(tr("Scale of the current"));
  row->addWidget(scale_);
  auto* open = new QPushButton(tr("Open book…"), bar);
  open->setObjectName(QStringLiteral("open"));
  open->setAccessibleName(tr("Open book"));
  open->setMinimumWidth(108);
  connect(open, &QPushButton::clicked, this, &MainWindow::chooseBook);
  row->addWidget(open);
  auto* menu = new QPushButton(tr("Menu"), bar);
  menu->setObjectName(QStringLiteral("menu"));
  menu->setAccessibleName(tr("Menu of all actions"));
  menu->setMenu(new QMenu(menu));
  row->addWidget(menu);
  bar->setFixedHeight(46);
  return bar;
}

QWidget* MainWindow::makeCaptures() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 12, 0, 0);
  auto* head = heading(tr("CAPTURES"), box);
  head->setContentsMargins(20, 0, 0, 0);
  column->addWidget(head);
  captures_model_ = new CapturesModel(this);
  captures_ = new QListView(box);
  captures_->setObjectName(QStringLiteral("captures"));
  captures_->setAccessibleName(tr("Captures"));
  captures_->setModel(captures_model_);
  captures_->setItemDelegate(new CaptureDelegate(captures_));
  captures_->setFrameShape(QFrame::NoFrame);
  captures_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  captures_->setResizeMode(QListView::Adjust);
  captures_->setUniformItemSizes(true);
  column->addWidget(captures_);
  box->setMinimumWidth(170);
  return box;
}

QWidget* MainWindow::makeMiddle() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 4, 0, 0);
  column->setSpacing(2);
  overview_ = new Overview(view_, box);
  lane_ = new TraceLane(view_, session_, box);
  fan_ = new FanView(view_, session_, box);
  ledger_model_ = new LedgerModel(this);
  ledger_ = new NotebookTable(QStringLiteral("ledger"), tr("Ledger"), 24, box);
  ledger_->setModel(ledger_model_);
  auto* header = ledger_->horizontalHeader();
  for (int i = 0; i < LedgerModel::Columns; ++i)
    header->setSectionResizeMode(i, QHeaderView::Interactive);
  const int widths[] = {122, 50, 98, 130, 130, 100, 118, 72};
  for (int i = 0; i < LedgerModel::Columns; ++i) ledger_->setColumnWidth(i, widths[i]);
  header->setSectionResizeMode(LedgerModel::Share, QHeaderView::Stretch);
  header->setMinimumSectionSize(44);
  ledger_->setMinimumHeight(120);
  auto* split = new QSplitter(Qt::Vertical, box);
  split->setHandleWidth(5);
  split->setChildrenCollapsible(false);
  auto* upper = new QWidget(split);
  auto* upper_column = new QVBoxLayout(upper);
  upper_column->setContentsMargins(0, 0, 0, 0);
  upper_column->setSpacing(2);
  upper_column->addWidget(overview_);
  upper_column->addWidget(lane_, 1);
  upper_column->addWidget(fan_);
  auto* lower = new QWidget(split);
  auto* lower_column = new QVBoxLayout(lower);
  lower_column->setContentsMargins(12, 0, 8, 0);
  lower_column->setSpacing(0);
  lower_column->addWidget(ruling(lower));
  lower_column->addWidget(ledger_);
  split->addWidget(upper);
  split->addWidget(lower);
  split->setStretchFactor(0, 1);
  split->setSizes({440, 272});
  column->addWidget(split);
  return box;
}

QWidget* MainWindow::makeLog() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(8, 12, 0, 0);
  auto* head = heading(tr("DEVICE LOG"), box);
  head->setContentsMargins(8, 0, 0, 0);
  column->addWidget(head);
  log_model_ = new LogModel(this);
  log_ = new NotebookTable(QStringLiteral("log"), tr("Device log"), 21, box);
  log_->setModel(log_model_);
  log_->horizontalHeader()->hide();
  log_->horizontalHeader()->setStretchLastSection(true);
  log_->setColumnWidth(LogModel::Time, 68);
  column->addWidget(log_);
  log_empty_ = new QLabel(tr("No device log in this capture. Record with a log input to see the "
                             "device's own lines here."),
                          box);
  log_empty_->setWordWrap(true);
  log_empty_->setForegroundRole(QPalette::PlaceholderText);
  log_empty_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  log_empty_->setContentsMargins(8, 4, 8, 0);
  log_empty_->hide();
  column->addWidget(log_empty_, 1);
  box->setMinimumWidth(190);
  return box;
}

QWidget* MainWindow::makeFoot() {
  auto* bar = new QWidget(this);
  auto* row = new QHBoxLayout(bar);
  row->setContentsMargins(20, 0, 20, 0);
  read_out_ = new QLabel(bar);
  read_out_->setObjectName(QStringLiteral("readOut"));
  read_out_->setAccessibleName(tr("Read-out"));
  read_out_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
  row->addWidget(read_out_, 1);
  bar->setFixedHeight(40);
  return bar;
}

QWidget* MainWindow::makeEmpty() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->addStretch(2);
  auto* title = new QLabel(tr("No book is open"), box);
  title->setFont(Theme::baseFont(20, QFont::DemiBold));
  title->setAlignment(Qt::AlignCenter);
  column->addWidget(title);
  empty_text_ = new QLabel(tr("Open a book (*.kuvio), or drop one on this window. To make one from "
                              "the simulated bench:"),
                           box);
  empty_text_->setAlignment(Qt::AlignCenter);
  empty_text_->setForegroundRole(QPalette::PlaceholderText);
  column->addWidget(empty_text_);
  auto* command = new QLabel(QStringLiteral("kuvio-cli demo Satchel.kuvio"), box);
  command->setFont(QFont(QStringLiteral("DejaVu Sans Mono"), 10));
  command->setAlignment(Qt::AlignCenter);
  command->setTextInteractionFlags(Qt::TextSelectableByMouse);
  column->addWidget(command);
  auto* row = new QHBoxLayout;
  auto* open = new QPushButton(tr("Open book…"), box);
  open->setObjectName(QStringLiteral("openEmpty"));
  open->setMinimumWidth(120);
  connect(open, &QPushButton::clicked, this, &MainWindow::chooseBook);
  row->addStretch();
  row->addWidget(open);
  row->addStretch();
  column->addSpacing(12);
  column->addLayout(row);
  column->addStretch(3);
  return box;
}

QAction* MainWindow::addOwnAction(const QString& text, const QKeySequence& keys,
                                  std::function<void()> run) {
  auto* action = new QAction(text, this);
  action->setShortcut(keys);
  connect(action, &QAction::triggered, this, [run = std::move(run)] { run(); });
  addAction(action);
  findChild<QPushButton*>(QStringLiteral("menu"))->menu()->addAction(action);
  return action;
}

void MainWindow::makeActions() {
  QMenu* menu = findChild<QPushButton*>(QStringLiteral("menu"))->menu();
  addOwnAction(tr("Open book…"), QKeySequence::Open, [this] { chooseBook(); });
  addOwnAction(tr("Open recipe…"), QKeySequence(tr("Ctrl+R")), [this] { chooseRecipe(); });
  addOwnAction(tr("Copy read-out"), QKeySequence(tr("Ctrl+Shift+C")),
               [this] { QApplication::clipboard()->setText(read_out_->text()); });
  menu->addSeparator();
  addOwnAction(tr("Show whole capture"), QKeySequence(Qt::Key_Home), [this] { view_.showAll(); });
  addOwnAction(tr("Zoom to span"), QKeySequence(Qt::Key_Z), [this] {
    if (view_.span()) view_.show(view_.span()->first, view_.span()->second);
  });
  addOwnAction(tr("Zoom in"), QKeySequence(Qt::Key_Plus),
               [this] { view_.zoomAt((view_.from() + view_.to()) / 2, 0.5); });
  addOwnAction(tr("Zoom out"), QKeySequence(Qt::Key_Minus),
               [this] { view_.zoomAt((view_.from() + view_.to()) / 2, 2); });
  addOwnAction(tr("View before"), QKeySequence(Qt::ALT | Qt::Key_Left), [this] { view_.back(); });
  addOwnAction(tr("View after"), QKeySequence(Qt::ALT | Qt::Key_Right),
               [this] { view_.forward(); });
  menu->addSeparator();
  addOwnAction(tr("Span begins at the pointer"), QKeySequence(Qt::Key_BracketLeft),
               [this] { markSpanEnd(false); });
  addOwnAction(tr("Span ends at the pointer"), QKeySequence(Qt::Key_BracketRight),
               [this] { markSpanEnd(true); });
  addOwnAction(tr("Clear span"), QKeySequence(Qt::Key_Escape), [this] {
    view_.clearSpan();
    message_->hide();
  });
  addOwnAction(tr("Next visit"), QKeySequence(Qt::CTRL | Qt::Key_Right),
               [this] { view_.stepVisit(1); });
  addOwnAction(tr("Previous visit"), QKeySequence(Qt::CTRL | Qt::Key_Left),
               [this] { view_.stepVisit(-1); });
  menu->addSeparator();
  auto* scale = addOwnAction(tr("Logarithmic current"), QKeySequence(tr("Ctrl+L")), [] {});
  scale->setCheckable(true);
  scale->setChecked(true);
  const auto name = [this](bool log) { scale_->setText(log ? tr("Logarithmic") : tr("Linear")); };
  name(true);
  connect(scale, &QAction::toggled, this, [this, name](bool log) {
    lane_->setLogarithmic(log);
    name(log);
  });
  connect(scale_, &QPushButton::clicked, scale, &QAction::toggle);
  addOwnAction(tr("Fit current to capture"), QKeySequence(Qt::Key_F), [this] {
    lane_->fitValues();
    lane_->replot(QCustomPlot::rpQueuedReplot);
  });
  auto* night = addOwnAction(tr("Night theme"), QKeySequence(tr("Ctrl+Shift+N")), [] {});
  night->setObjectName(QStringLiteral("nightAction"));
  night->setCheckable(true);
  night->setChecked(Theme::current().kind() == Theme::Kind::night);
  connect(night, &QAction::toggled, this,
          [this](bool on) { setTheme(on ? Theme::Kind::night : Theme::Kind::paper); });
}

void MainWindow::connectViews() {
  connect(&session_, &Session::bookOpened, this, &MainWindow::takeBook);
  connect(&session_, &Session::captureReady, this, &MainWindow::takeCapture);
  connect(&session_, &Session::failed, this, &MainWindow::tell);
  connect(&session_, &Session::busyChanged, this, [this](bool busy) {
    if (busy) {
      setCursor(Qt::BusyCursor);
    } else {
      unsetCursor();
    }
  });
  connect(&session_, &Session::spanReady, this, [this](const SpanReadingPtr& reading) {
    reading_ = reading;
    updateReadOut();
  });
  connect(lane_, &TraceLane::framePainted, this, [this] {
    if (settled_) return;
    settled_ = true;
    emit ready();
  });
  connect(captures_->selectionModel(), &QItemSelectionModel::currentChanged, this,
          [this](const QModelIndex& index) {
            const qint64 id = index.data(CapturesModel::IdRole).toLongLong();
            if (!index.isValid() || id == shown_id_) return;
            shown_id_ = id;
            settled_ = false;
            session_.showCapture(id);
          });
  connect(&view_, &ViewState::spanChanged, this, [this] {
    reading_.reset();
    if (view_.span()) session_.wantSpan(view_.span()->first, view_.span()->second);
    updateReadOut();
    followVisit();
  });
  connect(&view_, &ViewState::visitChanged, this, &MainWindow::followVisit);
  connect(&view_, &ViewState::pointedChanged, this, &MainWindow::updateReadOut);
  connect(ledger_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (following_ || !index.isValid()) return;
            const std::string state = ledger_model_->stateOf(index.row());
            if (!state.empty()) view_.pickState(state);
          });
  connect(log_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (following_ || !index.isValid() || !view_.capture()) return;
            const double t = index.data(LogModel::TimeRole).toDouble();
            if (t < view_.from() || t > view_.to()) {
              const double half = (view_.to() - view_.from()) / 2;
              view_.show(t - half, t + half);
            }
            view_.setPointer(t);
            const auto at = visit_at(view_.capture()->visits, t);
            if (at < view_.capture()->visits.size()) view_.pickVisit(static_cast<int>(at));
          });
}

void MainWindow::openBook(const QString& path) {
  settled_ = false;
  shown_id_ = 0;
  message_->hide();
  session_.open(path);
}

void MainWindow::chooseBook() {
  const QString path = QFileDialog::getOpenFileName(
      this, tr("Open book"), QFileInfo(book_path_).absolutePath(), tr("Kuvio books (*.kuvio)"));
  if (!path.isEmpty()) openBook(path);
}

void MainWindow::chooseRecipe() {
  if (!view_.capture()) return;
  const QString path =
      QFileDialog::getOpenFileName(this, tr("Open recipe"), QFileInfo(book_path_).absolutePath(),
                                   tr("State recipes (*.recipe.toml)"));
  if (!path.isEmpty()) session_.applyRecipe(path);
}

void MainWindow::takeBook(const BookViewPtr& book) {
  const bool same = book->path == book_path_;
  book_path_ = book->path;
  setWindowTitle(QStringLiteral("%1 – Kuvio").arg(QFileInfo(book_path_).fileName()));
  title_->setText(QFileInfo(book_path_).completeBaseName());
  captures_model_->setBook(book);
  QSettings().setValue(QStringLiteral("last_book"), QFileInfo(book_path_).absoluteFilePath());
  poll_.start();
  if (book->rows.empty()) {
    shown_id_ = 0;
    view_.setCapture(nullptr);
    stack_->setCurrentIndex(0);
    empty_text_->setText(tr("%1 holds no captures yet. Record one: it appears here as it grows.")
                             .arg(QFileInfo(book_path_).fileName()));
    return;
  }
  stack_->setCurrentIndex(1);
  const int row = same && shown_id_ != 0 ? captures_model_->rowOf(shown_id_) : 0;
  captures_->setCurrentIndex(captures_model_->index(std::max(0, row)));
}

void MainWindow::takeCapture(const CaptureViewPtr& capture) {
  if (capture->info.id != shown_id_) return;  // a late answer to an older wish
  const int row = captures_model_->rowOf(capture->info.id);
  const QColor ink = Theme::current().ink(row >= 0 ? captures_model_->row(row)->ink : 0);
  lane_->setInk(ink);
  overview_->setInk(ink);
  ledger_model_->setCapture(capture);
  log_model_->setCapture(capture);
  log_->setVisible(!capture->log.empty());
  log_empty_->setVisible(capture->log.empty());
  view_.setCapture(capture);
  if (capture->info.interrupted) {
    tell(tr("Interrupted: %1. %2 saved.")
             .arg(QString::fromStdString(capture->info.end_reason),
                  QString::fromStdString(duration(capture->info.duration_s()))));
  } else {
    message_->hide();
  }
  updateReadOut();
}

void MainWindow::tell(const QString& message) {
  QPalette p = message_->palette();
  p.setColor(QPalette::WindowText, Theme::current().accent());
  message_->setPalette(p);
  message_->setText(message);
  message_->show();
}

void MainWindow::markSpanEnd(bool right) {
  if (!view_.pointer()) return;
  const double t = *view_.pointer();
  const double other = view_.span() ? (right ? view_.span()->first : view_.span()->second)
                                    : (right ? view_.from() : view_.to());
  if (right ? t > other : t < other) {
    view_.setSpan(t, other);
  } else {
    view_.setSpan(t, right ? view_.from() : view_.to());
  }
}

/// Brings ledger and log to where the picked visit or the span is.
void MainWindow::followVisit() {
  following_ = true;
  const std::string state = view_.pickedState();
  const int row = ledger_model_->rowOf(state);
  if (row >= 0) {
    ledger_->setCurrentIndex(ledger_model_->index(row, 0));
  } else {
    ledger_->clearSelection();
    ledger_->setCurrentIndex({});
  }
  double from = 1, to = 0;
  if (view_.span()) {
    from = view_.span()->first;
    to = view_.span()->second;
  } else if (view_.visit() != ViewState::kNone) {
    const Visit& v = view_.capture()->visits[static_cast<std::size_t>(view_.visit())].visit;
    from = v.from_s;
    to = v.to_s;
  }
  // A line may be stamped just before the sample that shows what it tells of.
  const double grain = view_.capture() ? 2 * view_.capture()->basis.sample_s : 0;
  log_model_->setInside(from - grain, to);
  if (to > from) {
    const int line = log_model_->firstAt(from - grain);
    if (line < log_model_->rowCount() && !log_->underMouse())
      log_->scrollTo(log_model_->index(line, 0), QAbstractItemView::PositionAtCenter);
  }
  following_ = false;
  updateReadOut();
}

void MainWindow::updateReadOut() {
  const auto& capture = view_.capture();
  if (!capture) {
    read_out_->setText({});
    return;
  }
  const auto sentence = [&](const SpanFigures& s, double u, const QString& lead) {
    const double width = s.duration_s();
    QString text = tr("%1%2 → %3 s (%4): ")
                       .arg(lead, moment(s.from_s, width), moment(s.to_s, width),
                            QString::fromStdString(duration(width)));
    if (!s.mean()) return text + tr("no samples");
    const QString least = s.lower_bound() ? QStringLiteral("≥ ") : QString();
    text += tr("mean %1%2,  %1%3,  peak %1%4")
                .arg(least, QString::fromStdString(with_uncertainty(*s.mean(), u, "A")),
                     QString::fromStdString(with_uncertainty(s.charge, u * s.observed_s, "C")),
                     QString::fromStdString(with_prefix(s.max.value_or(0), "A", 3)));
    if (capture->basis.voltage > 0) {
      text +=
          tr(",  %1 at %2")
              .arg(QString::fromStdString(with_prefix(s.charge * capture->basis.voltage, "J", 3)),
                   QString::fromStdString(with_prefix(capture->basis.voltage, "V", 3)));
    }
    if (s.missing_s > 0)
      text += tr(",  %1 missing").arg(QString::fromStdString(duration(s.missing_s)));
    return text;
  };
  QString text;
  if (view_.span()) {
    if (!reading_) return;  // the figures are on their way; the last sentence stays until then
    text = sentence(reading_->figures, reading_->mean_u, {});
  } else {
    const int index = view_.pointed() != ViewState::kNone ? view_.pointed() : view_.visit();
    if (index != ViewState::kNone && index < static_cast<int>(capture->visits.size())) {
      const VisitFigures& v = capture->visits[static_cast<std::size_t>(index)];
      SpanFigures s;
      s.from_s = v.visit.from_s;
      s.to_s = v.visit.to_s;
      s.observed_s = v.observed_s;
      s.missing_s = v.missing_s;
      s.charge = v.charge;
      s.max = v.peak;
      s.over_range = v.lower_bound ? 1 : 0;
      const double u =
          v.mean ? combine(accuracy_components(capture->basis.accuracy, *v.mean)).U : 0;
      text = sentence(s, u, QString::fromStdString(v.visit.state) + QStringLiteral("  "));
    } else {
      text = tr("%1: %2 from %3, %4 log lines")
                 .arg(QString::fromStdString(capture->info.name),
                      QString::fromStdString(duration(capture->info.duration_s())),
                      QString::fromStdString(
                          capture->channel.input.empty() ? "file" : capture->channel.input))
                 .arg(capture->log.size());
    }
  }
  read_out_->setText(text);
}

void MainWindow::setTheme(Theme::Kind kind) {
  Theme::apply(kind);
  lane_->applyTheme();
  if (view_.capture()) {
    const int row = captures_model_->rowOf(view_.capture()->info.id);
    const QColor ink = Theme::current().ink(row >= 0 ? captures_model_->row(row)->ink : 0);
    lane_->setInk(ink);
    overview_->setInk(ink);
  }
  for (QWidget* w : findChildren<QWidget*>()) w->update();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  const auto urls = event->mimeData()->urls();
  if (urls.size() == 1 && urls.first().isLocalFile()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  const QString path = event->mimeData()->urls().value(0).toLocalFile();
  if (path.endsWith(QStringLiteral(".recipe.toml"))) {
    session_.applyRecipe(path);
  } else {
    openBook(path);
  }
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (auto* parts = findChild<QSplitter*>(QStringLiteral("parts")))
    QSettings().setValue(QStringLiteral("window/parts"), parts->saveState());
  event->accept();
}

}  // namespace kuvio::app
