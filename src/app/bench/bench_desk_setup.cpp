// SPDX-License-Identifier: GPL-3.0-or-later
// The Bench desk's set-ups, and what it sets besides: shunts, each output, lines, resets.

#include "app/bench/bench_desk.h"
#include "app/bench/wiring_view.h"
#include "app/engine/text.h"
#include "app/style/field_note.h"
#include "core/number_text.h"
#include "core/quantity.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QSignalBlocker>

#include <algorithm>
#include <stdexcept>
#include <utility>

namespace kuvio::app {
namespace {

constexpr qsizetype kRemembered = 8;
const char* const kEnding = ".bench.toml";

QString setup_name(const QString& file) {
  QString name = QFileInfo(file).fileName();
  if (name.endsWith(QLatin1String(kEnding))) name.chop(11);
  return name;
}

}  // namespace

QMenu* BenchDesk::makeSetupMenu() {
  auto* menu = new QMenu(this);
  menu->setAccessibleName(tr("Bench set-ups"));
  connect(menu, &QMenu::aboutToShow, this, [this, menu] {
    menu->clear();
    for (const QString& file : preferences_.setups) {
      menu->addAction(setup_name(file), this, [this, file] { context_.bench.readSetup(file); });
    }
    if (!preferences_.setups.isEmpty()) menu->addSeparator();
    menu->addAction(tr("Open set-up…"), this, &BenchDesk::openSetup);
    menu->addAction(tr("Save set-up as…"), this, &BenchDesk::saveSetup);
  });
  return menu;
}

void BenchDesk::openSetup() {
  const QString file =
      QFileDialog::getOpenFileName(this, tr("Open bench set-up"), {}, tr("Set-ups (*.bench.toml)"));
  if (!file.isEmpty()) context_.bench.readSetup(file);
}

void BenchDesk::saveSetup() {
  const auto w = request(false);
  if (!w) return;  // reported
  QString file = QFileDialog::getSaveFileName(this, tr("Save bench set-up"),
                                              tr("Bench") + QLatin1String(kEnding),
                                              tr("Set-ups (*.bench.toml)"));
  if (file.isEmpty()) return;
  if (!file.endsWith(QLatin1String(".toml"))) file += QLatin1String(kEnding);
  context_.bench.saveSetup(file, setup_name(file), *w);
}

void BenchDesk::rememberSetup(const QString& file) {
  preferences_.setups.removeAll(file);
  preferences_.setups.prepend(file);
  while (preferences_.setups.size() > kRemembered) preferences_.setups.removeLast();
  emit preferencesChanged();
}

/// Fills the fields by a set-up and connects.
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
  endless_->setChecked(r.seconds <= 0);
  if (r.seconds > 0) length_->setQuantity(r.seconds);
  rate_->setQuantity(main.rate_hz);
  accuracy_->setText(qs(r.accuracy));
  arm_->setText(qs(acquire::to_string(r.arm)));
  until_->setText(qs(acquire::to_string(r.until)));
  if (r.before_s > 0) before_->setQuantity(r.before_s);
  if (r.reset) reset_how_->setText(qs(acquire::to_string(*r.reset)));
  QStringList conditions, logic, shunts;
  for (const auto& [key, value] : r.conditions)
    conditions << qs(key) + QLatin1Char('=') + qs(value);
  for (const std::string& line : main.logic) logic << qs(line);
  for (const auto& [channel, ohms] : r.shunts)
    shunts << QStringLiteral("%1: %2 Ohm").arg(qs(channel)).arg(ohms, 0, 'g', 9);
  conditions_->setText(conditions.join(QStringLiteral(", ")));
  logic_->setText(logic.join(QStringLiteral(", ")));
  shunts_->setText(shunts.join(QStringLiteral(", ")));
  wiring_->setShunts(r.shunts);
  const auto& channels = main.channels;
  record_voltage_->setChecked(channels.size() > 1);
  for (const auto& [name, o] : main.outputs) power_off_->setChecked(o.power_off);
  setup_range_.clear();
  for (const auto& [channel, range] : main.range) setup_range_ = qs(range);
  setup_->setToolTip(setup.file.empty() ? QString() : qs(setup.file));
  if (!setup.file.empty()) rememberSetup(qs(setup.file));
  context_.bench.useSetup(setup);
  profile_->setText(context_.bench.wiring().profile);
  emit messageReported(tr("Set-up %1: connecting. Nothing is switched on.").arg(qs(setup.name)));
}

/// What the field says; nothing when it cannot be read, which is reported.
std::optional<std::map<std::string, double>> BenchDesk::shunts() {
  std::map<std::string, double> out;
  for (const QString& part : shunts_->text().split(QLatin1Char(','), Qt::SkipEmptyParts)) {
    const auto colon = part.indexOf(QLatin1Char(':'));
    double ohms = 0;
    try {
      if (colon > 0)
        ohms = parse_quantity(part.mid(colon + 1).trimmed().toStdString(), Dimension::resistance);
    } catch (const std::invalid_argument&) {
      ohms = 0;
    }
    if (!(ohms > 0)) {
      FieldNote::say(
          shunts_, tr("\"%1\" is not a shunt. Write it as I_shunt: 100 mOhm.").arg(part.trimmed()));
      return std::nullopt;
    }
    out[part.left(colon).trimmed().toStdString()] = ohms;
  }
  if (preferences_.shunts != shunts_->text()) {
    preferences_.shunts = shunts_->text();
    emit preferencesChanged();
  }
  return out;
}

