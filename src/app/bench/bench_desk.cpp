// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/bench_desk.h"

#include "acquire/simulated.h"
#include "app/bench/live_channels_view.h"
#include "app/bench/readings_view.h"
#include "app/bench/wiring_view.h"
#include "app/style/theme.h"
#include "core/quantity.h"

#include <QButtonGroup>
#include <QFormLayout>
#include <QRandomGenerator>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

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
    : Desk(parent), context_(context), preferences_(preferences) {
  setObjectName(QStringLiteral("benchDesk"));
  // On a small screen, or with messages above it, it scrolls rather than pushes the window apart.
  auto* area = new QScrollArea(this);
  area->setFrameShape(QFrame::NoFrame);
  area->setWidgetResizable(true);
  area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  area->setFocusPolicy(Qt::NoFocus);
  auto* content = new QWidget(area);
  area->setWidget(content);
  area->viewport()->setAutoFillBackground(false);
  content->setAutoFillBackground(false);
  auto* whole = new QVBoxLayout(this);
  whole->setContentsMargins(0, 0, 0, 0);
  whole->addWidget(area);
  auto* row = new QHBoxLayout(content);
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
  if (const auto all = shunts()) wiring_->setShunts(*all);
  makeActions();
  connect(&context_.bench, &BenchControl::changed, this, &BenchDesk::refresh);
  connect(&context_.bench, &BenchControl::connected, this, [this] {
    output_address_->setText(context_.bench.outputAddress());
    log_address_->setText(context_.bench.logAddress());
    other_addresses_->setText(context_.bench.wiring().others.join(QStringLiteral(", ")));
    for (QLineEdit* line : {output_address_, log_address_, other_addresses_})
      line->setCursorPosition(0);
    shown_settings_ = false;
    console_->clear();
    if (!context_.bench.simulated()) {
      preferences_.output_address = context_.bench.outputAddress();
      preferences_.log_address = context_.bench.logAddress();
      preferences_.other_addresses = context_.bench.wiring().others.join(QStringLiteral(", "));
      preferences_.profile = context_.bench.wiring().profile;
      emit preferencesChanged();
    }
  });
  connect(&context_.bench, &BenchControl::line, this, [this](const QString& text, bool sent) {
    console_->appendPlainText((sent ? QStringLiteral("→ ") : QString()) + text);
  });
  connect(&context_.bench, &BenchControl::zeroed, this, [this](bool good, const QString& text) {
    zero_text_->setText(good ? text : tr("Not zeroed."));
    for (const auto& [key, answer] : questions_) {
      if (key == QLatin1String("zeroed") && good) answer->setCurrentIndex(1);
    }
    emit messageReported(good ? Message::done(tr("Zeroed: %1.").arg(text))
                              : Message::trouble(text + QLatin1Char('.')));
  });
  connect(&context_.bench, &BenchControl::setupRead, this, &BenchDesk::takeSetup);
  connect(&context_.bench, &BenchControl::setupSaved, this, [this](const QString& file) {
    rememberSetup(file);
    emit messageReported(Message::done(tr("Set-up saved to %1.").arg(file)));
  });
  connect(&context_.bench, &BenchControl::profileTried, this, &BenchDesk::showTried);
  connect(&context_.session, &Session::bookOpened, this, &BenchDesk::refresh);
  refresh();
}

