// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/bench_desk.h"

#include "acquire/input_track.h"
#include "app/bench/bench_console.h"
#include "app/bench/listener_drawer.h"
#include "app/bench/paper_view.h"
#include "app/bench/progress_sheet.h"
#include "app/bench/source_drawer.h"
#include "app/bench/stamps.h"
#include "app/bench/station_drawers.h"
#include "app/engine/text.h"
#include "app/style/cut_label.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "core/budget.h"
#include "core/error.h"
#include "core/number_text.h"
#include "formats/project_files.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMenu>
#include <QScrollArea>
#include <QStackedWidget>
#include <QTabBar>
#include <QTime>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

constexpr Px kWide{1200};       // px from which the console has a column of its own
constexpr Px kConsole{270};     // px
constexpr Px kDrawer{148};      // px at most
constexpr Px kPaperLeast{110};  // px: under that the drawer takes the paper's place

QString bytes(double n) {
  return n >= 1e9   ? QStringLiteral("%1 GB").arg(n / 1e9, 0, 'f', n >= 1e10 ? 0 : 1)
         : n >= 1e6 ? QStringLiteral("%1 MB").arg(n / 1e6, 0, 'f', 0)
                    : QStringLiteral("%1 kB").arg(n / 1e3, 0, 'f', 0);
}

}  // namespace

BenchDesk::BenchDesk(const Context& context, Preferences& preferences, QWidget* parent)
    : Desk(parent), context_(context), preferences_(preferences) {
  setObjectName(QStringLiteral("benchDesk"));
  wanted_.output = preferences_.output_address;
  wanted_.log = preferences_.log_address;
  wanted_.profile = preferences_.profile;
  for (const QString& other :
       preferences_.other_addresses.split(QLatin1Char(','), Qt::SkipEmptyParts))
    wanted_.others << other.trimmed();
  makePage();
  makeActions();
  connectBench();
  connectDrawers();
  source_->setAddress(wanted_.output);
  source_->setProfile(wanted_.profile);
  path_->setShunts(PathDrawer::parsed(preferences_.shunts));
  std::map<std::string, std::string> conditions;
  for (const QString& one : preferences_.conditions) {
    const auto equals = one.indexOf(QLatin1Char('='));
    if (equals > 0) conditions[one.left(equals).toStdString()] = one.mid(equals + 1).toStdString();
  }
  device_->setConditions(conditions);
  refresh();
}

/// Wire, drawer, paper and run sheet under each other; the console beside them, where there is
/// room.
void BenchDesk::makePage() {
  auto* page = new QHBoxLayout(this);
  page->setContentsMargins(16, 10, 16, 10);
  page->setSpacing(18);
  auto* column = new QVBoxLayout;
  column->setSpacing(8);
  column->addWidget(makeTop());
  column->addWidget(makeDrawer());
  tabs_ = new QTabBar(this);
  tabs_->setObjectName(QStringLiteral("paperOrConsole"));
  tabs_->addTab(tr("Paper"));
  tabs_->addTab(tr("Console"));
  tabs_->setExpanding(false);
  tabs_->setDrawBase(false);
  connect(tabs_, &QTabBar::currentChanged, this, &BenchDesk::arrange);
  column->addWidget(tabs_);
  middle_ = new QHBoxLayout;
  paper_ = new PaperView(context_.bench, this);
  console_ = new BenchConsole(this);
  middle_->addWidget(paper_, 1);
  column->addLayout(middle_, 1);
  column->addWidget(makeFoot());
  page->addLayout(column, 1);
  page->addWidget(console_);
}

QWidget* BenchDesk::makeTop() {
  auto* top = new QWidget(this);
  auto* row = new QHBoxLayout(top);
  row->setContentsMargins(0, 0, 0, 0);
  row->setSpacing(4);
  auto* left = new QVBoxLayout;
  left->setContentsMargins(0, 6, 0, 0);
  setup_ = button(tr("Set-up"), QStringLiteral("setup"), top);
  setup_->setMenu(makeSetupMenu());
  connect_all_ = button(tr("Connect all"), QStringLiteral("connectAll"), top);
  connect(connect_all_, &QPushButton::clicked, this, &BenchDesk::connectAll);
  left->addWidget(setup_);
  left->addWidget(connect_all_);
  left->addStretch(1);
  row->addLayout(left);
  wire_ = new WireView(top);
  row->addWidget(wire_, 1);
  connect(wire_, &WireView::stationPressed, this,
          [this](const QString& id) { openDrawer(id == open_ ? QString() : id); });
  connect(wire_, &WireView::switchPressed, this, &BenchDesk::switchOutput);
  connect(wire_, &WireView::againPressed, this, [this] { context_.bench.tryAgain(); });
  return top;
}

