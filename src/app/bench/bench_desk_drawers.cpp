// SPDX-License-Identifier: GPL-3.0-or-later
// The Bench desk's drawers, what they wire up, and its set-ups.

#include "app/bench/bench_console.h"
#include "app/bench/bench_desk.h"
#include "app/bench/listener_drawer.h"
#include "app/bench/paper_view.h"
#include "app/bench/source_drawer.h"
#include "app/bench/stamps.h"
#include "app/bench/station_drawers.h"
#include "app/engine/text.h"
#include "app/style/cut_label.h"
#include "app/style/field_note.h"
#include "app/style/theme.h"

#include <QClipboard>
#include <QDialog>
#include <QFileDialog>
#include <QFileInfo>
#include <QGuiApplication>
#include <QMenu>
#include <QPlainTextEdit>
#include <QScrollArea>
#include <QStackedWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

constexpr qsizetype kRemembered = 8;
const char* const kEnding = ".bench.toml";
const char* const kSimulatedLogic = "radio_on, locate_on";

QString setup_name(const QString& file) {
  QString name = QFileInfo(file).fileName();
  if (name.endsWith(QLatin1String(kEnding))) name.chop(11);
  return name;
}

/// "3.9 V" of a quantity; "" where there is none.
QString written(const std::optional<double>& value, const char* unit) {
  return value ? QStringLiteral("%1 %2").arg(*value, 0, 'g', 12).arg(QLatin1String(unit))
               : QString();
}

std::optional<double> read_quantity(const QString& text, Dimension dimension) {
  if (text.trimmed().isEmpty()) return std::nullopt;
  try {
    return parse_quantity(text.trimmed().toStdString(), dimension);
  } catch (const std::invalid_argument&) {  // written by hand: as if it were not there
    return std::nullopt;
  }
}

}  // namespace

void BenchDesk::connectDrawers() {
  for (DrawerPage* page :
       std::initializer_list<DrawerPage*>{source_, path_, device_, logic_, plug_}) {
    connect(page, &DrawerPage::messageReported, this, &BenchDesk::messageReported);
    connect(page, &DrawerPage::changed, this, &BenchDesk::refresh);
  }
  connect(path_, &DrawerPage::changed, this, [this] {
    preferences_.shunts = path_->written();
    emit preferencesChanged();
  });
  connect(source_, &SourceDrawer::tryRequested, this, &BenchDesk::tryProfile);
  connect(source_, &SourceDrawer::connectRequested, this, [this] {
    const QString typed = findChild<QLineEdit*>(QStringLiteral("outputAddress"))->text();
    const TypedAddress address = typed_address(typed, WiredAs::instrument);
    if (!address.trouble.isEmpty() || address.as != WiredAs::instrument) {
      FieldNote::say(findChild<QLineEdit*>(QStringLiteral("outputAddress")),
                     address.trouble.isEmpty() ? tr("That is no instrument with an output.")
                                               : address.trouble);
      return;
    }
    wanted_.output = address.address;
    wanted_.profile = source_->profile();
    context_.bench.connectTo(wanted_);
  });
  connect(source_, &SourceDrawer::disconnectRequested, this,
          [this] { changeAddress(wanted_.output, {}); });
  connect(source_, &SourceDrawer::talkRequested, this, [this] { showTalk(wanted_.output); });
  connect(source_, &SourceDrawer::ceilingSet, this, &BenchDesk::keepCeiling);
  connect(source_, &SourceDrawer::voltageSet, this, &BenchDesk::keepVoltage);
  source_->setUsed(usedVoltages());
  connect(device_, &DeviceDrawer::switchRequested, this, &BenchDesk::switchOutput);
  connect(device_, &DeviceDrawer::drawerRequested, this, &BenchDesk::openDrawer);
  connect(plug_, &PlugDrawer::wired, this, &BenchDesk::wireUp);
  connect(plug_, &PlugDrawer::simulateRequested, this, &BenchDesk::startSimulated);
}

SourceDrawer* BenchDesk::sourceOf(const QString& output) {
  const QString id = QStringLiteral("source:") + output;
  if (output == source_->output()) return source_;
  if (const auto it = pages_.find(id); it != pages_.end())
    return static_cast<SourceDrawer*>(it->second);
  auto* page = new SourceDrawer(output, false, context_.bench, stack_);
  page->followSettings();
  connect(page, &DrawerPage::messageReported, this, &BenchDesk::messageReported);
  connect(page, &DrawerPage::changed, this, &BenchDesk::refresh);
  connect(page, &SourceDrawer::ceilingSet, this, &BenchDesk::keepCeiling);
  connect(page, &SourceDrawer::voltageSet, this, &BenchDesk::keepVoltage);
  page->setUsed(usedVoltages());
  stack_->addWidget(page);
  pages_[id] = page;
  return page;
}

