// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/source_drawer.h"

#include "acquire/simulated.h"
#include "app/engine/text.h"
#include "app/style/field_note.h"
#include "core/accuracy.h"
#include "core/number_text.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QSignalBlocker>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::app {
namespace {

constexpr double kBigStep = 0.1;       // part of the voltage: with the device on it is asked about
constexpr double kCeilingAbove = 1.1;  // times the first voltage confirmed, proposed as ceiling
constexpr double kZeroFor = 2;         // s

QString named(const char* stem, const QString& output) { return QLatin1String(stem) + output; }

}  // namespace

SourceDrawer::SourceDrawer(QString output, bool first, BenchControl& bench, QWidget* parent)
    : DrawerPage(named("sourceDrawer", output),
                 output.isEmpty() ? tr("SOURCE") : tr("SOURCE, OUTPUT %1").arg(output), bench,
                 parent),
      output_(std::move(output)),
      first_(first) {
  makeSettings();
  if (first_) {
    makeInstrument();
    makeMeasuring();
  }
  refresh();
}

void SourceDrawer::makeSettings() {
  voltage_ = new QuantityEdit(named("voltage", output_), tr("Voltage of the output"),
                              Dimension::voltage, this);
  limit_ = new QuantityEdit(named("currentLimit", output_), tr("Current limit"), Dimension::current,
                            this);
  over_current_ = new QComboBox(this);
  over_current_->setObjectName(named("overCurrent", output_));
  over_current_->setAccessibleName(tr("On over-current"));
  over_current_->addItems({tr("trips (switches off)"), tr("limits (holds the current)")});
  most_volts_ = new QuantityEdit(named("ceilingVoltage", output_), tr("Ceiling of the voltage"),
                                 Dimension::voltage, this, true);
  most_amperes_ =
      new QuantityEdit(named("ceilingCurrent", output_), tr("Ceiling of the current limit"),
                       Dimension::current, this, true);
  // What they set reaches a device: leaving the line is not enough.
  for (QuantityEdit* edit : {voltage_, limit_, most_volts_, most_amperes_}) {
    edit->waitForEnter();
    connect(edit, &QLineEdit::textChanged, this, &SourceDrawer::changed);
  }
  most_volts_->setPlaceholderText(tr("e.g. 3.9 V"));
  most_amperes_->setPlaceholderText(tr("e.g. 450 mA"));
  for (QuantityEdit* edit : {most_volts_, most_amperes_}) {
    connect(edit, &QuantityEdit::quantityEdited, this, &SourceDrawer::takeCeiling);
  }
  used_ = button(tr("Used"), named("usedVoltages", output_), this);
  used_->setAccessibleName(tr("Voltages used before"));
  used_->setToolTip(tr("Voltages used before; Enter sets the one that is chosen."));
  auto* used = new QMenu(used_);
  used_->setMenu(used);
  connect(used, &QMenu::aboutToShow, this, [this, used] {
    used->clear();
    for (const double volts : used_volts_) {
      used->addAction(qs(with_prefix(volts, "V", 4)), this, [this, volts] {
        voltage_->propose(volts);
        voltage_->setFocus();
      });
    }
    if (used_volts_.empty()) used->addAction(tr("none yet"))->setEnabled(false);
  });
  addRow(0, tr("Voltage"), {voltage_, used_});
  big_step_ = new QWidget(this);
  auto* ask = new QHBoxLayout(big_step_);
  ask->setContentsMargins(0, 0, 0, 0);
  set_big_ = button({}, named("setBigStep", output_), big_step_);
  keep_ = button({}, named("keepVoltage", output_), big_step_);
  ask->addWidget(set_big_);
  ask->addWidget(keep_);
  ask->addStretch(1);
  add(0, tr("Current limit"), limit_);
  add(0, tr("Over the limit it"), over_current_);
  addRow(0, tr("Never above"), {most_volts_, most_amperes_});
  add(0, {}, big_step_);
  setRowShown(big_step_, false);
  connect(voltage_, &QuantityEdit::quantityEdited, this, &SourceDrawer::setVoltage);
  connect(limit_, &QuantityEdit::quantityEdited, this, [this] {
    const std::string why = bench_.ceiling(output_).refuses_current(*limit_->quantity());
    if (why.empty()) return bench_.setCurrentLimit(*limit_->quantity(), output_);
    showSettings();
    FieldNote::say(limit_, tr("Not set: %1.").arg(qs(why)));
  });
  connect(over_current_, &QComboBox::activated, this,
          [this](int at) { bench_.setCutOff(at == 0, output_); });
  connect(set_big_, &QPushButton::clicked, this, [this] {
    setRowShown(big_step_, false);
    bench_.setVoltage(big_volts_, output_);
    emit voltageSet(big_volts_);
  });
  connect(keep_, &QPushButton::clicked, this, [this] {
    setRowShown(big_step_, false);
    showSettings();
    voltage_->setFocus();
  });
}

