// SPDX-License-Identifier: GPL-3.0-or-later
// The Bench desk at work: its actions, what it is asked to record and switch.

#include "app/bench/bench_console.h"
#include "app/bench/bench_desk.h"
#include "app/bench/listener_drawer.h"
#include "app/bench/paper_view.h"
#include "app/bench/progress_sheet.h"
#include "app/bench/source_drawer.h"
#include "app/bench/stamps.h"
#include "app/bench/station_drawers.h"
#include "app/engine/book_view.h"
#include "app/engine/text.h"
#include "app/style/field_note.h"

#include <QRegularExpression>
#include <QStackedWidget>
#include <QTabBar>

#include <algorithm>
#include <set>

namespace kuvio::app {

void BenchDesk::makeActions() {
  const DeskId desk = DeskId::bench;
  Actions& a = context_.actions;
  a.add(
      QStringLiteral("recordAction"), tr("Record, as the run sheet says"),
      QKeySequence(tr("Ctrl+Space")), [this] { record(); }, desk);
  a.add(QStringLiteral("stopAction"), tr("Stop recording"), QKeySequence(tr("Ctrl+.")),
        [this] { context_.bench.stop(); });
  a.add(QStringLiteral("markAction"), tr("Mark this moment"), QKeySequence(tr("Ctrl+J")),
        [this] { markNow(); });
  a.add(
      QStringLiteral("zeroAction"), tr("Zero now"), {},
      [this] { context_.bench.zero(2, source_->accuracy()); }, desk);
  a.add(QStringLiteral("switchOff"), tr("Switch all outputs off"), QKeySequence(tr("Ctrl+0")),
        [this] { context_.bench.switchOutput(false); });
  a.add(
      QStringLiteral("switchOn"), tr("Switch output on"), {},
      [this] { switchOutput(source_->output(), true); }, desk);
  a.add(
      QStringLiteral("plugAction"), tr("What is plugged in?"), {},
      [this] { openDrawer(QStringLiteral("add")); }, desk);
  a.add(
      QStringLiteral("simulateAction"), tr("Start simulated bench"), {},
      [this] { startSimulated(plug_->simulatedBuild(), 60, false); }, desk);
  a.add(
      QStringLiteral("connectAction"), tr("Connect all"), {}, [this] { connectAll(); }, desk);
  a.add(
      QStringLiteral("tryProfileAction"), tr("Try the instrument's profile"), {},
      [this] { tryProfile(); }, desk);
  a.add(
      QStringLiteral("resetAction"), tr("Reset the device"), {}, [this] { device_->reset(); },
      desk);
  a.add(
      QStringLiteral("openSetupAction"), tr("Open bench set-up…"), {}, [this] { openSetup(); },
      desk);
  a.add(
      QStringLiteral("saveSetupAction"), tr("Save bench set-up as…"), {}, [this] { saveSetup(); },
      desk);
  a.add(
      QStringLiteral("nextPartAction"), tr("Next part of the bench"), QKeySequence(Qt::Key_F6),
      [this] { nextPart(); }, desk);
  a.add(QStringLiteral("sendAction"), tr("Send a line to the device"), QKeySequence(tr("Ctrl+T")),
        [this] {
          emit deskRequested(DeskId::bench);
          tabs_->setCurrentIndex(1);
          console_->focusLine();
        });
}

/// Round the wire, the drawer, the paper, the run sheet and the console.
void BenchDesk::nextPart() {
  QList<QWidget*> parts{wire_};
  if (!open_.isEmpty()) parts << drawer_;
  parts << paper_ << sheet_or_progress_->currentWidget() << console_;
  QWidget* at = focusWidget();
  qsizetype now = -1;
  for (qsizetype i = 0; i < parts.size(); ++i) {
    if (at && (parts[i] == at || parts[i]->isAncestorOf(at))) now = i;
  }
  for (qsizetype step = 1; step <= parts.size(); ++step) {
    QWidget* to = parts[(now + step) % parts.size()];
    if (!to->isVisible()) continue;
    if (to == wire_) return wire_->focusStation(wire_->plan().lines.front().source.id);
    if (to == paper_) return paper_->setFocus(Qt::TabFocusReason);
    if (to == console_) return console_->focusLine();
    // The first of it that takes the keyboard.
    for (QWidget* child : to->findChildren<QWidget*>()) {
      if (!child->isVisibleTo(to) || !child->isEnabled() || !(child->focusPolicy() & Qt::TabFocus))
        continue;
      return child->setFocus(Qt::TabFocusReason);
    }
  }
}

void BenchDesk::noteLine(const QString& text, bool sent) {
  console_->append(text, sent);
  // A device that says what it runs is believed where nobody has said otherwise.
  static const QRegularExpression runs(
      QStringLiteral("(?:\\b(?:build|firmware|fw|version)[ =:]+|^boot \\S+ )v?(\\d[\\w.+-]*)"),
      QRegularExpression::CaseInsensitiveOption);
  const auto match = runs.match(text);
  if (sent || !match.hasMatch() || context_.bench.recording()) return;
  const QString build = match.captured(1);
  if (build == sheet_->build()) return;
  if (sheet_->build().isEmpty()) return sheet_->proposeBuild(build);
  Message note(tr("The device says that it runs %1, not %2.").arg(build, sheet_->build()));
  note.offer = tr("Take %1").arg(build);
  note.run = [this, build] { sheet_->setBuild(build); };
  emit messageReported(note);
}

void BenchDesk::markNow() {
  if (!context_.bench.recording()) {
    emit messageReported(tr("Marks can be set only while recording."));
    return;
  }
  ++marks_;
  const QString note = progress_->takeNote();
  context_.bench.mark(note.isEmpty() ? tr("mark %1").arg(marks_) : note);
}

void BenchDesk::sendLine(const QString& text, bool* taken) {
  if (context_.bench.logAddress().isEmpty()) {
    emit messageReported(tr("No device log to send to. Add one by + more on the wire."));
    return;
  }
  context_.bench.send(text);
  *taken = true;
}

void BenchDesk::say(const FieldTrouble& trouble, const QString& drawer) {
  if (!drawer.isEmpty() && open_ != drawer) openDrawer(drawer);
  trouble.field->setFocus(Qt::OtherFocusReason);
  if (!trouble.why.isEmpty()) FieldNote::say(trouble.field, trouble.why);
}

std::optional<RecordRequest> BenchDesk::request() {
  RecordRequest r;
  std::vector<std::pair<const DrawerPage*, QString>> drawers{
      {source_, QStringLiteral("source:") + source_->output()},
      {path_, QStringLiteral("path:")},
      {device_, QStringLiteral("device")},
      {logic_, QStringLiteral("logic")}};
  for (const QString& other : wanted_.others) {
    if (const auto it = pages_.find(QStringLiteral("listener:") + other); it != pages_.end())
      drawers.emplace_back(it->second, QStringLiteral("input:") + other);
  }
  if (const auto wrong = sheet_->read(r)) {
    say(*wrong, {});
    return std::nullopt;
  }
  for (const auto& [page, id] : drawers) {
    if (const auto wrong = page->read(r)) {
      say(*wrong, id);
      return std::nullopt;
    }
  }
  // Runs of one build are told apart by more than the hour.
  if (r.name == r.build) r.name = nameOfRun(r.build);
  stamps_->read(r);
  if (const auto drift = context_.bench.state().drift)
    r.conditions["drift_before"] = tr("%1 % over 5 s").arg(100 * *drift, 0, 'f', 1).toStdString();
  preferences_.conditions = device_->conditions();
  emit preferencesChanged();
  return r;
}

/// "2.3.0", and once there is one of that name "2.3.0 · 2", …
std::string BenchDesk::nameOfRun(const std::string& build) const {
  std::set<std::string> taken;
  if (const auto& book = context_.session.book()) {
    for (const CaptureRow& row : book->rows) taken.insert(row.info.name);
  }
  std::string name = build;
  for (int run = 2; taken.count(name) > 0; ++run) name = build + " · " + std::to_string(run);
  return name;
}

void BenchDesk::record() {
  const RunSheet::Does does = sheet_->does();
  if (context_.bench.recording()) return;
  if (does == RunSheet::Does::nothing) return sayWhyNot();
  const bool powers = does == RunSheet::Does::power_on || does == RunSheet::Does::cycle;
  if (powers && !source_->holds()) return openDrawer(QStringLiteral("source:") + source_->output());
  marks_ = 0;
  const auto r = request();
  if (!r) return;
  if (does == RunSheet::Does::cycle) {
    context_.bench.recordFromOff(*r);
  } else {
    context_.bench.record(*r);
  }
}

/// Its button is greyed, and its key was pressed.
void BenchDesk::sayWhyNot() {
  if (context_.bench.state().phase != BenchState::Phase::none) {
    emit messageReported(tr("%1.").arg(sheet_->buttonText()));
    return;
  }
  openDrawer(QStringLiteral("add"));
  emit messageReported(
      tr("Nothing is connected: choose what is plugged in, or start the simulated bench."));
}

/// A device is not powered by a field that was not understood.
void BenchDesk::switchOutput(const QString& output, bool on) {
  if (on && !sourceOf(output)->holds()) return openDrawer(QStringLiteral("source:") + output);
  context_.bench.switchOutput(on, output);
}

}  // namespace kuvio::app
