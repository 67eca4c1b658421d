// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/bench_desk.h"

#include "app/bench/live_channels_view.h"
#include "app/bench/readings_view.h"
#include "app/look/theme.h"
#include "core/quantity.h"

#include <QButtonGroup>
#include <QFontDatabase>
#include <QFormLayout>
#include <QRandomGenerator>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

QString q(const std::string& text) { return QString::fromStdString(text); }

QString bytes(double n) {
  return n >= 1e9   ? QStringLiteral("%1 GB").arg(n / 1e9, 0, 'f', n >= 1e10 ? 0 : 1)
         : n >= 1e6 ? QStringLiteral("%1 MB").arg(n / 1e6, 0, 'f', 0)
                    : QStringLiteral("%1 kB").arg(n / 1e3, 0, 'f', 0);
}

QLineEdit* field(const QString& name, const QString& accessible, const QString& hint,
                 QWidget* parent) {
  auto* out = new QLineEdit(parent);
  out->setObjectName(name);
  out->setAccessibleName(accessible);
  out->setPlaceholderText(hint);
  return out;
}

QVBoxLayout* card(QWidget* box, const QString& title) {
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(8);
  column->addWidget(heading(title, box));
  column->addWidget(ruling(box));
  return column;
}

}  // namespace

BenchDesk::BenchDesk(const Context& context, Preferences& preferences, QWidget* parent)
    : Desk(parent), c_(context), preferences_(preferences) {
  setObjectName(QStringLiteral("benchDesk"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(24, 18, 24, 16);
  row->setSpacing(32);
  auto* left = new QVBoxLayout;
  left->setSpacing(22);
  left->addWidget(makeInputs());
  left->addWidget(makeConditions());
  left->addStretch(1);
  auto* middle = new QVBoxLayout;
  middle->setSpacing(22);
  middle->addWidget(makeOutput());
  middle->addStretch(1);
  auto* right = new QVBoxLayout;
  right->setSpacing(22);
  right->addWidget(makeRecording());
  right->addWidget(makeConsole(), 1);
  row->addLayout(left, 30);
  row->addLayout(middle, 36);
  row->addLayout(right, 34);
  makeActions();
  connect(&c_.bench, &BenchControl::changed, this, &BenchDesk::refresh);
  connect(&c_.bench, &BenchControl::connected, this, [this] {
    output_address_->setText(c_.bench.outputAddress());
    log_address_->setText(c_.bench.logAddress());
    other_addresses_->setText(c_.bench.wiring().others.join(QStringLiteral(", ")));
    for (QLineEdit* line : {output_address_, log_address_, other_addresses_})
      line->setCursorPosition(0);
    shown_settings_ = false;
    console_->clear();
    if (!c_.bench.simulated()) {
      preferences_.output_address = c_.bench.outputAddress();
      preferences_.log_address = c_.bench.logAddress();
      preferences_.other_addresses = c_.bench.wiring().others.join(QStringLiteral(", "));
      preferences_.profile = c_.bench.wiring().profile;
      emit preferencesChanged();
    }
  });
  connect(&c_.bench, &BenchControl::line, this, [this](const QString& text, bool sent) {
    console_->appendPlainText((sent ? QStringLiteral("→ ") : QString()) + text);
  });
  connect(&c_.bench, &BenchControl::zeroed, this, [this](bool good, const QString& text) {
    zero_text_->setText(good ? text : tr("Not zeroed."));
    for (const auto& [key, answer] : questions_) {
      if (key == QLatin1String("zeroed") && good) answer->setCurrentIndex(1);
    }
    emit told(good ? tr("Zeroed: %1.").arg(text) : text + QLatin1Char('.'));
  });
  connect(&c_.bench, &BenchControl::profileTried, this, &BenchDesk::showTried);
  connect(&c_.session, &Session::bookOpened, this, &BenchDesk::refresh);
  refresh();
}

QWidget* BenchDesk::makeInputs() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("WIRED UP"));
  auto* form = new QFormLayout;
  form->setLabelAlignment(Qt::AlignLeft);
  output_address_ = field(QStringLiteral("outputAddress"), tr("Address of the output"),
                          QStringLiteral("scpi+tcp://192.168.0.20:5025"), box);
  output_address_->setText(preferences_.output_address);
  log_address_ = field(QStringLiteral("logAddress"), tr("Address of the device log"),
                       QStringLiteral("log+serial:/dev/ttyUSB0?baud=115200"), box);
  log_address_->setText(preferences_.log_address);
  other_addresses_ = field(QStringLiteral("otherAddresses"), tr("Addresses of further inputs"),
                           QStringLiteral("stream+serial:/dev/ttyACM0, lines:/tmp/pipe"), box);
  other_addresses_->setText(preferences_.other_addresses);
  other_addresses_->setToolTip(
      tr("Any of scpi+tcp, scpi+serial, usbtmc, stream+tcp, stream+serial, lines+tcp, "
         "lines+serial, lines and sysfs, with commas between them."));
  profile_ = field(QStringLiteral("profile"), tr("Instrument profile"),
                   tr("a file; those that ship need none"), box);
  profile_->setText(preferences_.profile);
  form->addRow(tr("Output"), output_address_);
  form->addRow(tr("Device log"), log_address_);
  form->addRow(tr("Also"), other_addresses_);
  form->addRow(tr("Profile"), profile_);
  column->addLayout(form);
  auto* buttons = new QHBoxLayout;
  connect_ = button(tr("Connect"), QStringLiteral("connect"), box);
  try_ = button(tr("Try this profile"), QStringLiteral("tryProfile"), box);
  buttons->addWidget(connect_);
  buttons->addWidget(try_);
  connect(try_, &QPushButton::clicked, this, &BenchDesk::tryProfile);
  connect(profile_, &QLineEdit::textChanged, this, &BenchDesk::refresh);
  buttons->addStretch(1);
  column->addLayout(buttons);
  column->addSpacing(4);
  column->addWidget(remark(tr("No equipment at hand? The simulated bench plays a supply and a "
                              "device, a parcel logger."),
                           box));
  auto* simulated = new QHBoxLayout;
  simulated_build_ = new QComboBox(box);
  simulated_build_->setObjectName(QStringLiteral("simulatedBuild"));
  simulated_build_->setAccessibleName(tr("Build of the simulated device"));
  simulated_build_->addItems({QStringLiteral("2.3.0"), QStringLiteral("2.4.0-rc1"),
                              QStringLiteral("2.4.0-rc2"), QStringLiteral("tally")});
  simulated_build_->setCurrentText(preferences_.simulated_build);
  simulated_speed_ = new QSpinBox(box);
  simulated_speed_->setObjectName(QStringLiteral("simulatedSpeed"));
  simulated_speed_->setAccessibleName(tr("Simulated seconds per second"));
  simulated_speed_->setRange(1, 2000);
  simulated_speed_->setValue(60);
  simulated_speed_->setSuffix(tr(" × real time"));
  simulate_ = button(tr("Start simulated bench"), QStringLiteral("simulate"), box);
  simulated->addWidget(simulated_build_);
  simulated->addWidget(simulated_speed_);
  column->addLayout(simulated);
  simulated_more_ = new QCheckBox(tr("with a shunt digitiser and a meter"), box);
  simulated_more_->setObjectName(QStringLiteral("simulatedMore"));
  column->addWidget(simulated_more_);
  auto* start = new QHBoxLayout;
  start->addWidget(simulate_);
  start->addStretch(1);
  column->addLayout(start);
  connect(connect_, &QPushButton::clicked, this, &BenchDesk::connectAddresses);
  connect(output_address_, &QLineEdit::returnPressed, this, &BenchDesk::connectAddresses);
  connect(log_address_, &QLineEdit::returnPressed, this, &BenchDesk::connectAddresses);
  connect(other_addresses_, &QLineEdit::returnPressed, this, &BenchDesk::connectAddresses);
  connect(simulate_, &QPushButton::clicked, this, &BenchDesk::startSimulated);
  return box;
}