void SourceDrawer::makeInstrument() {
  address_ = line(QStringLiteral("outputAddress"), tr("Address of the output"),
                  tr("e.g. scpi+tcp://192.168.0.20:5025"));
  profile_ = line(QStringLiteral("profile"), tr("Instrument profile"),
                  tr("e.g. mine.profile.toml; blank: built-in"));
  try_ = button(tr("Try it"), QStringLiteral("tryProfile"), this);
  try_->setToolTip(tr("Sends every query of the profile. Nothing is switched on."));
  connect_ = button(tr("Connect"), QStringLiteral("connect"), this);
  disconnect_ = button(tr("Disconnect"), QStringLiteral("disconnect"), this);
  auto* talk = button(tr("Said and answered…"), QStringLiteral("talk"), this);
  talk->setToolTip(tr("What was last said on this wire and what came back, to copy."));
  add(1, tr("Address"), address_);
  addRow(1, tr("Profile"), {profile_, try_});
  addRow(1, {}, {connect_, disconnect_, talk});
  record_voltage_ = new QCheckBox(tr("Record voltage as well"), this);
  record_voltage_->setObjectName(QStringLiteral("recordVoltage"));
  record_voltage_->setChecked(true);
  add(1, {}, record_voltage_);
  connect(try_, &QPushButton::clicked, this, &SourceDrawer::tryRequested);
  connect(connect_, &QPushButton::clicked, this, &SourceDrawer::connectRequested);
  connect(address_, &QLineEdit::returnPressed, this, &SourceDrawer::connectRequested);
  connect(disconnect_, &QPushButton::clicked, this, &SourceDrawer::disconnectRequested);
  connect(talk, &QPushButton::clicked, this, &SourceDrawer::talkRequested);
  connect(profile_, &QLineEdit::textChanged, this, &SourceDrawer::refresh);
}

void SourceDrawer::makeMeasuring() {
  range_ = new QComboBox(this);
  range_->setObjectName(QStringLiteral("range"));
  range_->setAccessibleName(tr("Measuring range of the current"));
  range_->addItem(tr("automatic"));
  accuracy_ = line(QStringLiteral("accuracy"), tr("Accuracy of the current"),
                   QStringLiteral("e.g. ") + QLatin1String(acquire::kSimulatedAccuracy));
  zero_ = button(tr("Zero now"), QStringLiteral("zero"), this);
  zero_->setToolTip(
      tr("Measures the zero offset for 2 s. The output must be off and the device "
         "disconnected."));
  add(2, tr("Range"), range_);
  add(2, tr("Accuracy"), accuracy_);
  addRow(2, tr("Zero"), {zero_});
  connect(zero_, &QPushButton::clicked, this, [this] { bench_.zero(kZeroFor, accuracy()); });
  connect(range_, &QComboBox::currentIndexChanged, this, &SourceDrawer::changed);
}

const acquire::OutputState* SourceDrawer::settings() const {
  const auto& all = bench_.state().output.set;
  for (const acquire::OutputState& o : all) {
    if (qs(o.name) == output_) return &o;
  }
  return nullptr;
}

void SourceDrawer::refresh() {
  const BenchState& s = bench_.state();
  const bool ready = s.phase == BenchState::Phase::ready,
             recording = s.phase == BenchState::Phase::recording;
  const acquire::OutputState* o = settings();
  const bool can_set = ready && o && (o->voltage > 0 || o->current_limit > 0);
  for (QWidget* w : std::initializer_list<QWidget*>{voltage_, used_, limit_, over_current_})
    w->setEnabled(can_set);
  if (!first_) return;
  try_->setEnabled(!recording && !profile().isEmpty());
  zero_->setEnabled(ready && !s.output_on);
  connect_->setEnabled(!recording);
  disconnect_->setEnabled(!recording && s.phase != BenchState::Phase::none);
  if (ready && accuracy_->text().isEmpty() && !accuracy_->hasFocus())
    accuracy_->setText(bench_.knownAccuracy());
  showRanges();
}

/// Automatic, and what the profile knows of the first current; a choice stays.
void SourceDrawer::showRanges() {
  QStringList names{tr("automatic")};
  for (const std::string& range : bench_.state().output.ranges) names << qs(range);
  QStringList known;
  for (int i = 0; i < range_->count(); ++i) known << range_->itemText(i);
  if (names != known) {
    QString wanted = range_->currentIndex() > 0 ? range_->currentText() : QString();
    const QSignalBlocker quiet(range_);
    if (names.size() > 1 && !wanted_range_.isEmpty()) wanted = std::exchange(wanted_range_, {});
    range_->clear();
    range_->addItems(names);
    range_->setCurrentIndex(static_cast<int>(std::max<qsizetype>(0, names.indexOf(wanted))));
  }
  setRowShown(range_, names.size() > 1);
}

void SourceDrawer::followSettings() {
  // What holds is shown, wherever it came from: else setting one ceiling would take the other away.
  setCeiling(bench_.ceiling(output_));
  const acquire::OutputState* o = settings();
  const bool same = o && shown_ && shown_->name == o->name && shown_->voltage == o->voltage &&
                    shown_->current_limit == o->current_limit && shown_->cut_off == o->cut_off;
  if (o && !same) {
    shown_ = *o;
    showSettings();
  }
  if (!o) shown_.reset();
}

