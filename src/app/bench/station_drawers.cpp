// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/station_drawers.h"

#include "app/engine/text.h"
#include "app/style/field_note.h"
#include "core/accuracy.h"
#include "core/error.h"
#include "core/number_text.h"

#include <QHBoxLayout>
#include <QSignalBlocker>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace kuvio::app {

// --- path ----------------------------------------------------------------------------------------

PathDrawer::PathDrawer(BenchControl& bench, QWidget* parent)
    : DrawerPage(QStringLiteral("pathDrawer"), tr("PATH"), bench, parent) {
  channel_ = new QComboBox(this);
  channel_->setObjectName(QStringLiteral("shuntChannel"));
  channel_->setAccessibleName(tr("Channel that reads over the shunt"));
  ohms_ = new QuantityEdit(QStringLiteral("shunt"), tr("Resistance of the shunt"),
                           Dimension::resistance, this, true);
  ohms_->setPlaceholderText(tr("e.g. 100 mOhm"));
  rating_ = new QuantityEdit(QStringLiteral("shuntRating"), tr("Rating of the shunt"),
                             Dimension::power, this, true);
  rating_->setPlaceholderText(tr("e.g. 0.25 W"));
  accuracy_ = line(QStringLiteral("shuntAccuracy"), tr("Accuracy of the current through it"),
                   tr("e.g. 1 % + 2 uA, tolerance included"));
  none_ = button(tr("Take the shunt out"), QStringLiteral("noShunt"), this);
  add(0, tr("Read by"), channel_);
  add(0, tr("Resistance"), ohms_);
  add(1, tr("Accuracy"), accuracy_);
  add(1, tr("Rating"), rating_);
  addRow(2, {}, {none_});
  add(2, {},
      remark(tr("A voltage channel is recorded as the current through its shunt; for a current "
                "channel the burden voltage is shown."),
             this));
  connect(channel_, &QComboBox::currentIndexChanged, this, &PathDrawer::showChosen);
  connect(ohms_, &QuantityEdit::quantityEdited, this, &PathDrawer::takeFields);
  connect(rating_, &QuantityEdit::quantityEdited, this, &PathDrawer::takeFields);
  connect(accuracy_, &QLineEdit::editingFinished, this, &PathDrawer::takeFields);
  connect(none_, &QPushButton::clicked, this, [this] {
    shunts_.erase(channel_->currentText().toStdString());
    showChosen();
    emit changed();
  });
  refresh();
}

void PathDrawer::refresh() {
  QStringList names;
  for (const acquire::LiveChannel& c : bench_.state().channels) {
    if (c.quantity == Quantity::current || c.quantity == Quantity::voltage) names << qs(c.name);
  }
  for (const auto& [name, shunt] : shunts_) {
    if (!names.contains(qs(name))) names << qs(name);
  }
  QStringList known;
  for (int i = 0; i < channel_->count(); ++i) known << channel_->itemText(i);
  if (names == known) return;
  const QString was = channel_->currentText();
  {
    const QSignalBlocker quiet(channel_);
    channel_->clear();
    channel_->addItems(names);
    channel_->setCurrentIndex(static_cast<int>(std::max<qsizetype>(0, names.indexOf(was))));
  }
  showChosen();
}

void PathDrawer::choose(const QString& channel) {
  refresh();
  channel_->setCurrentText(channel);
  showChosen();
}

void PathDrawer::showChosen() {
  const auto it = shunts_.find(channel_->currentText().toStdString());
  const bool there = it != shunts_.end();
  ohms_->setQuantity(there ? std::optional(it->second.ohms) : std::nullopt);
  rating_->setQuantity(there ? it->second.rating : std::nullopt);
  accuracy_->setText(there ? qs(it->second.accuracy) : QString());
  none_->setEnabled(there);
}