QWidget* BenchDesk::makeOutput() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("OUTPUT"));
  identity_ = new QLabel(box);
  identity_->setFont(Theme::baseFont(13, QFont::DemiBold));
  identity_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  status_ = remark({}, box);
  status_->setObjectName(QStringLiteral("benchStatus"));
  column->addWidget(identity_);
  column->addWidget(status_);
  readings_ = new ReadingsView(c_.bench, box);
  column->addWidget(readings_);
  auto* window = new QComboBox(box);
  window->setObjectName(QStringLiteral("averageOver"));
  window->setAccessibleName(tr("Window of the averaged reading"));
  for (const auto& [text, seconds] :
       {std::pair{tr("average over 1 s"), 1.0}, std::pair{tr("average over 10 s"), 10.0},
        std::pair{tr("average over 1 min"), 60.0}, std::pair{tr("average over all"), 1e9}})
    window->addItem(text, seconds);
  connect(window, &QComboBox::currentIndexChanged, this,
          [this, window] { readings_->setWindow(window->currentData().toDouble()); });
  auto* over = new QHBoxLayout;
  over->addWidget(window);
  over->addStretch(1);
  column->addLayout(over);
  auto* form = new QFormLayout;
  voltage_ = new QuantityEdit(QStringLiteral("voltage"), tr("Voltage of the output"),
                              static_cast<int>(Dimension::voltage), box);
  limit_ = new QuantityEdit(QStringLiteral("currentLimit"), tr("Current limit"),
                            static_cast<int>(Dimension::current), box);
  form->addRow(tr("Voltage"), voltage_);
  form->addRow(tr("Current limit"), limit_);
  hold_ = new QRadioButton(tr("hold current (CC)"), box);
  hold_->setObjectName(QStringLiteral("holdCurrent"));
  cut_off_ = new QRadioButton(tr("switch output off (OCP)"), box);
  cut_off_->setObjectName(QStringLiteral("cutOff"));
  cut_off_->setChecked(true);
  auto* over_current = new QVBoxLayout;
  over_current->addWidget(cut_off_);
  over_current->addWidget(hold_);
  form->addRow(tr("On over-current"), over_current);
  column->addLayout(form);
  auto* switches = new QHBoxLayout;
  output_on_ = button(tr("Switch on"), QStringLiteral("outputOn"), box);
  output_off_ = button(tr("Switch off"), QStringLiteral("outputOff"), box);
  switches->addWidget(output_on_);
  switches->addWidget(output_off_);
  switches->addStretch(1);
  column->addLayout(switches);
  each_output_ = new QHBoxLayout;
  each_output_->addStretch(1);
  column->addLayout(each_output_);
  channels_ = new LiveChannelsView(c_.bench, box);
  column->addSpacing(6);
  column->addWidget(channels_);
  connect(voltage_, &QuantityEdit::quantityEdited, this,
          [this] { c_.bench.setVoltage(*voltage_->quantity()); });
  connect(limit_, &QuantityEdit::quantityEdited, this,
          [this] { c_.bench.setCurrentLimit(*limit_->quantity()); });
  for (QuantityEdit* edit : {voltage_, limit_})
    connect(edit, &QuantityEdit::wrong, this, &Desk::told);
  connect(cut_off_, &QRadioButton::clicked, this, [this] { c_.bench.setCutOff(true); });
  connect(hold_, &QRadioButton::clicked, this, [this] { c_.bench.setCutOff(false); });
  connect(output_on_, &QPushButton::clicked, this, [this] { c_.bench.switchOutput(true); });
  connect(output_off_, &QPushButton::clicked, this, [this] { c_.bench.switchOutput(false); });
  return box;
}