ListenerDrawer* BenchDesk::listenerOf(const QString& id) {
  const bool log = id == QLatin1String("log");
  const QString address = log ? wanted_.log : id.mid(6);
  const QString key = QStringLiteral("listener:") + address;
  if (const auto it = pages_.find(key); it != pages_.end())
    return static_cast<ListenerDrawer*>(it->second);
  auto* page = new ListenerDrawer(log ? ListenerDrawer::What::log : ListenerDrawer::What::input,
                                  address, context_.bench, stack_);
  connect(page, &ListenerDrawer::addressChanged, this, &BenchDesk::changeAddress);
  connect(page, &ListenerDrawer::talkRequested, this, &BenchDesk::showTalk);
  connect(page, &DrawerPage::changed, this, &BenchDesk::refresh);
  stack_->addWidget(page);
  pages_[key] = page;
  return page;
}

DrawerPage* BenchDesk::pageOf(const QString& id) {
  if (id == QLatin1String("add")) return plug_;
  if (id == QLatin1String("device")) return device_;
  if (id == QLatin1String("logic")) return logic_;
  if (id.startsWith(QLatin1String("path:"))) {
    path_->choose(id.mid(5));
    return path_;
  }
  if (id == QLatin1String("log") || id.startsWith(QLatin1String("input:"))) return listenerOf(id);
  // Where nothing is connected yet, a source is what is plugged in.
  if (wanted_.output.isEmpty()) return plug_;
  return sourceOf(id.mid(7));
}

void BenchDesk::openDrawer(const QString& id) {
  const QString was = std::exchange(open_, id);
  wire_->setOpen(id);
  if (id.isEmpty()) {
    drawer_->hide();
    arrange();
    if (!was.isEmpty()) wire_->focusStation(was);
    return;
  }
  DrawerPage* page = pageOf(id);
  if (page == plug_) plug_->look();
  page->refresh();
  stack_->setCurrentWidget(page);
  drawer_title_->say(page->title(), Theme::current().muted());
  drawer_->show();
  arrange();
  if (page->first()) page->first()->setFocus(Qt::OtherFocusReason);
}

/// What was last said on a wire and answered, to look at and to copy.
void BenchDesk::showTalk(const QString& address) {
  QStringList lines;
  for (const acquire::Exchange& e : context_.bench.talk(address)) {
    lines << tr("%1%2%3").arg(
        qs(e.said), e.answered.empty() ? QString() : QStringLiteral("  →  ") + qs(e.answered),
        e.times > 1 ? tr("  (%1 times)").arg(e.times) : QString());
  }
  auto* dialog = new QDialog(this);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setObjectName(QStringLiteral("talkDialog"));
  dialog->setWindowTitle(tr("Said and answered at %1").arg(address));
  dialog->resize(620, 420);
  auto* column = new QVBoxLayout(dialog);
  auto* text = new QPlainTextEdit(dialog);
  text->setObjectName(QStringLiteral("talkText"));
  text->setAccessibleName(dialog->windowTitle());
  text->setReadOnly(true);
  text->setFont(mono_font(12));
  text->setPlainText(lines.isEmpty() ? tr("Nothing was said on this wire yet.")
                                     : lines.join(QLatin1Char('\n')));
  column->addWidget(text);
  auto* copy = button(tr("Copy all"), QStringLiteral("copyTalk"), dialog);
  connect(copy, &QPushButton::clicked, dialog,
          [text] { QGuiApplication::clipboard()->setText(text->toPlainText()); });
  column->addWidget(copy, 0, Qt::AlignRight);
  dialog->show();
}

void BenchDesk::wireUp(WiredAs as, const QString& address) {
  Wiring next = wanted_;  // as drawn: what waits there is connected with it
  const bool only_drawn = context_.bench.state().phase == BenchState::Phase::none;
  next.profile = source_->profile();
  switch (as) {
    case WiredAs::log:
      next.log = address;
      break;
    case WiredAs::instrument:
      if (next.output.isEmpty() || only_drawn) {
        next.output = address;
        break;
      }
      [[fallthrough]];
    case WiredAs::readings:
      if (!next.others.contains(address) && next.output != address) next.others << address;
      break;
  }
  preferences_.addresses.removeAll(address);
  preferences_.addresses.prepend(address);
  while (preferences_.addresses.size() > kRemembered) preferences_.addresses.removeLast();
  emit preferencesChanged();
  // A log alone waits for what it is the log of.
  if (next.output.isEmpty() && next.others.isEmpty()) {
    wanted_ = next;
    emit messageReported(tr("The device's log waits for an instrument or an input beside it."));
    refresh();
    return;
  }
  wanted_ = next;
  context_.bench.connectTo(next);
}

