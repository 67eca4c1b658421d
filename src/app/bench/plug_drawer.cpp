// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/plug_drawer.h"

#include "app/engine/text.h"
#include "app/style/cut_label.h"
#include "app/style/field_note.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "core/error.h"

#include <QHBoxLayout>
#include <QRegularExpression>
#include <QScrollArea>
#include <QVBoxLayout>

namespace kuvio::app {
namespace {

constexpr int kScpiPort = 5025;  // registered for SCPI over raw TCP
constexpr Px kListHigh{118};

QString words_of(WiredAs as) {
  switch (as) {
    case WiredAs::instrument:
      return PlugDrawer::tr("an instrument");
    case WiredAs::log:
      return PlugDrawer::tr("the device's log");
    case WiredAs::readings:
      return PlugDrawer::tr("readings");
  }
  return {};
}

}  // namespace

TypedAddress typed_address(const QString& typed, WiredAs as) {
  const QString text = typed.trimmed();
  TypedAddress out{text, as, {}};
  if (text.isEmpty()) return {text, as, PlugDrawer::tr("Type an address first.")};
  static const QRegularExpression scheme(QStringLiteral("^[a-z]+(\\+[a-z]+)?:")),
      host(QStringLiteral("^[A-Za-z0-9._-]+(:\\d+)?$|^\\[[0-9a-fA-F:]+\\](:\\d+)?$"));
  if (text.startsWith(QLatin1Char('/'))) {
    const bool usbtmc = text.contains(QLatin1String("usbtmc"));
    const bool sensor = text.startsWith(QLatin1String("/sys/"));
    out.address = usbtmc                    ? QStringLiteral("usbtmc:") + text
                  : sensor                  ? QStringLiteral("sysfs:") + text
                  : as == WiredAs::log      ? QStringLiteral("log+serial:") + text
                  : as == WiredAs::readings ? QStringLiteral("lines+serial:") + text
                                            : QStringLiteral("scpi+serial:") + text;
  } else if (!scheme.match(text).hasMatch() || host.match(text).hasMatch()) {
    if (!host.match(text).hasMatch())
      return {text, as,
              PlugDrawer::tr("\"%1\" is no address. Such are 192.168.0.20, lab-psu.local:5025, "
                             "/dev/ttyUSB0 or scpi+tcp://HOST:PORT.")
                  .arg(text)};
    const bool port = text.contains(QRegularExpression(QStringLiteral(":\\d+$")));
    const QString where = port ? text : text + QLatin1Char(':') + QString::number(kScpiPort);
    out.address = (as == WiredAs::log        ? QStringLiteral("log+tcp://")
                   : as == WiredAs::readings ? QStringLiteral("lines+tcp://")
                                             : QStringLiteral("scpi+tcp://")) +
                  where;
  }
  try {
    const acquire::Endpoint e = acquire::parse_endpoint(out.address.toStdString());
    if (e.is_log()) out.as = WiredAs::log;
    if (!e.is_log() && !e.is_instrument()) out.as = WiredAs::readings;
    if (e.is_instrument() && as == WiredAs::log) out.as = WiredAs::instrument;
  } catch (const Error& e) {
    out.trouble = QString::fromUtf8(e.what());
  }
  return out;
}

PlugDrawer::PlugDrawer(BenchControl& bench, const Preferences& preferences, QWidget* parent)
    : DrawerPage(QStringLiteral("plugDrawer"), tr("WHAT IS PLUGGED IN?"), bench, parent),
      preferences_(preferences) {
  makeSimulated();
  makeTyped();
  makeFound();
  connect(&bench, &BenchControl::pluggedIn, this,
          [this](const std::vector<acquire::PluggedIn>& found) {
            plugged_ = found;
            list();
          });
  connect(&bench, &BenchControl::announcedChanged, this, &PlugDrawer::list);
}

void PlugDrawer::makeFound() {
  auto* list = new QWidget;
  auto* area = scroll_area(list, this);
  area->setFixedHeight(kListHigh);
  found_ = new QVBoxLayout(list);
  found_->setContentsMargins(0, 0, 0, 0);
  found_->setSpacing(4);
  none_ = remark(tr("Looking…"), list);
  none_->setWordWrap(true);
  found_->addWidget(none_);
  found_->addStretch(1);
  add(2, {}, area);
}

void PlugDrawer::makeTyped() {
  address_ = line(QStringLiteral("address"), tr("Address to connect to"),
                  tr("e.g. 192.168.0.20 or /dev/ttyUSB0"));
  as_ = new QComboBox(this);
  as_->setObjectName(QStringLiteral("wiredAs"));
  as_->setAccessibleName(tr("What is at this address"));
  for (const WiredAs as : {WiredAs::instrument, WiredAs::log, WiredAs::readings})
    as_->addItem(words_of(as));
  add_ = button(tr("Connect"), QStringLiteral("connectAddress"), this);
  add(1, tr("Address"), address_);
  addRow(1, tr("It is"), {as_, add_});
  auto* beware = remark(tr("A board at a serial line may reset when it is opened."), this);
  beware->setWordWrap(true);
  add(1, {}, beware);
  connect(address_, &QLineEdit::returnPressed, this, &PlugDrawer::takeTyped);
  connect(add_, &QPushButton::clicked, this, &PlugDrawer::takeTyped);
}

void PlugDrawer::makeSimulated() {
  build_ = new QComboBox(this);
  build_->setObjectName(QStringLiteral("simulatedBuild"));
  build_->setAccessibleName(tr("Build of the simulated device"));
  build_->addItems({QStringLiteral("2.3.0"), QStringLiteral("2.4.0-rc1"),
                    QStringLiteral("2.4.0-rc2"), QStringLiteral("perch")});
  build_->setCurrentText(preferences_.simulated_build);
  speed_ = new QSpinBox(this);
  speed_->setObjectName(QStringLiteral("simulatedSpeed"));
  speed_->setAccessibleName(tr("Simulated seconds per second"));
  speed_->setRange(1, 2000);
  speed_->setValue(60);
  speed_->setSuffix(tr(" × time"));
  more_ = new QCheckBox(tr("and more inputs"), this);
  more_->setObjectName(QStringLiteral("simulatedMore"));
  simulate_ = button(tr("Start simulated bench"), QStringLiteral("simulate"), this);
  auto* none = remark(tr("No equipment at hand? A supply and a parcel logger, simulated:"), this);
  none->setWordWrap(true);
  add(0, {}, none);
  addRow(0, {}, {simulate_, more_});
  addRow(0, tr("Device"), {build_, speed_});
  connect(simulate_, &QPushButton::clicked, this, [this] {
    emit simulateRequested(build_->currentText(), speed_->value(), more_->isChecked());
  });
}

void PlugDrawer::look() {
  if (none_) none_->setText(tr("Looking…"));
  bench_.lookAround();
}

void PlugDrawer::refresh() {
  const bool recording = bench_.recording();
  simulate_->setEnabled(!recording);
  add_->setEnabled(!recording);
}

void PlugDrawer::addRowOf(const QString& words, const QString& trouble,
                          const QList<std::pair<WiredAs, QString>>& addresses) {
  auto* row = new QWidget(this);
  auto* in = new QHBoxLayout(row);
  in->setContentsMargins(0, 0, 0, 0);
  in->setSpacing(6);
  auto* name = new CutLabel({}, row);
  name->say(trouble.isEmpty() ? words : words + QStringLiteral(" · ") + trouble,
            trouble.isEmpty() ? Theme::current().text() : Theme::current().muted());
  name->setAccessibleName(words);
  in->addWidget(name, 1);
  for (const auto& [as, address] : addresses) {
    if (address.isEmpty()) continue;
    auto* b = button(as == WiredAs::instrument ? tr("Instrument")
                     : as == WiredAs::log      ? tr("Log")
                                               : tr("Readings"),
                     {}, row);
    b->setAccessibleName(tr("%1 is %2").arg(words, words_of(as)));
    b->setToolTip(address);
    b->setEnabled(trouble.isEmpty());
    connect(b, &QPushButton::clicked, this,
            [this, kind = as, where = address] { emit wired(kind, where); });
    in->addWidget(b);
  }
  found_->insertWidget(found_->count() - 1, row);
  rows_ << row;
}

void PlugDrawer::list() {
  qDeleteAll(rows_);
  rows_.clear();
  for (const Announced& one : bench_.announced())
    addRowOf(one.name, {}, {{WiredAs::instrument, one.address}});
  for (const acquire::PluggedIn& one : plugged_) {
    addRowOf(qs(one.name), qs(one.trouble),
             {{WiredAs::instrument, qs(acquire::address_as_instrument(one))},
              {WiredAs::log, qs(acquire::address_as_log(one))},
              {WiredAs::readings, qs(acquire::address_as_readings(one))}});
  }
  for (const QString& address : preferences_.addresses) {
    const TypedAddress typed = typed_address(address, WiredAs::instrument);
    if (typed.trouble.isEmpty()) addRowOf(address, {}, {{typed.as, typed.address}});
  }
  none_->setVisible(rows_.isEmpty());
  none_->setText(
      tr("Nothing found: no serial port, USB instrument or sensor at this computer, and nothing "
         "announces itself in the network."));
}

QStringList PlugDrawer::listed() const {
  QStringList out;
  for (const QWidget* row : rows_) out << row->findChild<CutLabel*>()->text();
  return out;
}

void PlugDrawer::takeTyped() {
  const TypedAddress typed =
      typed_address(address_->text(), static_cast<WiredAs>(as_->currentIndex()));
  if (!typed.trouble.isEmpty()) {
    address_->setFocus();
    FieldNote::say(address_, typed.trouble);
    return;
  }
  address_->clear();
  emit wired(typed.as, typed.address);
}

}  // namespace kuvio::app