QWidget* BenchDesk::makeInputs() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("CONNECTIONS"));
  auto* form = new QFormLayout;
  form->setLabelAlignment(Qt::AlignLeft);
  output_address_ = field(QStringLiteral("outputAddress"), tr("Address of the output"),
                          QStringLiteral("scpi+tcp://192.168.0.20:5025"), box);
  output_address_->setText(preferences_.output_address);
  log_address_ = field(QStringLiteral("logAddress"), tr("Address of the device log"),
                       QStringLiteral("log+serial:/dev/ttyUSB0?baud=115200"), box);
  log_address_->setText(preferences_.log_address);
  other_addresses_ = field(QStringLiteral("otherAddresses"), tr("Addresses of further inputs"),
                           QStringLiteral("stream+serial:/dev/ttyACM0"), box);
  other_addresses_->setText(preferences_.other_addresses);
  other_addresses_->setToolTip(
      tr("Comma-separated: scpi+tcp, scpi+serial, usbtmc, stream+tcp, stream+serial, lines+tcp, "
         "lines+serial, lines, sysfs."));
  profile_ = field(QStringLiteral("profile"), tr("Instrument profile"),
                   tr("profile file; blank = built-in"), box);
  profile_->setText(preferences_.profile);
  form->addRow(tr("Output"), output_address_);
  form->addRow(tr("Device log"), log_address_);
  form->addRow(tr("More inputs"), other_addresses_);
  form->addRow(tr("Profile"), profile_);
  shunts_ = field(QStringLiteral("shunts"), tr("Shunts by channel"),
                  QStringLiteral("I_shunt: 100 mOhm"), box);
  shunts_->setText(preferences_.shunts);
  shunts_->setToolTip(
      tr("Channel: shunt resistance, comma-separated. A voltage channel is then recorded as the "
         "current through its shunt; for a current channel the burden voltage is shown."));
  form->addRow(tr("Shunt"), shunts_);
  connect(shunts_, &QLineEdit::editingFinished, this, [this] {
    if (const auto all = shunts()) wiring_->setShunts(*all);
  });
  column->addLayout(form);
  auto* buttons = new QHBoxLayout;
  connect_ = button(tr("Connect"), QStringLiteral("connect"), box);
  try_ = button(tr("Try this profile"), QStringLiteral("tryProfile"), box);
  buttons->addWidget(connect_);
  buttons->addWidget(try_);
  setup_ = button(tr("Set-up"), QStringLiteral("setup"), box);
  setup_->setMenu(makeSetupMenu());
  buttons->addWidget(setup_);
  connect(try_, &QPushButton::clicked, this, &BenchDesk::tryProfile);
  connect(profile_, &QLineEdit::textChanged, this, &BenchDesk::refresh);
  buttons->addStretch(1);
  column->addLayout(buttons);
  column->addSpacing(4);
  column->addWidget(remark(tr("No equipment at hand? The simulated bench stands in for a supply "
                              "and a device under test (a parcel logger)."),
                           box));
  auto* simulated = new QHBoxLayout;
  simulated_build_ = new QComboBox(box);
  simulated_build_->setObjectName(QStringLiteral("simulatedBuild"));
  simulated_build_->setAccessibleName(tr("Build of the simulated device"));
  simulated_build_->addItems({QStringLiteral("2.3.0"), QStringLiteral("2.4.0-rc1"),
                              QStringLiteral("2.4.0-rc2"), QStringLiteral("perch")});
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
  simulated_more_ = new QCheckBox(tr("with digitiser and meter"), box);
  simulated_more_->setObjectName(QStringLiteral("simulatedMore"));
  auto* start = new QHBoxLayout;
  start->addWidget(simulate_);
  start->addWidget(simulated_more_);
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
  wiring_ = new WiringView(context_.bench, box);
  column->addWidget(wiring_);
  readings_ = new ReadingsView(context_.bench, box);
  column->addWidget(readings_);
  auto* window = new QComboBox(box);
  window->setObjectName(QStringLiteral("averageOver"));
  window->setAccessibleName(tr("Window of the averaged reading"));
  for (const auto& [text, seconds] :
       {std::pair{tr("average over 1 s"), 1.0}, std::pair{tr("average over 10 s"), 10.0},
        std::pair{tr("average over 1 min"), 60.0}, std::pair{tr("average since connecting"), 1e9}})
    window->addItem(text, seconds);
  connect(window, &QComboBox::currentIndexChanged, this,
          [this, window] { readings_->setWindow(window->currentData().toDouble()); });
  auto* over = new QHBoxLayout;
  over->addWidget(window);
  settled_ = remark({}, box);
  settled_->setObjectName(QStringLiteral("settled"));
  over->addWidget(settled_, 1);
  column->addLayout(over);
  auto* form = new QFormLayout;
  settings_form_ = form;
  voltage_ = new QuantityEdit(QStringLiteral("voltage"), tr("Voltage of the output"),
                              Dimension::voltage, box);
  limit_ = new QuantityEdit(QStringLiteral("currentLimit"), tr("Current limit"), Dimension::current,
                            box);
  which_ = new QComboBox(box);
  which_->setObjectName(QStringLiteral("whichOutput"));
  which_->setAccessibleName(tr("Output to set"));
  connect(which_, &QComboBox::currentIndexChanged, this, &BenchDesk::refreshSettings);
  form->addRow(tr("Settings for"), which_);
  form->setRowVisible(which_, false);
  form->addRow(tr("Voltage"), voltage_);
  form->addRow(tr("Current limit"), limit_);
  range_ = new QComboBox(box);
  range_->setObjectName(QStringLiteral("range"));
  range_->setAccessibleName(tr("Measuring range of the current"));
  form->addRow(tr("Range"), range_);
  form->setRowVisible(range_, false);
  hold_ = new QRadioButton(tr("limit (CC)"), box);
  hold_->setObjectName(QStringLiteral("holdCurrent"));
  cut_off_ = new QRadioButton(tr("switch off (OCP)"), box);
  cut_off_->setObjectName(QStringLiteral("cutOff"));
  cut_off_->setChecked(true);
  auto* over_current = new QHBoxLayout;
  over_current->addWidget(cut_off_);
  over_current->addWidget(hold_);
  over_current->addStretch(1);
  form->addRow(tr("On over-current"), over_current);
  column->addLayout(form);
  auto* switches = new QHBoxLayout;
  output_on_ = button(tr("Switch on"), QStringLiteral("outputOn"), box);
  output_off_ = button(tr("Switch off"), QStringLiteral("outputOff"), box);
  switches->addWidget(output_on_);
  switches->addWidget(output_off_);
  each_output_ = new QHBoxLayout;
  switches->addLayout(each_output_);
  switches->addStretch(1);
  column->addLayout(switches);
  lines_box_ = new QWidget(box);
  each_line_ = new QHBoxLayout(lines_box_);
  each_line_->setContentsMargins(0, 0, 0, 0);
  reset_ = button(tr("Reset device"), QStringLiteral("resetDevice"), lines_box_);
  reset_how_ = field(QStringLiteral("resetHow"), tr("How the device is reset"),
                     tr("line reset low for 100 ms"), lines_box_);
  reset_how_->setToolTip(
      tr("Pulse a digital line (line NAME low for 100 ms) or an output (output off for 1 s)."));
  each_line_->addWidget(reset_);
  each_line_->addWidget(reset_how_, 1);
  column->addWidget(lines_box_);
  connect(reset_, &QPushButton::clicked, this, &BenchDesk::resetDevice);
  channels_ = new LiveChannelsView(context_.bench, box);
  column->addSpacing(6);
  column->addWidget(channels_);
  // What they set reaches a device: leaving the line is not enough.
  voltage_->waitForEnter();
  limit_->waitForEnter();
  connect(voltage_, &QuantityEdit::quantityEdited, this,
          [this] { context_.bench.setVoltage(*voltage_->quantity(), chosenOutput()); });
  connect(limit_, &QuantityEdit::quantityEdited, this,
          [this] { context_.bench.setCurrentLimit(*limit_->quantity(), chosenOutput()); });
  connect(cut_off_, &QRadioButton::clicked, this,
          [this] { context_.bench.setCutOff(true, chosenOutput()); });
  connect(hold_, &QRadioButton::clicked, this,
          [this] { context_.bench.setCutOff(false, chosenOutput()); });
  connect(output_on_, &QPushButton::clicked, this, [this] {
    if (settingsHold()) context_.bench.switchOutput(true);
  });
  connect(&context_.bench, &BenchControl::settingsRefused, this, &BenchDesk::refreshSettings);
  connect(output_off_, &QPushButton::clicked, this, [this] { context_.bench.switchOutput(false); });
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
  ask(tr("Zeroed, DUT disconnected?"), QStringLiteral("zeroed"), {tr("yes"), tr("no")});
  ask(tr("Debugger and USB detached?"), QStringLiteral("debugger"),
      {tr("detached"), tr("attached")});
  ask(tr("Current settled?"), QStringLiteral("settled"), {tr("yes"), tr("no")});
  column->addLayout(form);
  auto* zero = new QHBoxLayout;
  zero_ = button(tr("Zero now"), QStringLiteral("zero"), box);
  zero_->setToolTip(
      tr("Measures the zero offset for 2 s. The output must be off and the device disconnected."));
  zero_text_ = remark({}, box);
  zero->addWidget(zero_);
  zero->addWidget(zero_text_, 1);
  column->addLayout(zero);
  connect(zero_, &QPushButton::clicked, this,
          [this] { context_.bench.zero(2, accuracy_->text()); });
  conditions_ = field(QStringLiteral("conditions"), tr("Other conditions"),
                      QStringLiteral("board=satchel-07, temperature=23 degC"), box);
  conditions_->setText(preferences_.conditions.join(QStringLiteral(", ")));
  auto* others = new QFormLayout;
  others->addRow(tr("Other"), conditions_);
  column->addLayout(others);
  column->addWidget(
      remark(tr("Answers are stored with the capture as conditions. None is required."), box));
  return box;
}

