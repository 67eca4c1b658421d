// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/lifetime_desk.h"

#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "book/notes.h"
#include "core/lifetime.h"
#include "core/quantity.h"
#include "core/time_units.h"
#include "formats/phrases.h"
#include "formats/project_edits.h"
#include "formats/project_files.h"
#include "formats/project_text.h"

#include <QFileDialog>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

/// Self-discharge as a share per year, as people write it.
double yearly(double k) { return 1 - std::exp(-k * kYear); }

/// What both lives rest on, and what decides them.
QString rests_on(const LifeView& view) {
  const auto lines = [](const std::vector<std::string>& remarks) {
    QStringList out;
    for (const std::string& line : remarks) out << qs(line);
    return out.join(QStringLiteral("; "));
  };
  QStringList out;
  for (const std::string& line : view.old_edges) out << qs(line);
  const QString captured = lines(view.as_captured.remarks),
                scenario = lines(view.as_scenario.remarks);
  if (!captured.isEmpty() && captured == scenario) {
    out << QObject::tr("Either: %1").arg(captured);
  } else {
    if (!captured.isEmpty()) out << QObject::tr("As captured: %1").arg(captured);
    if (!scenario.isEmpty()) out << QObject::tr("Scenario: %1").arg(scenario);
  }
  return out.isEmpty() ? QString() : out.join(QStringLiteral(". ")) + QLatin1Char('.');
}

QString interval_of(const study::LifeFigures& f) {
  // What bounds a life from above bounds its current from below.
  const Bounds of_mean{f.interval.bounds.upper, f.interval.bounds.lower};
  return QObject::tr("%1, at %2")
      .arg(qs(formats::life_range(f.low, f.high)),
           qs(formats::bounds_mark(of_mean) + with_uncertainty(f.mean, f.mean_u, "A")));
}

/// Data sheets speak of mAh.
QString mah(double coulombs) { return QObject::tr("%1 mAh").arg(coulombs / 3.6, 0, 'g', 6); }

}  // namespace

LifetimeDesk::LifetimeDesk(const Context& context, QWidget* parent)
    : Desk(parent), context_(context) {
  setObjectName(QStringLiteral("lifetimeDesk"));
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  stack_ = new QStackedWidget(this);
  outer->addWidget(stack_);
  empty_ = new EmptyState(QStringLiteral("lifetimeEmpty"), this);
  stack_->addWidget(empty_);
  auto* page = new QWidget(this);
  stack_->addWidget(page);
  auto* row = beside_or_below(page);
  row->setContentsMargins(24, 16, 24, 12);
  row->setSpacing(32);
  row->addWidget(makeFigures(page), 5);
  pictures_ = new LifePictures(page);
  row->addWidget(pictures_, 6);
  makeActions();
  connect(pictures_, &LifePictures::activityChosen, this, &LifetimeDesk::ask);
  connect(pictures_, &LifePictures::intervalDragged, this,
          [this](double interval_s) { putInterval(view_->activity, interval_s); });
  connect(&context_.session, &Session::bookOpened, this, &LifetimeDesk::takeBook);
  connect(&context_.session, &Session::lifeReady, this, &LifetimeDesk::take);
  takeBook();
}