QWidget* BenchDesk::makeDrawer() {
  drawer_ = new QWidget(this);
  drawer_->setObjectName(QStringLiteral("drawer"));
  auto* column = new QVBoxLayout(drawer_);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  auto* head = new QHBoxLayout;
  drawer_title_ = new CutLabel(QStringLiteral("drawerTitle"), drawer_);
  drawer_title_->setAccessibleName(tr("Which drawer is open"));
  auto* close = button(tr("Close (Esc)"), QStringLiteral("closeDrawer"), drawer_);
  close->setFlat(true);
  connect(close, &QPushButton::clicked, this, [this] { openDrawer({}); });
  head->addWidget(drawer_title_, 1);
  head->addWidget(close);
  column->addWidget(ruling(drawer_));
  column->addLayout(head);
  stack_ = new QStackedWidget(drawer_);
  auto* area = scroll_area(stack_, drawer_);
  area->setFixedHeight(kDrawer);
  column->addWidget(area);
  column->addWidget(ruling(drawer_));
  source_ = new SourceDrawer({}, true, context_.bench, stack_);
  path_ = new PathDrawer(context_.bench, stack_);
  device_ = new DeviceDrawer(context_.bench, stack_);
  logic_ = new ListenerDrawer(ListenerDrawer::What::logic, {}, context_.bench, stack_);
  plug_ = new PlugDrawer(context_.bench, preferences_, stack_);
  for (DrawerPage* page :
       std::initializer_list<DrawerPage*>{source_, path_, device_, logic_, plug_})
    stack_->addWidget(page);
  drawer_->hide();
  return drawer_;
}

QWidget* BenchDesk::makeFoot() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  sheet_or_progress_ = new QStackedWidget(box);
  sheet_ = new RunSheet(context_.bench, sheet_or_progress_);
  progress_ = new ProgressSheet(context_.bench, sheet_or_progress_);
  sheet_or_progress_->addWidget(sheet_);
  sheet_or_progress_->addWidget(progress_);
  sheet_or_progress_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
  column->addWidget(sheet_or_progress_);
  auto* row = new QHBoxLayout;
  row->setSpacing(12);
  stamps_ = new Stamps(context_.bench, box);
  row->addWidget(stamps_);
  where_ = remark({}, box);
  where_->setObjectName(QStringLiteral("benchRoom"));
  where_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  row->addWidget(where_, 1);
  column->addLayout(row);
  connect(sheet_, &RunSheet::pressed, this, &BenchDesk::record);
  connect(sheet_, &RunSheet::buildChanged, this, &BenchDesk::refresh);
  connect(progress_, &ProgressSheet::markRequested, this, &BenchDesk::markNow);
  connect(stamps_, &Stamps::zeroRequested, this,
          [this] { openDrawer(QStringLiteral("source:") + source_->output()); });
  return box;
}

void BenchDesk::connectBench() {
  BenchControl& bench = context_.bench;
  connect(&bench, &BenchControl::changed, this, &BenchDesk::refresh);
  connect(&bench, &BenchControl::connected, this, &BenchDesk::noteConnected);
  connect(&bench, &BenchControl::line, this, &BenchDesk::noteLine);
  connect(console_, &BenchConsole::lineEntered, this, &BenchDesk::sendLine);
  connect(&bench, &BenchControl::zeroed, this, [this](bool good, const QString& text) {
    if (good) stamps_->tickZeroed();
    emit messageReported(good ? Message::done(tr("Zeroed: %1.").arg(text))
                              : Message::trouble(text + QLatin1Char('.')));
  });
  connect(&bench, &BenchControl::settingsRefused, this, [this] {
    for (const WireLine& line : wire_->plan().lines) sourceOf(line.output)->showSettings();
  });
  connect(&bench, &BenchControl::setupRead, this, &BenchDesk::takeSetup);
  connect(&bench, &BenchControl::setupSaved, this, [this](const QString& file) {
    rememberSetup(file);
    emit messageReported(Message::done(tr("Set-up saved to %1.").arg(file)));
  });
  connect(&bench, &BenchControl::profileTried, this, &BenchDesk::showTried);
  connect(&bench, &BenchControl::recordingEnded, this,
          [this] { sheet_->proposeBuild(sheet_->build()); });
  connect(&context_.session, &Session::bookOpened, this, &BenchDesk::refresh);
  connect(paper_, &PaperView::spanChanged, this, &BenchDesk::footChanged);
  connect(paper_, &PaperView::timesClicked, this, [this] {
    if (QAction* times = context_.actions.find(QStringLiteral("timesInSeconds"))) times->trigger();
  });
  connect(paper_, &PaperView::limitProposed, this, [this](double amperes) {
    openDrawer(QStringLiteral("source:") + source_->output());
    source_->proposeLimit(amperes);
  });
}