/// An address of the wire becomes another one; to "" it is let go of.
void BenchDesk::changeAddress(const QString& from, const QString& to) {
  if (context_.bench.recording()) {
    emit messageReported(tr("Stop the recording before connecting to other addresses."));
    return;
  }
  Wiring next = wanted_;
  if (next.output == from) next.output = to;
  if (next.log == from) next.log = to;
  for (QString& other : next.others) {
    if (other == from) other = to;
  }
  next.others.removeAll(QString());
  if (const QString why =
          next.output.isEmpty() && next.others.isEmpty() ? QString() : BenchControl::unfit(next);
      !why.isEmpty()) {
    emit messageReported(Message::trouble(why));
    return;
  }
  // Another speed or rate is the same station: its drawer stays open.
  const auto place = [](const QString& address) { return address.section(QLatin1Char('?'), 0, 0); };
  const bool same = !to.isEmpty() && place(from) == place(to);
  const QString id = open_ == QLatin1String("log") ? open_ : QStringLiteral("input:") + to;
  const bool listens = open_ == QLatin1String("log") || open_.startsWith(QLatin1String("input:"));
  const std::set<QString> left_out =
      same && listens ? listenerOf(open_)->leftOut() : std::set<QString>();
  openDrawer({});
  if (next.output.isEmpty() && next.others.isEmpty()) {
    context_.bench.disconnectAll();
    wanted_ = {};
    keepWiring();
    refresh();
    return;
  }
  wanted_ = next;
  context_.bench.connectTo(next);
  if (!same) return;
  if (listens) listenerOf(id)->leaveOut(left_out);
  openDrawer(id);
}

void BenchDesk::connectAll() {
  wanted_.profile = source_->profile();
  context_.bench.connectTo(wanted_);
}

void BenchDesk::keepWiring() {
  preferences_.output_address = wanted_.output;
  preferences_.log_address = wanted_.log;
  preferences_.other_addresses = wanted_.others.join(QStringLiteral(", "));
  preferences_.profile = wanted_.profile;
  emit preferencesChanged();
}

/// A ceiling is of what stands at an address; a simulated bench has another address every time.
void BenchDesk::keepCeiling(const QString& output, const acquire::Ceiling& ceiling) {
  if (context_.bench.simulated()) return;
  const QString key = wanted_.output + QStringLiteral(" | ") + output + QStringLiteral(" | ");
  preferences_.ceilings.removeIf([&](const QString& one) { return one.startsWith(key); });
  if (ceiling.any())
    preferences_.ceilings << key + written(ceiling.voltage, "V") + QStringLiteral(" | ") +
                                 written(ceiling.current, "A");
  emit preferencesChanged();
}

void BenchDesk::keepVoltage(double volts) {
  if (!(volts > 0)) return;
  const QString one = written(volts, "V");
  preferences_.voltages.removeAll(one);
  preferences_.voltages.prepend(one);
  while (preferences_.voltages.size() > kRemembered) preferences_.voltages.removeLast();
  for (SourceDrawer* drawer : findChildren<SourceDrawer*>()) drawer->setUsed(usedVoltages());
  emit preferencesChanged();
}

std::vector<double> BenchDesk::usedVoltages() const {
  std::vector<double> out;
  for (const QString& one : preferences_.voltages) {
    if (const auto volts = read_quantity(one, Dimension::voltage)) out.push_back(*volts);
  }
  return out;
}

void BenchDesk::recallCeilings() {
  for (const QString& one : preferences_.ceilings) {
    const QStringList parts = one.split(QStringLiteral(" | "));
    if (parts.size() != 4 || parts[0] != wanted_.output) continue;
    const acquire::Ceiling ceiling{read_quantity(parts[2], Dimension::voltage),
                                   read_quantity(parts[3], Dimension::current)};
    context_.bench.setCeiling(parts[1], ceiling);
  }
}

void BenchDesk::startSimulated(const QString& build, int speed, bool more) {
  preferences_.simulated_build = build;
  emit preferencesChanged();
  context_.bench.startSimulated(build, seed_, speed, more);
  sheet_->setBuild(build);
  logic_->setLogic(build == QLatin1String("perch")
                       ? QStringList{}
                       : QString::fromLatin1(kSimulatedLogic).split(QStringLiteral(", ")));
  openDrawer({});
}

// --- set-ups -------------------------------------------------------------------------------------