void PathDrawer::takeFields() {
  const std::string channel = channel_->currentText().toStdString();
  if (channel.empty()) return;
  if (!ohms_->quantity() || !(*ohms_->quantity() > 0)) {
    shunts_.erase(channel);
    if (ohms_->quantity()) FieldNote::say(ohms_, tr("A shunt has more than 0 Ohm."));
  } else {
    try {
      if (!accuracy_->text().trimmed().isEmpty())
        parse_accuracy(accuracy_->text().trimmed().toStdString());
    } catch (const std::invalid_argument& e) {
      FieldNote::say(accuracy_, tr("Accuracy: %1").arg(QString::fromUtf8(e.what())));
      return;
    }
    shunts_[channel] = {*ohms_->quantity(), rating_->quantity(),
                        accuracy_->text().trimmed().toStdString()};
  }
  none_->setEnabled(shunts_.count(channel) > 0);
  emit changed();
}

void PathDrawer::setShunts(const std::map<std::string, Shunt>& shunts) {
  shunts_ = shunts;
  refresh();
  showChosen();
}

std::optional<FieldTrouble> PathDrawer::read(RecordRequest& r) const {
  for (QuantityEdit* edit : {ohms_, rating_}) {
    edit->commit();
    if (edit->isWrong()) return FieldTrouble{edit, {}};
  }
  for (const auto& [channel, shunt] : shunts_) {
    // One that is not wired up today is no reason to record nothing.
    for (const acquire::LiveChannel& c : bench_.state().channels) {
      if (c.name != channel) continue;
      r.shunts[channel] = shunt.ohms;
      if (!shunt.accuracy.empty()) r.accuracies[channel] = shunt.accuracy;
    }
  }
  return std::nullopt;
}

QStringList PathDrawer::written() const {
  QStringList out;
  for (const auto& [channel, shunt] : shunts_) {
    QStringList parts{QStringLiteral("%1 Ohm").arg(shunt.ohms, 0, 'g', 9)};
    parts << (shunt.rating ? QStringLiteral("%1 W").arg(*shunt.rating, 0, 'g', 9) : QString());
    parts << qs(shunt.accuracy);
    out << qs(channel) + QStringLiteral(": ") + parts.join(QStringLiteral("; "));
  }
  return out;
}

std::map<std::string, Shunt> PathDrawer::parsed(const QStringList& written) {
  std::map<std::string, Shunt> out;
  for (const QString& one : written) {
    const auto colon = one.indexOf(QLatin1String(": "));
    const QStringList parts = one.mid(colon + 2).split(QLatin1Char(';'));
    if (colon <= 0) continue;
    try {
      Shunt shunt;
      shunt.ohms = parse_quantity(parts[0].trimmed().toStdString(), Dimension::resistance);
      if (parts.size() > 1 && !parts[1].trimmed().isEmpty())
        shunt.rating = parse_quantity(parts[1].trimmed().toStdString(), Dimension::power);
      if (parts.size() > 2) shunt.accuracy = parts[2].trimmed().toStdString();
      if (shunt.ohms > 0) out[one.left(colon).toStdString()] = shunt;
    } catch (const std::invalid_argument&) {  // written by hand: the shunt is not there
    }
  }
  return out;
}

// --- device --------------------------------------------------------------------------------------

DeviceDrawer::DeviceDrawer(BenchControl& bench, QWidget* parent)
    : DrawerPage(QStringLiteral("deviceDrawer"), tr("DEVICE"), bench, parent) {
  board_ = line(QStringLiteral("board"), tr("Board"), tr("e.g. satchel-07"));
  tester_ = line(QStringLiteral("tester"), tr("Tester"), tr("e.g. M. Okafor"));
  temperature_ = line(QStringLiteral("temperature"), tr("Temperature"), tr("e.g. 23 degC"));
  note_ = line(QStringLiteral("note"), tr("Note"), tr("e.g. antenna on the bench"));
  others_ = line(QStringLiteral("conditions"), tr("Other conditions"),
                 tr("e.g. battery=AA lithium, orientation=up"));
  add(0, tr("Board"), board_);
  add(0, tr("Tester"), tester_);
  add(0, tr("Temperature"), temperature_);
  add(1, tr("Note"), note_);
  add(1, tr("Others"), others_);
  lines_box_ = new QWidget(this);
  auto* lines = new QHBoxLayout(lines_box_);
  lines->setContentsMargins(0, 0, 0, 0);
  lines->addStretch(1);
  auxiliary_box_ = new QWidget(this);
  auto* aux = new QHBoxLayout(auxiliary_box_);
  aux->setContentsMargins(0, 0, 0, 0);
  aux->addStretch(1);
  reset_how_ = line(QStringLiteral("resetHow"), tr("How the device is reset"), {});
  reset_how_->setToolTip(
      tr("Pulse a digital line (line NAME low for 100 ms) or an output (output off for 1 s)."));
  reset_ = button(tr("Reset device"), QStringLiteral("resetDevice"), this);
  add(2, tr("Lines it is driven by"), lines_box_);
  addRow(2, tr("Reset"), {reset_how_, reset_});
  add(2, tr("Fed beside it"), auxiliary_box_);
  connect(reset_, &QPushButton::clicked, this, &DeviceDrawer::reset);
  connect(board_, &QLineEdit::textChanged, this, &DeviceDrawer::changed);
  refresh();
}