QWidget* LifetimeDesk::makeFigures(QWidget* parent) {
  auto* box = new QWidget(parent);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(4);
  auto* top = new QHBoxLayout;
  capture_ = new QComboBox(box);
  capture_->setObjectName(QStringLiteral("lifeCapture"));
  capture_->setAccessibleName(tr("Capture used for the lifetime"));
  capture_->setMinimumWidth(Px{130});
  top->addWidget(heading(tr("FROM"), box));
  top->addWidget(capture_);
  top->addStretch(1);
  column->addLayout(top);
  column->addSpacing(6);
  makeLives(box, column);
  grid_ = new QGridLayout;
  grid_->setHorizontalSpacing(10);
  grid_->setVerticalSpacing(6);
  grid_->setColumnStretch(0, 3);
  grid_->setColumnStretch(1, 3);
  grid_->setColumnStretch(2, 3);
  grid_->addWidget(heading({}, box), 0, 0);
  grid_->addWidget(heading(tr("as captured"), box), 0, 1);
  grid_->addWidget(heading(tr("scenario"), box), 0, 2);
  column->addLayout(grid_);
  makeRounds(box, column);
  capacity_ = addRow(QStringLiteral("capacity"), tr("Capacity"), Dimension::charge);
  reserve_ = addRow(QStringLiteral("reserve"), tr("Cut-off reserve"), Dimension::ratio);
  margin_ = addRow(QStringLiteral("margin"), tr("Design margin"), Dimension::ratio);
  discharge_ =
      addRow(QStringLiteral("selfDischarge"), tr("Self-discharge"), Dimension::ratio_per_time);
  harvest_ = addRow(QStringLiteral("harvest"), tr("Harvested current"), Dimension::current, true);
  wanted_ = addRow(QStringLiteral("wanted"), tr("Target lifetime"), Dimension::time, true);
  connectRows();
  needed_ = remark({}, box);
  needed_->setObjectName(QStringLiteral("needed"));
  column->addWidget(needed_);
  rests_on_ = remark({}, box);
  rests_on_->setObjectName(QStringLiteral("lifeRestsOn"));
  column->addWidget(rests_on_);
  plan_name_ = remark({}, box);
  column->addWidget(plan_name_);
  makeButtons(box, column);
  column->addStretch(1);
  connect(capture_, &QComboBox::activated, this, &LifetimeDesk::ask);
  return box;
}

/// The two lives, large, and their difference.
void LifetimeDesk::makeLives(QWidget* box, QVBoxLayout* column) {
  auto* lives = new QHBoxLayout;
  lives->setSpacing(24);
  const auto life = [&](const QString& title, const QString& name, QLabel*& figure,
                        QLabel*& interval) {
    auto* part = new QVBoxLayout;
    part->setSpacing(0);
    part->addWidget(heading(title, box));
    figure = new QLabel(box);
    figure->setObjectName(name);
    figure->setFont(Theme::baseFont(28, QFont::DemiBold));
    figure->setTextInteractionFlags(Qt::TextSelectableByMouse);
    interval = remark({}, box);
    part->addWidget(figure);
    part->addWidget(interval);
    lives->addLayout(part, 1);
  };
  life(tr("AS CAPTURED"), QStringLiteral("lifeCaptured"), captured_.figure, captured_.interval);
  life(tr("SCENARIO"), QStringLiteral("lifeScenario"), scenario_.figure, scenario_.interval);
  column->addLayout(lives);
  difference_ = new QLabel(box);
  difference_->setObjectName(QStringLiteral("lifeDifference"));
  difference_->setFont(Theme::baseFont(13, QFont::DemiBold));
  column->addWidget(difference_);
  column->addSpacing(10);
}

/// What is typed goes into the battery, or is noted in the book.
void LifetimeDesk::connectRows() {
  connect(capacity_.edit, &QuantityEdit::quantityEdited, this, [this] {
    putBattery("capacity",
               QString::number(*capacity_.edit->quantity() / 3.6, 'g', 8).toStdString() + " mAh",
               tr("capacity"));
  });
  const auto ratio = [this](Row& row, const char* key, const QString& why) {
    connect(row.edit, &QuantityEdit::quantityEdited, this, [this, &row, key, why] {
      putBattery(key, formats::quantity_text(*row.edit->quantity(), Dimension::ratio), why);
    });
  };
  ratio(reserve_, "cutoff_reserve", tr("reserve"));
  ratio(margin_, "margin", tr("design margin"));
  connect(discharge_.edit, &QuantityEdit::quantityEdited, this, [this] {
    putBattery("self_discharge",
               formats::quantity_text(*discharge_.edit->quantity(), Dimension::ratio_per_time),
               tr("self-discharge"));
  });
  const auto note = [this](Row& row, const char* key, Dimension dimension, const QString& why) {
    connect(row.edit, &QuantityEdit::quantityEdited, this, [this, &row, key, dimension, why] {
      const auto value = row.edit->quantity();
      context_.session.put(
          why, {{0, key,
                 value ? std::optional(formats::quantity_text(*value, dimension)) : std::nullopt}});
    });
  };
  note(harvest_, "harvest", Dimension::current, tr("harvest"));
  note(wanted_, "wanted", Dimension::time, tr("wanted life"));
}