QWidget* BenchDesk::makeConditions() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("BEFORE YOU START"));
  auto* form = new QFormLayout;
  const auto ask = [&](const QString& text, const QString& key, const QStringList& answers) {
    auto* answer = new QComboBox(box);
    answer->setObjectName(QStringLiteral("ask_") + key);
    answer->setAccessibleName(text);
    answer->addItem(tr("not answered"));
    answer->addItems(answers);
    form->addRow(text, answer);
    questions_.emplace_back(key, answer);
  };
  ask(tr("Zeroed with the DUT off?"), QStringLiteral("zeroed"), {tr("yes"), tr("no")});
  ask(tr("Debugger, USB detached?"), QStringLiteral("debugger"), {tr("off"), tr("attached")});
  ask(tr("Current settled?"), QStringLiteral("settled"), {tr("yes"), tr("no")});
  column->addLayout(form);
  auto* zero = new QHBoxLayout;
  zero_ = button(tr("Zero now"), QStringLiteral("zero"), box);
  zero_->setToolTip(
      tr("Measures for two seconds what is read while nothing flows; the output must "
         "be off and the device disconnected."));
  zero_text_ = remark({}, box);
  zero->addWidget(zero_);
  zero->addWidget(zero_text_, 1);
  column->addLayout(zero);
  connect(zero_, &QPushButton::clicked, this, [this] { c_.bench.zero(2, accuracy_->text()); });
  conditions_ = field(QStringLiteral("conditions"), tr("Other conditions"),
                      QStringLiteral("board=satchel-07, temperature=23 degC"), box);
  conditions_->setText(preferences_.conditions.join(QStringLiteral(", ")));
  auto* others = new QFormLayout;
  others->addRow(tr("Also"), conditions_);
  column->addLayout(others);
  column->addWidget(remark(tr("Answers are kept with the capture as its conditions. None of them "
                              "stops you."),
                           box));
  return box;
}