void DeviceDrawer::refresh() {
  const BenchState& s = bench_.state();
  const bool there = s.phase == BenchState::Phase::ready || s.phase == BenchState::Phase::recording;
  showLines();
  showAuxiliary();
  reset_->setEnabled(there && s.output.has_output);
  const auto& lines = s.output.lines;
  const bool by_line =
      std::any_of(lines.begin(), lines.end(), [](const auto& l) { return l.first == "reset"; });
  reset_how_->setPlaceholderText(by_line ? tr("line reset low for 100 ms")
                                         : tr("output off for 1 s"));
}

/// A toggle for each digital line that the instrument drives; nothing where it drives none.
void DeviceDrawer::showLines() {
  const auto& now = bench_.state().output.lines;
  setRowShown(lines_box_, !now.empty());
  while (lines_.size() > static_cast<qsizetype>(now.size())) delete lines_.takeLast();
  while (lines_.size() < static_cast<qsizetype>(now.size())) {
    const auto i = static_cast<std::size_t>(lines_.size());
    auto* b = button({}, QStringLiteral("line%1").arg(i + 1), lines_box_);
    connect(b, &QPushButton::clicked, this, [this, i] {
      const auto& lines = bench_.state().output.lines;
      if (i < lines.size())
        bench_.execute({acquire::SwitchCommand::What::line, lines[i].first, !lines[i].second, 0});
    });
    static_cast<QHBoxLayout*>(lines_box_->layout())->insertWidget(static_cast<int>(i), b);
    lines_.append(b);
  }
  for (std::size_t i = 0; i < now.size(); ++i) {
    auto* b = lines_[static_cast<qsizetype>(i)];
    const QString name = qs(now[i].first);
    b->setText(now[i].second ? tr("%1: high").arg(name) : tr("%1: low").arg(name));
    b->setAccessibleName(now[i].second ? tr("Line %1 is high: set it low").arg(name)
                                       : tr("Line %1 is low: set it high").arg(name));
    b->setToolTip(b->accessibleName());
  }
}

void DeviceDrawer::showAuxiliary() {
  QList<std::pair<QString, bool>> all;
  const BenchState& s = bench_.state();
  for (const acquire::OutputState& o : s.output.set) {
    for (const auto& [name, on] : s.output.outputs) {
      if (o.auxiliary && name == o.name) all.append({qs(name), on});
    }
  }
  setRowShown(auxiliary_box_, !all.isEmpty());
  while (auxiliary_.size() > 2 * all.size()) delete auxiliary_.takeLast();
  while (auxiliary_.size() < 2 * all.size()) {
    auto* b = button({}, {}, auxiliary_box_);
    const bool settings = auxiliary_.size() % 2 == 1;
    connect(b, &QPushButton::clicked, this, [this, b, settings] {
      const QString name = b->property("output").toString();
      if (settings) return emit drawerRequested(QStringLiteral("source:") + name);
      emit switchRequested(name, !b->property("on").toBool());
    });
    static_cast<QHBoxLayout*>(auxiliary_box_->layout())
        ->insertWidget(static_cast<int>(auxiliary_.size()), b);
    auxiliary_.append(b);
  }
  for (qsizetype i = 0; i < all.size(); ++i) {
    const auto& [name, on] = all[i];
    QPushButton *sw = auxiliary_[2 * i], *settings = auxiliary_[2 * i + 1];
    sw->setObjectName(QStringLiteral("switchOutput") + name);
    sw->setProperty("output", name);
    sw->setProperty("on", on);
    sw->setText(on ? tr("Switch %1 off").arg(name) : tr("Switch %1 on").arg(name));
    settings->setObjectName(QStringLiteral("settingsOf") + name);
    settings->setProperty("output", name);
    settings->setText(tr("Settings of %1…").arg(name));
  }
}