/// Where it was found, and what it is set to, once it is there.
void BenchDesk::noteConnected() {
  wanted_ = context_.bench.wiring();
  source_->setAddress(wanted_.output);
  stamps_->blankAll();
  recallCeilings();
  if (!context_.bench.simulated()) keepWiring();
  refresh();
}

void BenchDesk::enter() {
  refresh();
  // Nothing was ever connected: what could be is the first thing to know.
  const bool nothing = wanted_.output.isEmpty() && wanted_.others.isEmpty();
  if (nothing && context_.bench.state().phase == BenchState::Phase::none && open_.isEmpty())
    openDrawer(QStringLiteral("add"));
}

void BenchDesk::applyTheme() {
  paper_->update();
  wire_->update();
}

WirePlan BenchDesk::plan() const {
  const BenchControl& bench = context_.bench;
  WireFacts f{bench.state(),
              wanted_,
              path_->shunts(),
              sheet_->build(),
              device_->board(),
              {},
              {},
              logic_->logic(),
              bench.lastLineAgo(),
              bench.timeScale(),
              bench.simulated(),
              silent_since_,
              peak_};
  for (const acquire::OutputState& o : bench.state().output.set) {
    f.ceilings[o.name] = bench.ceiling(qs(o.name));
    const auto page = pages_.find(QStringLiteral("source:") + qs(o.name));
    const auto* source = qs(o.name) == source_->output() ? source_
                         : page == pages_.end()          ? nullptr
                                                         : static_cast<SourceDrawer*>(page->second);
    if (source && !source->pencil().isEmpty()) f.pencils[o.name] = source->pencil();
  }
  return wire_plan(f);
}

/// What the book's budget allows the device to take at most. One that cannot be read says so on its
/// own desk.
void BenchDesk::readBudget() {
  const book::Document* budget = context_.documents.find(DocumentKind::budget);
  const std::string text = budget ? budget->text : std::string();
  if (text == budget_text_) return;
  budget_text_ = text;
  peak_.reset();
  if (!budget) return;
  const auto find = [&](DocumentKind kind, const std::string& name) -> std::string {
    if (const book::Document* named = context_.documents.find(kind)) return named->text;
    throw Error(Failure::no_input, "not in the book", name, "");
  };
  try {
    peak_ = allowed_peak(formats::parse_budget(budget->text, budget->name, find));
  } catch (const std::exception&) {
    peak_.reset();
  }
}

void BenchDesk::refresh() {
  const BenchState& s = context_.bench.state();
  readBudget();
  using Phase = BenchState::Phase;
  const bool silent = s.phase == Phase::lost || (s.phase == Phase::ready && s.output.silent_s > 2);
  if (!silent) silent_since_.clear();
  if (silent && silent_since_.isEmpty())
    silent_since_ = QTime::currentTime().toString(QStringLiteral("HH:mm:ss"));
  // The first output's name is known once it is there.
  if (!s.output.set.empty() && source_->output() != qs(s.output.set.front().name)) {
    source_->setOutput(qs(s.output.set.front().name));
  }
  source_->followSettings();
  for (const auto& [id, page] : pages_) {
    if (auto* source = qobject_cast<SourceDrawer*>(page)) source->followSettings();
  }
  wire_->show(plan());
  if (auto* page = qobject_cast<DrawerPage*>(stack_->currentWidget()); page && drawer_->isVisible())
    page->refresh();
  const bool recording = s.phase == Phase::recording;
  connect_all_->setVisible(s.phase == Phase::none &&
                           (!wanted_.output.isEmpty() || !wanted_.others.isEmpty()));
  sheet_->refresh();
  progress_->refresh();
  sheet_or_progress_->setCurrentIndex(recording ? 1 : 0);
  stamps_->refresh();
  const int tall = sheet_or_progress_->sizeHint().height();
  if (tall != std::exchange(sheet_height_, tall)) arrange();
  const acquire::OutputState* first = s.output.set.empty() ? nullptr : &s.output.set.front();
  paper_->setLimit(
      first && first->current_limit > 0 ? std::optional(first->current_limit) : std::nullopt,
      first && first->cut_off);
  paper_->refresh();
  where_->setText(roomText());
  emit footChanged();
}