QWidget* BenchDesk::makeRecording() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("RECORDING"));
  auto* form = new QFormLayout;
  build_ = field(QStringLiteral("build"), tr("Build under test"), QStringLiteral("2.4.0-rc1"), box);
  name_ = field(QStringLiteral("captureName"), tr("Name of the capture"), tr("same as build"), box);
  length_ =
      new QuantityEdit(QStringLiteral("length"), tr("Length of the capture"), Dimension::time, box);
  length_->setQuantity(600);
  rate_ =
      new QuantityEdit(QStringLiteral("rate"), tr("Samples per second"), Dimension::frequency, box);
  rate_->setQuantity(1000);
  accuracy_ = field(QStringLiteral("accuracy"), tr("Accuracy of the current"),
                    QLatin1String(acquire::kSimulatedAccuracy), box);
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
  arm_ = field(QStringLiteral("arm"), tr("Start condition"), tr("immediately"), box);
  arm_->setToolTip(tr(
      "A level (I above 5 mA), a logic edge (radio_on rising) or a device log line (log: ^boot)."));
  before_ =
      new QuantityEdit(QStringLiteral("before"), tr("Pre-trigger time"), Dimension::time, box);
  before_->setQuantity(1);
  before_->setMaximumWidth(64);
  until_ = field(QStringLiteral("until"), tr("Stop condition"), tr("e.g. log: ^done"), box);
  auto* begin = new QHBoxLayout;
  begin->addWidget(arm_, 1);
  begin->addWidget(new QLabel(tr("pre-trigger"), box));
  begin->addWidget(before_);
  form->addRow(tr("Start on"), begin);
  form->addRow(tr("Stop on"), until_);
  column->addLayout(form);
  record_voltage_ = new QCheckBox(tr("Record voltage as well"), box);
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
      field(QStringLiteral("markNote"), tr("Note for the next mark"), tr("note for the mark"), box);
  mark_ = button(tr("Mark"), QStringLiteral("mark"), box);
  buttons->addWidget(mark_note_, 1);
  buttons->addWidget(mark_);
  buttons->addStretch(1);
  column->addLayout(buttons);
  connect(begin_now_, &QPushButton::clicked, this, [this] { context_.bench.beginNow(); });
  connect(mark_, &QPushButton::clicked, this, &BenchDesk::markNow);
  connect(mark_note_, &QLineEdit::returnPressed, this, &BenchDesk::markNow);
  connect(endless_, &QCheckBox::toggled, length_, &QWidget::setDisabled);
  connect(record_on_, &QPushButton::clicked, this, [this] { record(true); });
  connect(record_, &QPushButton::clicked, this, [this] { record(false); });
  connect(stop_, &QPushButton::clicked, this, [this] { context_.bench.stop(); });
  for (QuantityEdit* edit : {length_, rate_}) {
    connect(edit, &QuantityEdit::quantityEdited, this, &BenchDesk::refresh);
  }
  return box;
}