void DeviceDrawer::reset() {
  const QString how =
      reset_how_->text().trimmed().isEmpty() ? reset_how_->placeholderText() : reset_how_->text();
  try {
    const acquire::SwitchCommand reset = acquire::parse_reset(how.toStdString());
    if (!reset.of_line() && !bench_.state().output_on) {
      emit messageReported(
          tr("The output is off, so there is nothing to reset. Kuvio never "
             "switches it on by itself."));
      return;
    }
    bench_.execute(reset);
    emit messageReported(Message::done(tr("Device reset: %1.").arg(qs(acquire::to_string(reset)))));
  } catch (const std::invalid_argument& e) {
    reset_how_->setFocus();
    FieldNote::say(reset_how_, QString::fromUtf8(e.what()) + QLatin1Char('.'));
  }
}

std::optional<FieldTrouble> DeviceDrawer::read(RecordRequest& r) const {
  const std::pair<const char*, QLineEdit*> own[] = {
      {"board", board_}, {"tester", tester_}, {"temperature", temperature_}, {"note", note_}};
  for (const auto& [key, field] : own) {
    const std::string text = field->text().trimmed().toStdString();
    if (!text.empty()) r.conditions.try_emplace(key, text);
  }
  for (const QString& part : otherConditions()) {
    const auto equals = part.indexOf(QLatin1Char('='));
    if (equals <= 0)
      return FieldTrouble{
          others_,
          tr("\"%1\" is not a condition. Write it as battery=AA lithium.").arg(part.trimmed())};
    r.conditions[part.left(equals).trimmed().toStdString()] =
        part.mid(equals + 1).trimmed().toStdString();
  }
  return std::nullopt;
}

/// A comma within a value is one: what has no = goes on with what was before.
QStringList DeviceDrawer::otherConditions() const {
  QStringList out;
  for (const QString& part : others_->text().split(QLatin1Char(','), Qt::SkipEmptyParts)) {
    if (out.isEmpty() || part.contains(QLatin1Char('='))) {
      out << part.trimmed();
    } else {
      out.back() += QStringLiteral(", ") + part.trimmed();
    }
  }
  return out;
}

QStringList DeviceDrawer::conditions() const {
  QStringList out;
  const std::pair<const char*, QLineEdit*> own[] = {
      {"board", board_}, {"tester", tester_}, {"temperature", temperature_}, {"note", note_}};
  for (const auto& [key, field] : own) {
    const QString text = field->text().trimmed();
    if (!text.isEmpty()) out << QLatin1String(key) + QLatin1Char('=') + text;
  }
  return out + otherConditions();
}

void DeviceDrawer::setConditions(const std::map<std::string, std::string>& conditions) {
  QStringList others;
  for (QLineEdit* field : {board_, tester_, temperature_, note_}) field->clear();
  for (const auto& [key, value] : conditions) {
    QLineEdit* field = key == "board"         ? board_
                       : key == "tester"      ? tester_
                       : key == "temperature" ? temperature_
                       : key == "note"        ? note_
                                              : nullptr;
    if (field) {
      field->setText(qs(value));
    } else {
      others << qs(key) + QLatin1Char('=') + qs(value);
    }
  }
  others_->setText(others.join(QStringLiteral(", ")));
}

}  // namespace kuvio::app