QWidget* BenchDesk::makeRecording() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("RECORDING"));
  auto* form = new QFormLayout;
  build_ = field(QStringLiteral("build"), tr("Build under test"), QStringLiteral("2.4.0-rc1"), box);
  name_ = field(QStringLiteral("captureName"), tr("Name of the capture"), tr("as the build"), box);
  length_ = new QuantityEdit(QStringLiteral("length"), tr("Length of the capture"),
                             static_cast<int>(Dimension::time), box);
  length_->setQuantity(600);
  rate_ = new QuantityEdit(QStringLiteral("rate"), tr("Samples per second"),
                           static_cast<int>(Dimension::frequency), box);
  rate_->setQuantity(1000);
  accuracy_ = field(QStringLiteral("accuracy"), tr("Accuracy of the current"),
                    QStringLiteral("0.08 % + 40 nA"), box);
  logic_ = field(QStringLiteral("logicLines"), tr("Names of logic lines, from bit 0"),
                 QStringLiteral("radio_on, locate_on"), box);
  form->addRow(tr("Build"), build_);
  form->addRow(tr("Name"), name_);
  endless_ = new QCheckBox(tr("until stopped"), box);
  endless_->setObjectName(QStringLiteral("endless"));
  auto* length = new QHBoxLayout;
  length->addWidget(length_, 1);
  length->addWidget(endless_);
  form->addRow(tr("Length"), length);
  form->addRow(tr("Rate"), rate_);
  form->addRow(tr("Accuracy"), accuracy_);
  form->addRow(tr("Logic lines"), logic_);
  arm_ = field(QStringLiteral("arm"), tr("What the capture begins with"),
               tr("at once, or: I above 5 mA"), box);
  arm_->setToolTip(
      tr("A level that is passed (I above 5 mA), an edge of a logic line (radio_on "
         "rising) or a line of the device (log: ^boot)."));
  before_ = new QuantityEdit(QStringLiteral("before"), tr("Kept of what was before"),
                             static_cast<int>(Dimension::time), box);
  before_->setQuantity(1);
  before_->setMaximumWidth(64);
  until_ = field(QStringLiteral("until"), tr("What the capture ends with"),
                 tr("its length, or: log: ^done"), box);
  auto* begin = new QHBoxLayout;
  begin->addWidget(arm_, 1);
  begin->addWidget(new QLabel(tr("keeping"), box));
  begin->addWidget(before_);
  begin->addWidget(new QLabel(tr("before"), box));
  form->addRow(tr("Begins"), begin);
  form->addRow(tr("Ends also"), until_);
  connect(before_, &QuantityEdit::wrong, this, &Desk::told);
  column->addLayout(form);
  record_voltage_ = new QCheckBox(tr("Record the voltage too"), box);
  record_voltage_->setObjectName(QStringLiteral("recordVoltage"));
  record_voltage_->setChecked(true);
  power_off_ = new QCheckBox(tr("Switch the output off at the end"), box);
  power_off_->setObjectName(QStringLiteral("powerOff"));
  power_off_->setChecked(true);
  column->addWidget(record_voltage_);
  column->addWidget(power_off_);
  where_ = remark({}, box);
  room_ = remark({}, box);
  column->addWidget(where_);
  column->addWidget(room_);
  auto* buttons = new QHBoxLayout;
  record_on_ = button(tr("Record, then power on"), QStringLiteral("recordPowerOn"), box, true);
  record_ = button(tr("Record"), QStringLiteral("record"), box);
  stop_ = button(tr("Stop"), QStringLiteral("stopRecording"), box, true);
  buttons->addWidget(record_on_);
  buttons->addWidget(record_);
  buttons->addWidget(stop_);
  begin_now_ = button(tr("Begin now"), QStringLiteral("beginNow"), box);
  buttons->addWidget(begin_now_);
  mark_note_ =
      field(QStringLiteral("markNote"), tr("Note of the next mark"), tr("note of a mark"), box);
  mark_ = button(tr("Mark"), QStringLiteral("mark"), box);
  buttons->addWidget(mark_note_, 1);
  buttons->addWidget(mark_);
  buttons->addStretch(1);
  column->addLayout(buttons);
  connect(begin_now_, &QPushButton::clicked, this, [this] { c_.bench.beginNow(); });
  connect(mark_, &QPushButton::clicked, this, &BenchDesk::markNow);
  connect(mark_note_, &QLineEdit::returnPressed, this, &BenchDesk::markNow);
  connect(endless_, &QCheckBox::toggled, length_, &QWidget::setDisabled);
  connect(record_on_, &QPushButton::clicked, this, [this] { record(true); });
  connect(record_, &QPushButton::clicked, this, [this] { record(false); });
  connect(stop_, &QPushButton::clicked, this, [this] { c_.bench.stop(); });
  for (QuantityEdit* edit : {length_, rate_}) {
    connect(edit, &QuantityEdit::wrong, this, &Desk::told);
    connect(edit, &QuantityEdit::quantityEdited, this, &BenchDesk::refresh);
  }
  return box;
}