QWidget* BenchDesk::makeConsole() {
  auto* box = new QWidget(this);
  auto* column = card(box, tr("DEVICE CONSOLE"));
  console_ = new QPlainTextEdit(box);
  console_->setObjectName(QStringLiteral("console"));
  console_->setAccessibleName(tr("Device output"));
  console_->setReadOnly(true);
  console_->setTabChangesFocus(true);
  console_->setMaximumBlockCount(2000);
  console_->setFont(mono_font(12));
  console_->setMinimumHeight(90);
  console_->setSizePolicy(QSizePolicy::Expanding,
                          QSizePolicy::Ignored);  // as high as there is room
  console_->setPlaceholderText(tr("Device output appears here once its log is connected."));
  auto* row = new QHBoxLayout;
  line_ = field(QStringLiteral("sendLine"), tr("Line to send to the device"),
                tr("line to send, e.g. uplink"), box);
  auto* send = button(tr("Send"), QStringLiteral("send"), box);
  row->addWidget(line_, 1);
  row->addWidget(send);
  column->addWidget(console_, 1);
  column->addLayout(row);
  connect(line_, &QLineEdit::returnPressed, this, &BenchDesk::sendLine);
  connect(send, &QPushButton::clicked, this, &BenchDesk::sendLine);
  return box;
}

}  // namespace kuvio::app