void LifetimeDesk::makeButtons(QWidget* box, QVBoxLayout* column) {
  auto* buttons = new QHBoxLayout;
  const auto offer = [&](const QString& text, const char* name, std::function<void()> run) {
    auto* b = button(text, QLatin1String(name), box);
    connect(b, &QPushButton::clicked, this, std::move(run));
    buttons->addWidget(b);
  };
  offer(tr("Duty plan…"), "openDuty",
        [this] { context_.actions.find(QStringLiteral("openDutyAction"))->trigger(); });
  offer(tr("Battery…"), "openBattery",
        [this] { context_.actions.find(QStringLiteral("openBatteryAction"))->trigger(); });
  offer(tr("Reset to captured"), "resetScenario", [this] { resetScenario(); });
  offer(tr("Make it the plan"), "makePlan", [this] { makeThePlan(); });
  make_plan_ = box->findChild<QPushButton*>(QStringLiteral("makePlan"));
  make_plan_->setToolTip(tr("From then on Budget and Builds go by the scenario"));
  buttons->addStretch(1);
  column->addSpacing(6);
  column->addLayout(buttons);
}

LifetimeDesk::Row LifetimeDesk::addRow(const QString& name, const QString& text,
                                       Dimension dimension, bool optional) {
  Row row{};
  QWidget* box = stack_->widget(1);
  const int at = grid_->rowCount();
  row.label = new QLabel(text, box);
  row.captured = new QLabel(box);
  row.captured->setForegroundRole(QPalette::PlaceholderText);
  row.edit = new QuantityEdit(QStringLiteral("life_") + name, tr("%1 in the scenario").arg(text),
                              dimension, box, optional);
  row.reset = button(QStringLiteral("↺"), QStringLiteral("reset_") + name, box);
  row.reset->setAccessibleName(tr("Reset %1 to captured").arg(text));
  row.reset->setToolTip(row.reset->accessibleName());
  row.reset->setFlat(true);
  row.reset->setFixedWidth(Px{28});
  QSizePolicy keep = row.reset->sizePolicy();
  keep.setRetainSizeWhenHidden(true);
  row.reset->setSizePolicy(keep);
  row.reset->hide();
  row.label->setWordWrap(true);
  grid_->addWidget(row.label, at, 0);
  grid_->addWidget(row.captured, at, 1);
  grid_->addWidget(row.edit, at, 2);
  grid_->addWidget(row.reset, at, 3);
  row.edit->waitForEnter();
  return row;
}

void LifetimeDesk::makeActions() {
  const DeskId desk = DeskId::lifetime;
  const auto add = [&](const char* id, const QString& text, std::function<void()> run) {
    context_.actions.add(QLatin1String(id), text, {}, std::move(run), desk);
  };
  add("openDutyAction", tr("Open duty plan…"), [this] { openFile(DocumentKind::duty); });
  add("openBatteryAction", tr("Open battery…"), [this] { openFile(DocumentKind::battery); });
  add("saveDutyAction", tr("Save duty plan as…"), [this] { saveAs(DocumentKind::duty); });
  add("saveBatteryAction", tr("Save battery as…"), [this] { saveAs(DocumentKind::battery); });
  add("makePlanAction", tr("Make the scenario the duty plan"), [this] { makeThePlan(); });
  add("resetScenarioAction", tr("Reset scenario to captured"), [this] { resetScenario(); });
  const auto has = [this](DocumentKind kind) {
    return [this, kind] { return context_.documents.find(kind) != nullptr; };
  };
  context_.actions.answer(Needs::battery, has(DocumentKind::battery));
  context_.actions.answer(Needs::scenario, [duty = has(DocumentKind::scenario_duty),
                                            battery = has(DocumentKind::scenario_battery)] {
    return duty() || battery();
  });
}