QWidget* BenchDesk::makeConsole() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("DEVICE CONSOLE"));
  console_ = new QPlainTextEdit(box);
  console_->setObjectName(QStringLiteral("console"));
  console_->setAccessibleName(tr("What the device says"));
  console_->setReadOnly(true);
  console_->setTabChangesFocus(true);
  console_->setMaximumBlockCount(2000);
  QFont mono = QFontDatabase::systemFont(QFontDatabase::FixedFont);
  mono.setPixelSize(12);
  console_->setFont(mono);
  console_->setMinimumHeight(56);
  console_->setPlaceholderText(tr("The device's own lines, once its log is connected."));
  auto* row = new QHBoxLayout;
  line_ = field(QStringLiteral("sendLine"), tr("Line to send to the device"),
                tr("a line to send, as in: uplink"), box);
  auto* send = button(tr("Send"), QStringLiteral("send"), box);
  row->addWidget(line_, 1);
  row->addWidget(send);
  column->addWidget(console_, 1);
  column->addLayout(row);
  connect(line_, &QLineEdit::returnPressed, this, &BenchDesk::sendLine);
  connect(send, &QPushButton::clicked, this, &BenchDesk::sendLine);
  return box;
}

void BenchDesk::makeActions() {
  const QString menu = tr("Record"), desk = QStringLiteral("Bench");
  Actions& a = c_.actions;
  a.add(
      QStringLiteral("recordPowerOnAction"), menu, tr("Record, then power on"),
      QKeySequence(tr("Ctrl+Shift+Space")), [this] { record(true); }, desk);
  a.add(
      QStringLiteral("recordAction"), menu, tr("Record"), QKeySequence(tr("Ctrl+Space")),
      [this] { record(false); }, desk);
  a.add(QStringLiteral("stopAction"), menu, tr("Stop recording"), QKeySequence(tr("Ctrl+.")),
        [this] { c_.bench.stop(); });
  a.add(QStringLiteral("markAction"), menu, tr("Mark this moment"), QKeySequence(tr("Ctrl+J")),
        [this] { markNow(); });
  a.add(
      QStringLiteral("zeroAction"), menu, tr("Zero now"), {},
      [this] { c_.bench.zero(2, accuracy_->text()); }, desk);
  a.add(
      QStringLiteral("tryProfileAction"), menu, tr("Try this profile"), {},
      [this] { tryProfile(); }, desk);
  a.add(QStringLiteral("switchOff"), menu, tr("Switch output off"), QKeySequence(tr("Ctrl+0")),
        [this] { c_.bench.switchOutput(false); });
  a.add(
      QStringLiteral("switchOn"), menu, tr("Switch output on"), {},
      [this] { c_.bench.switchOutput(true); }, desk);
  a.add(
      QStringLiteral("simulateAction"), menu, tr("Start simulated bench"), {},
      [this] { startSimulated(); }, desk);
  a.add(
      QStringLiteral("connectAction"), menu, tr("Connect"), {}, [this] { connectAddresses(); },
      desk);
  a.add(QStringLiteral("sendAction"), menu, tr("Send a line to the device"),
        QKeySequence(tr("Ctrl+T")), [this] {
          emit deskWanted(QStringLiteral("Bench"));
          line_->setFocus();
        });
}