QMenu* BenchDesk::makeSetupMenu() {
  auto* menu = new QMenu(this);
  menu->setAccessibleName(tr("Bench set-ups"));
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    for (const QString& file : preferences_.setups)
      menu->addAction(setup_name(file), this, [this, file] { context_.bench.readSetup(file); });
    if (!preferences_.setups.isEmpty()) menu->addSeparator();
    menu->addAction(tr("Open set-up…"), this, &BenchDesk::openSetup);
    menu->addAction(tr("Save set-up as…"), this, &BenchDesk::saveSetup);
    menu->addSeparator();
    QAction* away = menu->addAction(tr("Disconnect all"), this, [this] {
      context_.bench.disconnectAll();
      openDrawer({});
    });
    away->setEnabled(context_.bench.state().phase != BenchState::Phase::none &&
                     !context_.bench.recording());
  });
  return menu;
}

void BenchDesk::openSetup() {
  const QString file =
      QFileDialog::getOpenFileName(this, tr("Open bench set-up"), {}, tr("Set-ups (*.bench.toml)"));
  if (!file.isEmpty()) context_.bench.readSetup(file);
}

void BenchDesk::saveSetup() {
  const auto r = request();
  if (!r) return;  // said at its field
  QString file = QFileDialog::getSaveFileName(this, tr("Save bench set-up"),
                                              tr("Bench") + QLatin1String(kEnding),
                                              tr("Set-ups (*.bench.toml)"));
  if (file.isEmpty()) return;
  if (!file.endsWith(QLatin1String(".toml"))) file += QLatin1String(kEnding);
  context_.bench.saveSetup(file, setup_name(file), *r);
}

void BenchDesk::rememberSetup(const QString& file) {
  preferences_.setups.removeAll(file);
  preferences_.setups.prepend(file);
  while (preferences_.setups.size() > kRemembered) preferences_.setups.removeLast();
  emit preferencesChanged();
}

/// Fills blanks and drawers by a set-up and connects.
void BenchDesk::takeSetup(const acquire::BenchSetup& setup) {
  if (context_.bench.recording()) {
    emit messageReported(tr("Stop the recording before loading another set-up."));
    return;
  }
  const acquire::RecordSettings& r = setup.record;
  // What the desk has fields for is the output's, where there is one.
  const auto scpi = std::find_if(r.inputs.begin(), r.inputs.end(),
                                 [](const auto& w) { return w.endpoint.is_instrument(); });
  const acquire::InputSettings& main = (scpi == r.inputs.end() ? r.inputs.front() : *scpi).settings;
  bool power_off = true;
  for (const auto& [name, o] : main.outputs) power_off = o.power_off;
  sheet_->take(r, main.rate_hz, power_off);
  source_->take(r, main);
  device_->setConditions(r.conditions);
  if (r.reset) device_->setReset(qs(acquire::to_string(*r.reset)));
  QStringList logic;
  for (const std::string& line : main.logic) logic << qs(line);
  logic_->setLogic(logic);
  std::map<std::string, Shunt> shunts;
  for (const auto& [channel, ohms] : r.shunts) {
    const auto accuracy = r.accuracies.find(channel);
    shunts[channel] = {ohms, {}, accuracy == r.accuracies.end() ? std::string() : accuracy->second};
  }
  path_->setShunts(shunts);
  setup_->setToolTip(setup.file.empty() ? QString() : qs(setup.file));
  if (!setup.file.empty()) rememberSetup(qs(setup.file));
  context_.bench.useSetup(setup);
  source_->setProfile(context_.bench.wiring().profile);
  emit messageReported(tr("Set-up %1: connecting. Nothing is switched on.").arg(qs(setup.name)));
}

void BenchDesk::tryProfile() {
  if (source_->profile().isEmpty()) {
    openDrawer(QStringLiteral("source:") + source_->output());
    FieldNote::say(findChild<QLineEdit*>(QStringLiteral("profile")),
                   tr("Enter a profile file first; docs/profiles.md describes the format."));
    return;
  }
  emit messageReported(
      tr("Trying the profile. Nothing is switched on; settings are left as they are…"));
  context_.bench.tryProfile(findChild<QLineEdit*>(QStringLiteral("outputAddress"))->text(),
                            source_->profile());
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
    console_->append(tr("%1 %2  %3  %4")
                         .arg(good ? QStringLiteral("✓") : QStringLiteral("✗"), qs(s.key),
                              qs(s.command), qs(good ? s.answer : s.trouble)),
                     false);
  }
  emit messageReported(
      wrong == 0 ? Message::done(tr("The profile works: every command was answered as expected."))
                 : Message::trouble(tr("%1 of %2 profile commands failed; see the console.")
                                        .arg(wrong)
                                        .arg(steps.size())));
}

}  // namespace kuvio::app