void LifetimeDesk::enter() {
  takeBook();
  ask();
}

void LifetimeDesk::takeBook() {
  const BookViewPtr& book = context_.session.book();
  std::vector<const CaptureRow*> split;
  if (book) {
    for (const CaptureRow& r : book->rows) {
      if (r.hasStates()) split.push_back(&r);
    }
  }
  stack_->setCurrentIndex(split.empty() ? 0 : 1);
  if (split.empty()) {
    const bool captures = book && !book->rows.empty();
    const DeskId desk = captures ? DeskId::trace : DeskId::bench;
    empty_->say(
        tr("No lifetime yet"),
        captures
            ? tr("Lifetime is calculated from the charge of each state. Split a capture into "
                 "states first.")
            : tr("Record a capture and split it into states; their charge gives the battery life."),
        {{captures ? tr("Go to Trace") : tr("Go to Bench"),
          [this, desk] { emit deskRequested(desk); }}});
    return;
  }
  taking_ = true;
  const QVariant was = capture_->currentData();
  capture_->clear();
  for (const CaptureRow* r : split)
    capture_->addItem(qs(r->info.name), static_cast<qlonglong>(r->info.id));
  int at = capture_->findData(was);
  if (at < 0 && context_.view.capture())
    at = capture_->findData(static_cast<qlonglong>(context_.view.capture()->info.id));
  capture_->setCurrentIndex(std::max(0, at));
  taking_ = false;
  if (isVisible()) ask();
}

void LifetimeDesk::ask() {
  if (taking_ || capture_->currentIndex() < 0) return;
  LifeRequest request;
  request.capture = capture_->currentData().toLongLong();
  request.question.activity = pictures_->activity();
  context_.session.requestLife(request);
}

void LifetimeDesk::setRow(Row& row, std::optional<double> captured, std::optional<double> scenario,
                          const QString& captured_text) {
  row.captured->setText(captured_text);
  row.edit->setQuantity(scenario);
  const bool changed =
      captured.has_value() != scenario.has_value() ||
      (captured && std::fabs(*captured - *scenario) > 1e-6 * std::max(std::fabs(*captured), 1e-12));
  row.edit->setChanged(changed);
  row.reset->setVisible(changed);
  row.reset->disconnect(this);
  connect(row.reset, &QPushButton::clicked, this, [edit = row.edit, captured] {
    edit->setQuantity(captured);
    emit edit->quantityEdited();
  });
}

void LifetimeDesk::take(const LifeViewPtr& view) {
  view_ = view;
  if (!view->trouble.empty()) {
    stack_->setCurrentIndex(0);
    empty_->say(tr("Lifetime cannot be calculated"), qs(view->trouble),
                {{tr("Go to Trace"), [this] { emit deskRequested(DeskId::trace); }}});
    return;
  }
  stack_->setCurrentIndex(1);
  showLives();
  buildActivities();
  showBattery();
  showActivities();
  showNeeded();
  rests_on_->setText(rests_on(*view));
  rests_on_->setVisible(!rests_on_->text().isEmpty());
  showPlanName();
  pictures_->setView(view, context_.session.book());
  emit footChanged();
}