/// A unit with several outputs has a switch for each.
void BenchDesk::refreshOutputs() {
  const auto& outputs = c_.bench.state().output.outputs;
  const bool several = outputs.size() > 1;
  while (output_buttons_.size() > (several ? static_cast<qsizetype>(outputs.size()) : 0))
    delete output_buttons_.takeLast();
  if (!several) return;
  while (output_buttons_.size() < static_cast<qsizetype>(outputs.size())) {
    const auto i = static_cast<std::size_t>(output_buttons_.size());
    auto* b = button({}, QStringLiteral("switchOutput%1").arg(i + 1), this);
    connect(b, &QPushButton::clicked, this, [this, i] {
      const auto& now = c_.bench.state().output.outputs;
      if (i < now.size()) c_.bench.switchOutput(!now[i].second, q(now[i].first));
    });
    each_output_->insertWidget(static_cast<int>(i), b);
    output_buttons_.append(b);
  }
  for (std::size_t i = 0; i < outputs.size(); ++i) {
    const QString name = outputs[i].first.empty() ? QString::number(i + 1) : q(outputs[i].first);
    const QString text = outputs[i].second ? tr("Output %1 is on: switch off").arg(name)
                                           : tr("Output %1 is off: switch on").arg(name);
    output_buttons_[static_cast<qsizetype>(i)]->setText(text);
    output_buttons_[static_cast<qsizetype>(i)]->setAccessibleName(text);
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
  c_.bench.connectTo(wiring);
}

void BenchDesk::markNow() {
  if (!c_.bench.recording()) {
    emit told(tr("Marks are made while a capture is recorded."));
    return;
  }
  ++marks_;
  const QString note = mark_note_->text().trimmed();
  c_.bench.mark(note.isEmpty() ? tr("mark %1").arg(marks_) : note);
  mark_note_->clear();
}

void BenchDesk::tryProfile() {
  if (profile_->text().trimmed().isEmpty()) {
    emit told(tr("Give the file of a profile first; docs/profiles.md says how one is written."));
    profile_->setFocus();
    return;
  }
  emit told(tr("Trying the profile: nothing is switched on, settings stay as they are…"));
  c_.bench.tryProfile(output_address_->text(), profile_->text());
}

/// Shown in the console: it stays, can be read beside the file, and copied.
void BenchDesk::showTried(const std::vector<acquire::TryStep>& steps, const QString& trouble) {
  if (!trouble.isEmpty()) {
    emit told(trouble + QLatin1Char('.'));
    return;
  }
  int wrong = 0;
  console_->clear();
  for (const acquire::TryStep& s : steps) {
    const bool good = s.trouble.empty();
    wrong += good ? 0 : 1;
    console_->appendPlainText(tr("%1 %2  %3  %4")
                                  .arg(good ? QStringLiteral("✓") : QStringLiteral("✗"), q(s.key),
                                       q(s.command), q(good ? s.answer : s.trouble)));
  }
  emit told(wrong == 0 ? tr("The profile fits: every command was answered as it should be.")
                       : tr("The profile does not fit yet: %1 of %2 commands to look at, in the "
                            "console.")
                             .arg(wrong)
                             .arg(steps.size()));
}

std::optional<acquire::Trigger> BenchDesk::trigger(QLineEdit* edit, const QString& what) {
  const QString text = edit->text().trimmed();
  if (text.isEmpty()) return acquire::Trigger{};
  try {
    return acquire::parse_trigger(text.toStdString());
  } catch (const std::invalid_argument& e) {
    emit told(tr("%1: %2.").arg(what, QString::fromUtf8(e.what())));
    edit->setFocus();
    return std::nullopt;
  }
}

void BenchDesk::startSimulated() {
  const QString build = simulated_build_->currentText();
  preferences_.simulated_build = build;
  emit preferencesChanged();
  c_.bench.startSimulated(build, seed_, simulated_speed_->value(), simulated_more_->isChecked());
  build_->setText(build);
  if (build == QLatin1String("tally")) {
    logic_->clear();
  } else if (logic_->text().isEmpty()) {
    logic_->setText(QStringLiteral("radio_on, locate_on"));
  }
  if (accuracy_->text().isEmpty()) accuracy_->setText(QStringLiteral("0.08 % + 40 nA"));
}

void BenchDesk::sendLine() {
  const QString text = line_->text().trimmed();
  if (text.isEmpty()) return;
  if (c_.bench.logAddress().isEmpty()) {
    emit told(tr("There is no device log to send on: give its address and connect."));
    return;
  }
  c_.bench.send(text);
  line_->clear();
}

std::optional<RecordWish> BenchDesk::wish(bool power_on) {
  RecordWish w;
  length_->commit();
  rate_->commit();
  if (length_->isWrong() || rate_->isWrong()) return std::nullopt;  // told
  w.build = build_->text().trimmed().toStdString();
  w.name = name_->text().trimmed().toStdString();
  if (w.build.empty()) {
    emit told(tr("Name the build under test: everything is compared by it."));
    build_->setFocus();
    return std::nullopt;
  }
  if (w.name.empty()) w.name = w.build;
  w.seconds = endless_->isChecked() ? 0 : length_->quantity().value_or(0);
  w.rate_hz = rate_->quantity().value_or(0);
  if (!(w.rate_hz > 0) || (!endless_->isChecked() && !(w.seconds > 0))) {
    emit told(tr("Length and rate must be more than nothing."));
    return std::nullopt;
  }
  w.accuracy = accuracy_->text().trimmed().toStdString();
  try {
    if (!w.accuracy.empty()) parse_accuracy(w.accuracy);
  } catch (const std::invalid_argument& e) {
    emit told(tr("Accuracy: %1").arg(QString::fromUtf8(e.what())));
    accuracy_->setFocus();
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
      emit told(tr("A condition looks like board=7, not \"%1\".").arg(part.trimmed()));
      conditions_->setFocus();
      return std::nullopt;
    }
    w.conditions[part.left(equals).trimmed().toStdString()] =
        part.mid(equals + 1).trimmed().toStdString();
    kept << part.trimmed();
  }
  preferences_.conditions = kept;
  emit preferencesChanged();
  before_->commit();
  const auto arm = trigger(arm_, tr("Begins")), until = trigger(until_, tr("Ends also"));
  if (!arm || !until || before_->isWrong()) return std::nullopt;
  w.arm = *arm;
  w.until = *until;
  w.before_s = arm->wanted() ? std::clamp(before_->quantity().value_or(0), 0.0, 600.0) : 0;
  w.record_voltage = record_voltage_->isChecked();
  w.power_off = power_off_->isChecked();
  w.power_on = power_on;
  return w;
}

