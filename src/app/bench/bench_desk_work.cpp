// SPDX-License-Identifier: GPL-3.0-or-later
// The Bench desk at work: what it was asked for, and what it shows. bench_desk.cpp makes it.

#include "acquire/input_track.h"
#include "acquire/simulated.h"
#include "app/bench/bench_desk.h"
#include "app/bench/live_channels_view.h"
#include "app/bench/readings_view.h"
#include "app/bench/wiring_view.h"
#include "app/engine/text.h"
#include "app/style/field_note.h"
#include "core/accuracy.h"
#include "core/number_text.h"
#include "core/quantity.h"

#include <QMessageBox>

#include <algorithm>

namespace kuvio::app {
namespace {

QString capital(QString text) {
  if (!text.isEmpty()) text.front() = text.front().toUpper();
  return text;
}

QString bytes(double n) {
  return n >= 1e9   ? QStringLiteral("%1 GB").arg(n / 1e9, 0, 'f', n >= 1e10 ? 0 : 1)
         : n >= 1e6 ? QStringLiteral("%1 MB").arg(n / 1e6, 0, 'f', 0)
                    : QStringLiteral("%1 kB").arg(n / 1e3, 0, 'f', 0);
}

}  // namespace

void BenchDesk::makeActions() {
  const DeskId desk = DeskId::bench;
  const QString menu = tr("Record");
  Actions& a = context_.actions;
  a.add(
      QStringLiteral("recordPowerOnAction"), menu, tr("Record, then power on"),
      QKeySequence(tr("Ctrl+Shift+Space")), [this] { record(true); }, desk);
  a.add(
      QStringLiteral("recordAction"), menu, tr("Record"), QKeySequence(tr("Ctrl+Space")),
      [this] { record(false); }, desk);
  a.add(QStringLiteral("stopAction"), menu, tr("Stop recording"), QKeySequence(tr("Ctrl+.")),
        [this] { context_.bench.stop(); });
  a.add(QStringLiteral("markAction"), menu, tr("Mark this moment"), QKeySequence(tr("Ctrl+J")),
        [this] { markNow(); });
  a.add(
      QStringLiteral("zeroAction"), menu, tr("Zero now"), {},
      [this] { context_.bench.zero(2, accuracy_->text()); }, desk);
  a.add(
      QStringLiteral("tryProfileAction"), menu, tr("Try this profile"), {},
      [this] { tryProfile(); }, desk);
  a.add(QStringLiteral("switchOff"), menu, tr("Switch output off"), QKeySequence(tr("Ctrl+0")),
        [this] { context_.bench.switchOutput(false); });
  a.add(
      QStringLiteral("switchOn"), menu, tr("Switch output on"), {},
      [this] { context_.bench.switchOutput(true); }, desk);
  a.add(
      QStringLiteral("simulateAction"), menu, tr("Start simulated bench"), {},
      [this] { startSimulated(); }, desk);
  a.add(
      QStringLiteral("connectAction"), menu, tr("Connect"), {}, [this] { connectAddresses(); },
      desk);
  a.add(
      QStringLiteral("resetAction"), menu, tr("Reset the device"), {}, [this] { resetDevice(); },
      desk);
  a.add(
      QStringLiteral("openSetupAction"), menu, tr("Open bench set-up…"), {},
      [this] { openSetup(); }, desk);
  a.add(
      QStringLiteral("saveSetupAction"), menu, tr("Save bench set-up as…"), {},
      [this] { saveSetup(); }, desk);
  a.add(QStringLiteral("sendAction"), menu, tr("Send a line to the device"),
        QKeySequence(tr("Ctrl+T")), [this] {
          emit deskRequested(DeskId::bench);
          line_->setFocus();
        });
}

/// A unit with several outputs has a switch for each instead of the one pair; an auxiliary output
/// has one beside it.
void BenchDesk::refreshOutputs() {
  const acquire::OutputMonitorState& output = context_.bench.state().output;
  const auto auxiliary = [&](const std::string& name) {
    return std::any_of(output.set.begin(), output.set.end(),
                       [&](const auto& o) { return o.auxiliary && o.name == name; });
  };
  const auto& all = output.outputs;
  const auto main =
      std::count_if(all.begin(), all.end(), [&](const auto& o) { return !auxiliary(o.first); });
  std::vector<std::pair<std::string, bool>> shown;
  for (const auto& o : all) {
    if (main > 1 || auxiliary(o.first)) shown.push_back(o);
  }
  output_on_->setVisible(main <= 1);
  output_off_->setVisible(main <= 1);
  while (output_buttons_.size() > static_cast<qsizetype>(shown.size()))
    delete output_buttons_.takeLast();
  while (output_buttons_.size() < static_cast<qsizetype>(shown.size())) {
    auto* b = button({}, {}, this);
    connect(b, &QPushButton::clicked, this, [this, b] {
      const QString name = b->property("output").toString();
      for (const auto& [known, on] : context_.bench.state().output.outputs) {
        if (qs(known) == name) return context_.bench.switchOutput(!on, name);
      }
    });
    each_output_->insertWidget(static_cast<int>(output_buttons_.size()), b);
    output_buttons_.append(b);
  }
  for (std::size_t i = 0; i < shown.size(); ++i) {
    const auto& [known, on] = shown[i];
    const QString name = known.empty() ? QString::number(i + 1) : qs(known);
    QPushButton* b = output_buttons_[static_cast<qsizetype>(i)];
    b->setObjectName(QStringLiteral("switchOutput%1").arg(name));
    b->setProperty("output", qs(known));
    b->setText(on ? tr("Switch output %1 off").arg(name) : tr("Switch output %1 on").arg(name));
    b->setAccessibleName(b->text());
  }
}

void BenchDesk::enter() { refresh(); }

void BenchDesk::applyTheme() { readings_->update(); }

void BenchDesk::connectAddresses() {
  Wiring wiring;
  wiring.output = output_address_->text();
  wiring.log = log_address_->text();
  for (const QString& other : other_addresses_->text().split(QLatin1Char(','), Qt::SkipEmptyParts))
    wiring.others << other.trimmed();
  wiring.profile = profile_->text();
  context_.bench.connectTo(wiring);
}

void BenchDesk::markNow() {
  if (!context_.bench.recording()) {
    emit messageReported(tr("Marks can be set only while recording."));
    return;
  }
  ++marks_;
  const QString note = mark_note_->text().trimmed();
  context_.bench.mark(note.isEmpty() ? tr("mark %1").arg(marks_) : note);
  mark_note_->clear();
}

void BenchDesk::tryProfile() {
  if (profile_->text().trimmed().isEmpty()) {
    profile_->setFocus();
    FieldNote::say(profile_,
                   tr("Enter a profile file first; docs/profiles.md describes the format."));
    return;
  }
  emit messageReported(
      tr("Trying the profile. Nothing is switched on; settings are left as they are…"));
  context_.bench.tryProfile(output_address_->text(), profile_->text());
}

/// Shown in the console: it stays, can be read beside the file, and copied.
void BenchDesk::showTried(const std::vector<acquire::CheckStep>& steps, const QString& trouble) {
  if (!trouble.isEmpty()) {
    emit messageReported(Message::trouble(trouble + QLatin1Char('.')));
    return;
  }
  int wrong = 0;
  console_->clear();
  for (const acquire::CheckStep& s : steps) {
    const bool good = s.trouble.empty();
    wrong += good ? 0 : 1;
    console_->appendPlainText(tr("%1 %2  %3  %4")
                                  .arg(good ? QStringLiteral("✓") : QStringLiteral("✗"), qs(s.key),
                                       qs(s.command), qs(good ? s.answer : s.trouble)));
  }
  emit messageReported(
      wrong == 0 ? Message::done(tr("The profile works: every command was answered as expected."))
                 : Message::trouble(tr("%1 of %2 profile commands failed; see the console.")
                                        .arg(wrong)
                                        .arg(steps.size())));
}

std::optional<acquire::Trigger> BenchDesk::trigger(QLineEdit* edit, const QString& what) {
  const QString text = edit->text().trimmed();
  if (text.isEmpty()) return acquire::Trigger{};
  try {
    return acquire::parse_trigger(text.toStdString());
  } catch (const std::invalid_argument& e) {
    edit->setFocus();
    FieldNote::say(edit, tr("%1: %2.").arg(what, QString::fromUtf8(e.what())));
    return std::nullopt;
  }
}

void BenchDesk::startSimulated() {
  const QString build = simulated_build_->currentText();
  preferences_.simulated_build = build;
  emit preferencesChanged();
  context_.bench.startSimulated(build, seed_, simulated_speed_->value(),
                                simulated_more_->isChecked());
  build_->setText(build);
  if (build == QLatin1String("perch")) {
    logic_->clear();
  } else if (logic_->text().isEmpty()) {
    logic_->setText(QStringLiteral("radio_on, locate_on"));
  }
  if (accuracy_->text().isEmpty()) accuracy_->setText(QLatin1String(acquire::kSimulatedAccuracy));
}

void BenchDesk::sendLine() {
  const QString text = line_->text().trimmed();
  if (text.isEmpty()) return;
  if (context_.bench.logAddress().isEmpty()) {
    emit messageReported(tr("No device log to send to. Enter its address and connect."));
    return;
  }
  context_.bench.send(text);
  line_->clear();
}

std::optional<RecordRequest> BenchDesk::request(bool power_on) {
  RecordRequest w;
  length_->commit();
  rate_->commit();
  if (length_->isWrong() || rate_->isWrong()) return std::nullopt;  // reported
  w.build = build_->text().trimmed().toStdString();
  w.name = name_->text().trimmed().toStdString();
  if (w.build.empty()) {
    build_->setFocus();
    FieldNote::say(build_, tr("Enter the build under test; comparisons go by build."));
    return std::nullopt;
  }
  if (w.name.empty()) w.name = w.build;
  w.seconds = endless_->isChecked() ? 0 : length_->quantity().value_or(0);
  w.rate_hz = rate_->quantity().value_or(0);
  if (!(w.rate_hz > 0) || (!endless_->isChecked() && !(w.seconds > 0))) {
    FieldNote::say(w.rate_hz > 0 ? length_ : rate_,
                   tr("Length and rate must be greater than zero."));
    return std::nullopt;
  }
  w.accuracy = accuracy_->text().trimmed().toStdString();
  try {
    if (!w.accuracy.empty()) parse_accuracy(w.accuracy, Dimension::current);
  } catch (const std::invalid_argument& e) {
    accuracy_->setFocus();
    FieldNote::say(accuracy_, tr("Accuracy: %1").arg(QString::fromUtf8(e.what())));
    return std::nullopt;
  }
  for (const QString& line : logic_->text().split(QLatin1Char(','), Qt::SkipEmptyParts)) {
    const std::string name = line.trimmed().toStdString();
    if (!name.empty() && std::find(w.logic.begin(), w.logic.end(), name) == w.logic.end())
      w.logic.push_back(name);
  }
  for (const auto& [key, answer] : questions_) {
    if (answer->currentIndex() > 0)
      w.conditions[key.toStdString()] = answer->currentText().toStdString();
  }
  QStringList kept;
  for (const QString& part : conditions_->text().split(QLatin1Char(','), Qt::SkipEmptyParts)) {
    const auto equals = part.indexOf(QLatin1Char('='));
    if (equals <= 0) {
      conditions_->setFocus();
      FieldNote::say(conditions_,
                     tr("\"%1\" is not a condition. Write it as board=7.").arg(part.trimmed()));
      return std::nullopt;
    }
    w.conditions[part.left(equals).trimmed().toStdString()] =
        part.mid(equals + 1).trimmed().toStdString();
    kept << part.trimmed();
  }
  preferences_.conditions = kept;
  emit preferencesChanged();
  before_->commit();
  const auto arm = trigger(arm_, tr("Start on")), until = trigger(until_, tr("Stop on"));
  if (!arm || !until || before_->isWrong()) return std::nullopt;
  w.arm = *arm;
  w.until = *until;
  w.before_s = arm->wanted() ? std::clamp(before_->quantity().value_or(0), 0.0, 600.0) : 0;
  const auto by_channel = shunts();
  if (!by_channel) return std::nullopt;  // reported
  for (const auto& [channel, ohms] : *by_channel) {
    // One that is not wired up today is no reason to record nothing.
    for (const acquire::LiveChannel& c : context_.bench.state().channels) {
      if (c.name == channel) w.shunts[channel] = ohms;
    }
  }
  if (const auto drift = context_.bench.state().drift)
    w.conditions["drift_before"] = tr("%1 % over 5 s").arg(100 * *drift, 0, 'f', 1).toStdString();
  if (range_->currentIndex() > 0) w.range = range_->currentText().toStdString();
  w.record_voltage = record_voltage_->isChecked();
  w.power_off = power_off_->isChecked();
  w.power_on = power_on;
  return w;
}

/// Whether the fields of the output show what it has. A device is not powered by a field that was
/// not understood.
bool BenchDesk::settingsHold() {
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

void BenchDesk::record(bool power_on) {
  if (context_.bench.recording()) return;
  if (power_on && !settingsHold()) return;
  marks_ = 0;
  const auto w = request(power_on);
  if (!w) return;
  if (power_on && context_.bench.firstOutputOn()) {
    askWhetherFromOff(*w);
  } else {
    context_.bench.record(*w);
  }
}

/// An output that is on already cannot be recorded from power-on as it stands.
void BenchDesk::askWhetherFromOff(const RecordRequest& request) {
  if (findChild<QMessageBox*>(QStringLiteral("fromOffQuestion"))) return;
  auto* ask = new QMessageBox(QMessageBox::NoIcon, tr("Record, then power on"),
                              tr("The output is on already: recorded now, the device's power-on is "
                                 "not in the capture."),
                              QMessageBox::Cancel, this);
  ask->setObjectName(QStringLiteral("fromOffQuestion"));
  ask->setAttribute(Qt::WA_DeleteOnClose);
  QPushButton* fresh =
      ask->addButton(tr("Switch off, wait 2 s, record, power on"), QMessageBox::AcceptRole);
  fresh->setObjectName(QStringLiteral("fromOff"));
  QPushButton* as_is = ask->addButton(tr("Record as it is"), QMessageBox::NoRole);
  as_is->setObjectName(QStringLiteral("recordAsItIs"));
  ask->setDefaultButton(QMessageBox::Cancel);
  connect(fresh, &QPushButton::clicked, this,
          [this, request] { context_.bench.recordFromOff(request); });
  connect(as_is, &QPushButton::clicked, this, [this, request] {
    RecordRequest running = request;
    running.power_on = false;
    context_.bench.record(running);
  });
  ask->open();
}

void BenchDesk::refresh() {
  const BenchState& s = context_.bench.state();
  using Phase = BenchState::Phase;
  const bool ready = s.phase == Phase::ready, recording = s.phase == Phase::recording;
  identity_->setText(s.phase == Phase::none ? tr("Nothing connected")
                     : s.output.identity.empty()
                         ? context_.bench.outputAddress()
                         : qs(s.output.identity)
                               .section(QLatin1Char(','), 0, 1)
                               .replace(QLatin1Char(','), QLatin1Char(' ')));
  status_->setText(statusText());
  status_->setToolTip(qs(s.away));
  if (ready && !shown_settings_ && !s.output.identity.empty()) {
    shown_settings_ = true;
    refreshSettings();
    if (accuracy_->text().isEmpty()) accuracy_->setText(context_.bench.knownAccuracy());
  }
  refreshButtons();
  channels_->refresh();
  wiring_->update();
  settled_->setText(ready ? settledText() : QString());
  wiring_->setVisible(s.phase != Phase::none);
  refreshOutputs();
  refreshLines();
  const bool book = !context_.session.path().isEmpty();
  connect_->setEnabled(!recording);
  simulate_->setEnabled(!recording);
  where_->setText(book
                      ? tr("Current%1 and the device log are written to %2 at least once a second.")
                            .arg(record_voltage_->isChecked() ? tr(", voltage") : QString(),
                                 file_name(context_.session.path()))
                      : tr("No book is open. Create one with Menu > Book > New book… (Ctrl+N)."));
  where_->setVisible(!recording);
  room_->setVisible(!recording);  // the strip shows it
  room_->setText(roomText());
  readings_->setFixedHeight(recording ? 104 : which_->count() > 1 ? 136 : 150);
  readings_->update();
  emit footChanged();
}

/// What the bench does, in a sentence.
QString BenchDesk::statusText() const {
  const BenchState& s = context_.bench.state();
  using Phase = BenchState::Phase;
  switch (s.phase) {
    case Phase::none:
      return tr("Enter an output address and connect, or start the simulated bench.");
    case Phase::connecting:
      return tr("Connecting…");
    case Phase::ready:
      if (s.output.silent_s > 2) return tr("No answer for %1 s.").arg(s.output.silent_s, 0, 'f', 0);
      return context_.bench.waitingForOff()
                 ? tr("Off for 2 s; then it is recorded and switched on.")
             : s.output.on_at_connect && s.output_on
                 ? tr("The output was already on at connection, and still is.")
             : s.output_on ? tr("The output is on.")
                           : tr("Ready. The output is off.");
    case Phase::recording:
      return s.armed ? tr("Armed: %1 starts on its trigger.").arg(qs(s.name))
             : !s.away.empty()
                 ? tr("Link lost, reconnecting. The output may still be on: check it.")
                 : tr("Recording %1: %2, %L3 samples, %4 log lines.")
                       .arg(qs(s.name), qs(duration(s.recorded_s)))
                       .arg(s.samples)
                       .arg(s.log_lines);
    case Phase::lost:
      return tr("%1. Its output may still be on: check it, then connect again.")
          .arg(capital(qs(s.output.trouble)));
  }
  return {};
}

void BenchDesk::refreshButtons() {
  const BenchState& s = context_.bench.state();
  const bool ready = s.phase == BenchState::Phase::ready,
             recording = s.phase == BenchState::Phase::recording;
  for (QWidget* w : std::initializer_list<QWidget*>{voltage_, limit_, hold_, cut_off_})
    w->setEnabled(ready);
  output_on_->setEnabled((ready || recording) && !s.output_on);
  output_off_->setEnabled((ready || recording) && s.output_on);
  const bool book = !context_.session.path().isEmpty();
  const bool idle = ready && book && !context_.bench.waitingForOff();
  record_on_->setEnabled(idle && s.output.has_output);
  record_->setEnabled(idle);
  record_on_->setVisible(!recording);
  record_->setVisible(!recording);
  stop_->setVisible(recording);
  stop_->setText(s.away.empty() ? tr("Stop") : tr("End capture"));
  begin_now_->setVisible(recording && s.armed);
  mark_->setVisible(recording && !s.armed);
  mark_note_->setVisible(recording && !s.armed);
  zero_->setEnabled(ready && !s.output_on);
  try_->setEnabled(!recording && !profile_->text().trimmed().isEmpty());
}

QString BenchDesk::settledText() const {
  const BenchState& s = context_.bench.state();
  if (!s.drift) return {};
  const double percent = 100 * *s.drift;
  const QString moved =
      percent < 0.1 ? tr("less than 0.1 %") : tr("%1 %").arg(percent, 0, 'f', percent < 10 ? 1 : 0);
  return *s.drift <= BenchState::kSettled ? tr("settled: drift %1 over 5 s").arg(moved)
                                          : tr("not settled: drift %1 over 5 s").arg(moved);
}

/// How long a recording could be.
QString BenchDesk::roomText() const {
  const BenchState& s = context_.bench.state();
  if (!s.disk_free) return {};
  const double rate = rate_->quantity().value_or(1000) * acquire::stored_bytes({}, true) *
                      (record_voltage_->isChecked() ? 2 : 1);
  const double free = static_cast<double>(*s.disk_free);
  return tr("%1 free on the disk: enough for %2 at this rate.")
      .arg(bytes(free), qs(duration(free / std::max(rate, 1.0))));
}

std::vector<FootPart> BenchDesk::foot() const {
  const BenchState& s = context_.bench.state();
  if (s.phase == BenchState::Phase::recording) {
    return {{tr("Recording %1 into %2").arg(qs(s.name), file_name(context_.session.path())), {}}};
  }
  return {
      {s.phase == BenchState::Phase::none
           ? tr("Nothing connected")
           : tr("Output %1%2")
                 .arg(context_.bench.outputAddress(),
                      context_.bench.logAddress().isEmpty()
                          ? tr(", no device log")
                          : tr(", device log %1")
                                .arg(context_.bench.logAddress().section(QLatin1Char('?'), 0, 0))),
       {}}};
}

}  // namespace kuvio::app