QString BenchDesk::chosenOutput() const { return which_->currentData().toString(); }

/// The settings of the chosen output, as the instrument reports them.
void BenchDesk::refreshSettings() {
  const auto& all = context_.bench.state().output.set;
  const QString chosen = chosenOutput();
  const acquire::OutputState* o = all.empty() ? nullptr : &all.front();
  QStringList names;
  for (const acquire::OutputState& one : all) {
    if (one.auxiliary && !(one.voltage > 0)) continue;  // it cannot be set
    names << qs(one.name);
    if (qs(one.name) == chosen) o = &one;
  }
  QStringList known;
  for (int i = 0; i < which_->count(); ++i) known << which_->itemData(i).toString();
  if (names != known) {
    const QSignalBlocker quiet(which_);
    which_->clear();
    for (const QString& name : names)
      which_->addItem(name.isEmpty() ? tr("the output") : tr("output %1").arg(name), name);
    if (o)
      which_->setCurrentIndex(static_cast<int>(std::max<qsizetype>(0, names.indexOf(qs(o->name)))));
  }
  const bool several = names.size() > 1;
  settings_form_->setRowVisible(which_, several);
  refreshRanges();
  if (!o) return;
  voltage_->setQuantity(o->voltage);
  output_on_->setText(tr("Switch on %1").arg(qs(with_prefix(o->voltage, "V", 3))));
  limit_->setQuantity(o->current_limit);
  (o->cut_off ? cut_off_ : hold_)->setChecked(true);
}

/// Automatic, and what the profile knows of the first current; a choice stays.
void BenchDesk::refreshRanges() {
  QStringList names{tr("automatic")};
  for (const std::string& range : context_.bench.state().output.ranges) names << qs(range);
  QString wanted = range_->currentIndex() > 0 ? range_->currentText() : QString();
  if (names.size() > 1 && !setup_range_.isEmpty()) wanted = std::exchange(setup_range_, {});
  range_->clear();
  range_->addItems(names);
  range_->setCurrentIndex(static_cast<int>(std::max<qsizetype>(0, names.indexOf(wanted))));
  settings_form_->setRowVisible(range_, names.size() > 1);
}

/// A toggle for each digital line that the instrument drives; nothing where it drives none.
void BenchDesk::refreshLines() {
  const BenchState& s = context_.bench.state();
  const bool there = s.phase == BenchState::Phase::ready || s.phase == BenchState::Phase::recording;
  const auto lines = there ? s.output.lines : decltype(s.output.lines){};
  lines_box_->setVisible(there && s.output.has_output && !s.output.set.empty());
  while (line_buttons_.size() > static_cast<qsizetype>(lines.size()))
    delete line_buttons_.takeLast();
  while (line_buttons_.size() < static_cast<qsizetype>(lines.size())) {
    const auto i = static_cast<std::size_t>(line_buttons_.size());
    auto* b = button({}, QStringLiteral("line%1").arg(i + 1), lines_box_);
    connect(b, &QPushButton::clicked, this, [this, i] {
      const auto& now = context_.bench.state().output.lines;
      if (i < now.size())
        context_.bench.execute(
            {acquire::SwitchCommand::What::line, now[i].first, !now[i].second, 0});
    });
    each_line_->insertWidget(static_cast<int>(i), b);
    line_buttons_.append(b);
  }
  for (std::size_t i = 0; i < lines.size(); ++i) {
    auto* b = line_buttons_[static_cast<qsizetype>(i)];
    b->setText(lines[i].second ? tr("%1: high").arg(qs(lines[i].first))
                               : tr("%1: low").arg(qs(lines[i].first)));
    b->setAccessibleName(lines[i].second
                             ? tr("Line %1 is high: set it low").arg(qs(lines[i].first))
                             : tr("Line %1 is low: set it high").arg(qs(lines[i].first)));
    b->setToolTip(b->accessibleName());
  }
  if (reset_how_->text().isEmpty()) {
    const bool by_line =
        std::any_of(lines.begin(), lines.end(), [](const auto& l) { return l.first == "reset"; });
    reset_how_->setPlaceholderText(by_line ? tr("line reset low for 100 ms")
                                           : tr("output off for 1 s"));
  }
}

void BenchDesk::resetDevice() {
  const QString how =
      reset_how_->text().trimmed().isEmpty() ? reset_how_->placeholderText() : reset_how_->text();
  try {
    const acquire::SwitchCommand reset = acquire::parse_reset(how.toStdString());
    if (!reset.of_line() && !context_.bench.state().output_on) {
      emit messageReported(
          tr("The output is off, so there is nothing to reset. Kuvio never switches it on by "
             "itself."));
      return;
    }
    context_.bench.execute(reset);
    emit messageReported(Message::done(tr("Device reset: %1.").arg(qs(acquire::to_string(reset)))));
  } catch (const std::invalid_argument& e) {
    reset_how_->setFocus();
    FieldNote::say(reset_how_, QString::fromUtf8(e.what()) + QLatin1Char('.'));
  }
}

}  // namespace kuvio::app