/// Into which book, and how long a recording could be.
QString BenchDesk::roomText() const {
  const BenchState& s = context_.bench.state();
  QString book = context_.session.path().isEmpty()
                     ? tr("into a new book in Documents")
                     : tr("into %1").arg(file_name(context_.session.path()));
  if (!s.disk_free || s.phase == BenchState::Phase::recording) return book;
  const double rate =
      sheet_->rateHz() * acquire::stored_bytes({}, true) * (source_->recordsVoltage() ? 2 : 1);
  const double free = static_cast<double>(*s.disk_free);
  return tr("%1 · %2 free, enough for %3")
      .arg(book, bytes(free), qs(duration(free / std::max(rate, 1.0))));
}

std::vector<FootPart> BenchDesk::foot() const {
  if (const QString span = paper_->spanText(); !span.isEmpty()) return {{span, {}}};
  const BenchState& s = context_.bench.state();
  if (s.phase == BenchState::Phase::recording)
    return {{tr("Recording %1 into %2").arg(qs(s.name), file_name(context_.session.path())), {}}};
  if (s.phase == BenchState::Phase::none) return {{tr("Nothing connected"), {}}};
  QStringList words;
  for (const WireLine& line : wire_->plan().lines) {
    const bool on = line.drawing == WireLine::Drawing::on;
    words << (line.drawing == WireLine::Drawing::on || line.drawing == WireLine::Drawing::off
                  ? tr("%1: %2").arg(line.source.title, on ? tr("on") : tr("off"))
                  : line.source.title);
  }
  return {{words.join(QStringLiteral("; ")), {}}};
}

void BenchDesk::resizeEvent(QResizeEvent* event) {
  Desk::resizeEvent(event);
  arrange();
}

/// The console has a column where there is room for it, else it shares the paper's place; a drawer
/// that would leave the paper too little takes its place until Esc.
void BenchDesk::arrange() {
  const bool wide = width() >= kWide;
  tabs_->setVisible(!wide);
  const bool console = wide || tabs_->currentIndex() == 1;
  auto* page = static_cast<QHBoxLayout*>(layout());
  if (wide && page->indexOf(console_) < 0) {
    middle_->removeWidget(console_);
    page->addWidget(console_);
  } else if (!wide && middle_->indexOf(console_) < 0) {
    page->removeWidget(console_);
    middle_->addWidget(console_, 1);
  }
  console_->setFixedWidth(wide ? kConsole : QWIDGETSIZE_MAX);
  if (!wide) console_->setMinimumWidth(0);
  console_->setVisible(console);
  const bool open = !open_.isEmpty();
  int seen = height();  // of a desk that scrolls, what is in sight
  for (const QWidget* around = parentWidget(); around; around = around->parentWidget())
    seen = std::min(seen, around->height());
  const int others = wire_->height() + sheet_or_progress_->sizeHint().height() + kDrawer + 120 +
                     (wide ? 0 : tabs_->sizeHint().height());
  const int left = is_cramped() ? int{kPaperLeast} : seen - others;
  paper_->setVisible((wide || tabs_->currentIndex() == 0) && (!open || left >= kPaperLeast));
}

/// Esc closes the drawer, then clears the span; a field in pencil has taken it back before.
void BenchDesk::keyPressEvent(QKeyEvent* event) {
  if (event->key() != Qt::Key_Escape) return Desk::keyPressEvent(event);
  if (!open_.isEmpty()) return openDrawer({});
  paper_->clearSpan();
}

}  // namespace kuvio::app