void LifetimeDesk::showLives() {
  const auto show = [](QLabel* figure, QLabel* interval, const study::LifeFigures& f) {
    figure->setText(f.life ? qs(formats::bounds_mark(f.interval.bounds) + life_time(*f.life))
                           : QStringLiteral("–"));
    interval->setText(f.trouble.empty() ? interval_of(f) : qs(f.trouble));
  };
  show(captured_.figure, captured_.interval, view_->as_captured);
  show(scenario_.figure, scenario_.interval, view_->as_scenario);
  if (view_->as_captured.life && view_->as_scenario.life) {
    const double d = *view_->as_scenario.life - *view_->as_captured.life;
    difference_->setText(
        std::fabs(d) < 43200
            ? tr("Same lifetime")
            : (d > 0 ? tr("%1 longer") : tr("%1 shorter")).arg(qs(life_time(std::fabs(d)))));
  } else {
    difference_->setText({});
  }
  const study::LifeFigures& f = view_->as_scenario;
  const auto most =
      std::max_element(f.shares.begin(), f.shares.end(),
                       [](const Share& a, const Share& b) { return a.current < b.current; });
  if (most == f.shares.end() || !f.life) return;
  const QString largest =
      tr("%1 takes the largest part, %2")
          .arg(qs(most->state), qs(percent(most->current * f.life.value_or(0) /
                                           view_->scenario.battery.capacity_c)));
  difference_->setText(difference_->text().isEmpty()
                           ? largest
                           : difference_->text() + QStringLiteral(" · ") + largest);
}

void LifetimeDesk::showBattery() {
  const Battery &a = view_->captured.battery, &b = view_->scenario.battery;
  const auto pc = [](double r) { return QObject::tr("%1 %").arg(r * 100, 0, 'g', 4); };
  setRow(capacity_, a.capacity_c, b.capacity_c, mah(a.capacity_c));
  // Data sheets speak of mAh.
  if (!capacity_.edit->hasFocus() && !capacity_.edit->isPencil())
    capacity_.edit->setText(mah(b.capacity_c));
  setRow(reserve_, a.reserve, b.reserve, pc(a.reserve));
  setRow(margin_, a.margin, b.margin, pc(a.margin));
  setRow(discharge_, yearly(a.self_discharge_hz) / kYear, yearly(b.self_discharge_hz) / kYear,
         tr("%1 %/y").arg(yearly(a.self_discharge_hz) * 100, 0, 'g', 4));
  const auto positive = [](double v) { return v > 0 ? std::optional(v) : std::nullopt; };
  setRow(harvest_, std::nullopt, positive(view_->scenario.harvest_a), tr("none"));
  setRow(wanted_, view_->wanted_s, view_->wanted_s, {});
}

void LifetimeDesk::showPlanName() {
  plan_name_->setText(tr("Battery: %1. Activities: %2.")
                          .arg(view_->scenario.battery.name.empty()
                                   ? tr("unnamed")
                                   : qs(view_->scenario.battery.name),
                               view_->has_plan || view_->is_what_if
                                   ? qs(document(DocumentKind::duty).name)
                                   : tr("as often as captured; set their intervals, or "
                                        "open a duty plan")));
  make_plan_->setEnabled(view_->is_what_if);
  if (view_->is_what_if)
    plan_name_->setText(plan_name_->text() +
                        tr(" This scenario is not the plan: Budget and Builds do not go by it."));
}

void LifetimeDesk::applyTheme() { pictures_->repaintAll(); }

std::vector<FootPart> LifetimeDesk::foot() const {
  if (!view_ || !view_->trouble.empty()) return {};
  return {{tr("%1 on %2, until %3 of its charge is used")
               .arg(qs(view_->build),
                    view_->scenario.battery.name.empty() ? tr("the cell")
                                                         : qs(view_->scenario.battery.name),
                    qs(percent(view_->scenario.battery.capacity_c > 0
                                   ? view_->scenario.battery.usable_c() /
                                         view_->scenario.battery.capacity_c
                                   : 0))),
           tr("Life from the nominal charge until all but reserve and margin is gone: "
              "dC/dt = −I − kC, k of self-discharge; its interval from the uncertainty of the "
              "mean current.")}};
}

}  // namespace kuvio::app