void BenchDesk::record(bool power_on) {
  if (c_.bench.recording()) return;
  marks_ = 0;
  if (const auto w = wish(power_on)) c_.bench.record(*w);
}

void BenchDesk::refresh() {
  const BenchState& s = c_.bench.state();
  using Phase = BenchState::Phase;
  const bool ready = s.phase == Phase::ready, recording = s.phase == Phase::recording;
  identity_->setText(s.phase == Phase::none ? tr("Nothing connected")
                     : s.output.identity.empty()
                         ? c_.bench.outputAddress()
                         : q(s.output.identity)
                               .section(QLatin1Char(','), 0, 1)
                               .replace(QLatin1Char(','), QLatin1Char(' ')));
  QString status;
  switch (s.phase) {
    case Phase::none:
      status = tr("Give the address of an output and connect, or start the simulated bench.");
      break;
    case Phase::connecting:
      status = tr("Connecting…");
      break;
    case Phase::ready:
      status = s.output.found_on && s.output_on
                   ? tr("The output was on when it was found. It is still on.")
               : s.output_on ? tr("The output is on.")
                             : tr("Ready. The output is off.");
      if (s.output.silent_s > 2)
        status = tr("No answer for %1 s.").arg(s.output.silent_s, 0, 'f', 0);
      break;
    case Phase::recording:
      status = s.armed ? tr("Armed: %1 begins with what it waits for.").arg(q(s.name))
                       : tr("Recording %1: %2, %L3 samples, %4 log lines.")
                             .arg(q(s.name), q(duration(s.recorded_s)))
                             .arg(s.samples)
                             .arg(s.log_lines);
      break;
    case Phase::lost:
      status = tr("Lost: %1. Its output may still be on: check it, then connect again.")
                   .arg(q(s.output.trouble));
      break;
  }
  status_->setText(status);
  if (ready && !shown_settings_ && !s.output.identity.empty()) {
    shown_settings_ = true;
    voltage_->setQuantity(s.output.set_voltage);
    limit_->setQuantity(s.output.current_limit);
    (s.output.cut_off ? cut_off_ : hold_)->setChecked(true);
    if (accuracy_->text().isEmpty()) accuracy_->setText(c_.bench.knownAccuracy());
  }
  for (QWidget* w : std::initializer_list<QWidget*>{voltage_, limit_, hold_, cut_off_})
    w->setEnabled(ready);
  output_on_->setEnabled((ready || recording) && !s.output_on);
  output_off_->setEnabled((ready || recording) && s.output_on);
  const bool book = !c_.session.path().isEmpty();
  record_on_->setEnabled(ready && book && s.output.has_output);
  record_->setEnabled(ready && book);
  record_on_->setVisible(!recording);
  record_->setVisible(!recording);
  stop_->setVisible(recording);
  begin_now_->setVisible(recording && s.armed);
  mark_->setVisible(recording && !s.armed);
  mark_note_->setVisible(recording && !s.armed);
  zero_->setEnabled(ready && !s.output_on);
  try_->setEnabled(!recording && !profile_->text().trimmed().isEmpty());
  channels_->update();
  refreshOutputs();
  connect_->setEnabled(!recording);
  simulate_->setEnabled(!recording);
  where_->setText(book ? tr("Current%1 and the device log go into %2, safe within a second.")
                             .arg(record_voltage_->isChecked() ? tr(", voltage") : QString(),
                                  c_.session.path().section(QLatin1Char('/'), -1))
                       : tr("No book is open. Make one: Menu, Book, New book… (Ctrl+N)"));
  where_->setVisible(!recording);
  room_->setVisible(!recording);  // the strip tells
  QString room;
  if (s.disk_free) {
    const double rate =
        rate_->quantity().value_or(1000) * 4.2 * (record_voltage_->isChecked() ? 2 : 1);
    const double free = static_cast<double>(*s.disk_free);
    room = tr("%1 free on the disk: enough for %2 at this rate.")
               .arg(bytes(free), q(duration(free / std::max(rate, 1.0))));
  }
  room_->setText(room);
  readings_->update();
  emit footChanged();
}

std::vector<FootPart> BenchDesk::foot() const {
  const BenchState& s = c_.bench.state();
  if (s.phase == BenchState::Phase::recording) {
    return {
        {tr("Recording %1 into %2").arg(q(s.name), c_.session.path().section(QLatin1Char('/'), -1)),
         {}}};
  }
  return {{s.phase == BenchState::Phase::none
               ? tr("Nothing connected")
               : tr("Output %1%2")
                     .arg(c_.bench.outputAddress(),
                          c_.bench.logAddress().isEmpty()
                              ? tr(", no device log")
                              : tr(", device log %1")
                                    .arg(c_.bench.logAddress().section(QLatin1Char('?'), 0, 0))),
           {}}};
}

}  // namespace kuvio::app