void SourceDrawer::showSettings() {
  const acquire::OutputState* o = settings();
  if (!o) return;
  voltage_->setQuantity(o->voltage);
  limit_->setQuantity(o->current_limit);
  over_current_->setCurrentIndex(o->cut_off ? 0 : 1);
  refresh();
}

/// With the device on, a change of more than a tenth is asked about; and the first voltage that
/// was meant for this device proposes its ceiling.
void SourceDrawer::setVoltage() {
  const double volts = *voltage_->quantity();
  const std::string why = bench_.ceiling(output_).refuses_voltage(volts);
  if (!why.empty()) {
    showSettings();
    FieldNote::say(voltage_, tr("Not set: %1.").arg(qs(why)));
    return;
  }
  const acquire::OutputState* now = settings();
  bool on = false;
  for (const auto& [name, is_on] : bench_.state().output.outputs)
    on |= is_on && qs(name) == output_;
  if (on && now && now->voltage > 0 && std::fabs(volts - now->voltage) > kBigStep * now->voltage)
    return askBigStep(volts);
  bench_.setVoltage(volts, output_);
  emit voltageSet(volts);
  proposeCeiling();
}

void SourceDrawer::askBigStep(double volts) {
  big_volts_ = volts;
  set_big_->setText(tr("Set %1 with the device on").arg(qs(with_prefix(volts, "V", 3))));
  keep_->setText(tr("Keep %1").arg(qs(with_prefix(settings()->voltage, "V", 3))));
  setRowShown(big_step_, true);
  keep_->setFocus();
}

void SourceDrawer::proposeCeiling() {
  if (bench_.ceiling(output_).any() || most_volts_->isPencil()) return;
  const double volts = std::ceil(*voltage_->quantity() * kCeilingAbove * 20 - 1e-9) / 20;
  most_volts_->propose(volts);
}

void SourceDrawer::takeCeiling() {
  const acquire::Ceiling ceiling{most_volts_->quantity(), most_amperes_->quantity()};
  bench_.setCeiling(output_, ceiling);
  emit ceilingSet(output_, ceiling);
  const acquire::OutputState* o = settings();
  if (o && !ceiling.refuses_voltage(o->voltage).empty())
    FieldNote::say(most_volts_,
                   tr("The output is set higher: %1.").arg(qs(with_prefix(o->voltage, "V", 4))));
  emit changed();
}

void SourceDrawer::setCeiling(const acquire::Ceiling& ceiling) {
  if (most_volts_->quantity() != ceiling.voltage) most_volts_->setQuantity(ceiling.voltage);
  if (most_amperes_->quantity() != ceiling.current) most_amperes_->setQuantity(ceiling.current);
}

QString SourceDrawer::pencil() const {
  QStringList words;
  for (const QuantityEdit* edit : {voltage_, limit_}) {
    if (edit->isPencil()) words << edit->written();
  }
  return words.isEmpty() ? QString() : tr("%1 is not set").arg(words.join(tr(", ")));
}

bool SourceDrawer::holds() {
  for (QuantityEdit* edit : {voltage_, limit_}) {
    if (edit->isPencil() && edit->isReadable()) {
      emit messageReported(
          tr("%1: %2 is not set (Enter sets it). The output keeps %3.")
              .arg(edit->accessibleName(), edit->text(),
                   qs(with_prefix(edit->quantity().value_or(0), edit == voltage_ ? "V" : "A", 4))));
      continue;
    }
    if (edit->isPencil()) edit->commit();  // which says why
    if (!edit->isWrong()) continue;
    emit messageReported(Message::trouble(
        tr("%1 is not understood, and the output was not switched on. Correct it, or press "
           "Escape in it.")
            .arg(edit->accessibleName())));
    edit->setFocus();
    return false;
  }
  return true;
}

void SourceDrawer::proposeLimit(double amperes) { limit_->propose(amperes); }

std::optional<FieldTrouble> SourceDrawer::read(RecordRequest& r) const {
  if (!first_) return std::nullopt;
  r.accuracy = accuracy().toStdString();
  try {
    if (!r.accuracy.empty()) parse_accuracy(r.accuracy, Dimension::current);
  } catch (const std::invalid_argument& e) {
    return FieldTrouble{accuracy_, tr("Accuracy: %1").arg(QString::fromUtf8(e.what()))};
  }
  if (range_->currentIndex() > 0) r.range = range_->currentText().toStdString();
  r.record_voltage = recordsVoltage();
  return std::nullopt;
}

void SourceDrawer::take(const acquire::RecordSettings& record,
                        const acquire::InputSettings& input) {
  accuracy_->setText(qs(record.accuracy));
  record_voltage_->setChecked(input.channels.size() > 1);
  wanted_range_.clear();
  for (const auto& [channel, range] : input.range) wanted_range_ = qs(range);
}

void SourceDrawer::setProfile(const QString& file) { profile_->setText(file); }

void SourceDrawer::setAddress(const QString& address) {
  address_->setText(address);
  address_->setCursorPosition(0);
}

}  // namespace kuvio::app
