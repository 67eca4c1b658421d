// SPDX-License-Identifier: GPL-3.0-or-later
// The Trace desk's span, cursors and steps: what is measured, copied and gone to.

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/trace/lanes.h"
#include "app/trace/read_out.h"
#include "app/trace/spread_margin.h"
#include "app/trace/time_text.h"
#include "app/trace/trace_desk.h"
#include "core/measure.h"

#include <QApplication>
#include <QClipboard>
#include <QKeyEvent>

#include <cmath>

namespace kuvio::app {
namespace {

QString number(double v) { return QString::number(v, 'g', 12); }

}  // namespace

void TraceDesk::makeSpanActions() {
  ViewState& view = context_.view;
  const DeskId desk = DeskId::trace;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    return context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  connect(lanes_, &Lanes::timesClicked, this, [this] {
    if (QAction* times = context_.actions.find(QStringLiteral("timesInSeconds"))) times->trigger();
  });
  QAction* whole =
      add("wholeCycles", tr("Snap spans to whole cycles"), QKeySequence(tr("W")), [] {});
  whole->setCheckable(true);
  connect(whole, &QAction::toggled, this, [&view](bool on) { view.setWholeCycles(on); });
  connect(&view, &ViewState::wholeCyclesChanged, whole,
          [whole, &view] { whole->setChecked(view.wholeCycles()); });
  for (int i = 0; i < ViewState::kCursors; ++i) {
    add(i == 0 ? "cursor1" : "cursor2", tr("Cursor %1 here").arg(i + 1),
        QKeySequence(Qt::Key_1 + i), [this, i] { context_.view.setCursor(i, placeOfKeys()); });
  }
  add("spanCursors", tr("Span between the cursors"), {},
      [&view] { view.setSpan(*view.cursor(0), *view.cursor(1)); });
  add("clearCursors", tr("Clear cursors"), {}, [&view] { view.clearCursors(); });
  context_.actions.add(
      QStringLiteral("copySpan"), tr("Copy span's figures as text (TSV)"),
      QKeySequence(tr("Ctrl+Shift+T")),
      [this] {
        const QString table = spanTable();
        if (table.isEmpty()) {
          emit messageReported(tr("Mark a span first: drag over the trace."));
        } else {
          QApplication::clipboard()->setText(table);
        }
      },
      desk);
  context_.actions.add(
      QStringLiteral("copySpread"), tr("Copy distribution as text (TSV)"), {},
      [this] {
        showPage(2);
        QApplication::clipboard()->setText(spread_->table());
      },
      desk);
  context_.actions.add(
      QStringLiteral("exportPicture"), tr("Export picture of the traces…"),
      QKeySequence(tr("Ctrl+Shift+E")), [this] { exportPicture(); }, desk);
  context_.actions.add(
      QStringLiteral("exportSamples"), tr("Export…"), {}, [this] { exportSamples(); }, desk);
}

void TraceDesk::makeStepActions() {
  const DeskId desk = DeskId::trace;
  const auto add = [&](const char* id, const QString& text, const QKeySequence& keys,
                       std::function<void()> run) {
    return context_.actions.add(QLatin1String(id), text, keys, std::move(run), desk);
  };
  add("goToTime", tr("Go to a time…"), QKeySequence(tr("Ctrl+G")), [this] {
    go_to_->show();
    go_to_->clear();
    go_to_->setFocus();
  });
  const auto step = [this](const char* id, const char* back_id, const QString& next,
                           const QString& before, const QKeySequence& keys,
                           const QKeySequence& back_keys, auto moments, const QString& none) {
    for (const int direction : {1, -1}) {
      context_.actions.add(
          QLatin1String(direction > 0 ? id : back_id), direction > 0 ? next : before,
          direction > 0 ? keys : back_keys,
          [this, direction, moments, none] {
            if (!context_.view.capture()) return;
            const std::vector<double> all = moments(*context_.view.capture());
            if (context_.view.step(all, direction)) return;
            if (all.empty()) return emit messageReported(none);
            // Round to the other end, and said so.
            context_.view.goTo(direction > 0 ? all.front() : all.back());
            emit messageReported(direction > 0 ? tr("Past the last: back at the first.")
                                               : tr("Past the first: on to the last."));
          },
          DeskId::trace);
    }
  };
  step(
      "nextMark", "previousMark", tr("Next mark"), tr("Previous mark"), QKeySequence(tr("M")),
      QKeySequence(tr("Shift+M")),
      [](const CaptureView& c) {
        std::vector<double> out;
        for (const auto& [moment, text] : c.marks) out.push_back(moment);
        return out;
      },
      tr("No more marks in this direction."));
  step(
      "nextGap", "previousGap", tr("Next gap or flagged samples"),
      tr("Previous gap or flagged samples"), QKeySequence(tr("G")), QKeySequence(tr("Shift+G")),
      [](const CaptureView& c) {
        std::vector<double> out;
        for (const auto& [from, to] : c.breaks) out.push_back(from);
        return out;
      },
      tr("No more gaps or flagged samples in this direction."));
  step(
      "nextMatch", "previousMatch", tr("Next log match"), tr("Previous log match"),
      QKeySequence(Qt::Key_F3), QKeySequence(Qt::SHIFT | Qt::Key_F3),
      [this](const CaptureView& c) {
        if (!context_.view.logMatches().empty()) return context_.view.logMatches();
        std::vector<double> out;  // without a filter, every line
        for (const book::LogLine& line : c.log) out.push_back(line.time_s);
        return out;
      },
      tr("No more matching lines."));
}

void TraceDesk::markSpanEnd(bool right) {
  ViewState& view = context_.view;
  if (!view.pointer()) return;
  const double t = *view.pointer();
  const double other = view.span() ? (right ? view.span()->first : view.span()->second)
                                   : (right ? view.from() : view.to());
  view.setSpan(t, (right ? t > other : t < other) ? other : right ? view.from() : view.to());
}

/// Where keys do something: at the pointer, else in the middle of the view.
double TraceDesk::placeOfKeys() const {
  return context_.view.pointer().value_or((context_.view.from() + context_.view.to()) / 2);
}

void TraceDesk::makeGoTo(QWidget* parent) {
  go_to_ = new QLineEdit(parent);
  go_to_->setObjectName(QStringLiteral("goTo"));
  go_to_->setAccessibleName(tr("Time to go to"));
  go_to_->setPlaceholderText(
      tr("12.5 s, 1:02:03.5, +200 ms, or a range: 12.5 .. +80 ms. Enter to go, Esc to cancel."));
  go_to_->hide();
  parent->layout()->addWidget(go_to_);
  connect(go_to_, &QLineEdit::returnPressed, this, &TraceDesk::goToTyped);
  go_to_->installEventFilter(this);
}

/// Esc leaves the line before it is anybody else's.
bool TraceDesk::eventFilter(QObject* watched, QEvent* event) {
  const bool key = event->type() == QEvent::ShortcutOverride || event->type() == QEvent::KeyPress;
  if (watched == go_to_ && key && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape) {
    event->accept();
    if (event->type() == QEvent::KeyPress) {
      go_to_->hide();
      lanes_->setFocus();
    }
    return true;
  }
  return Desk::eventFilter(watched, event);
}

void TraceDesk::goToTyped() {
  const auto place = parse_time_target(go_to_->text(), placeOfKeys());
  if (!place || !context_.view.capture()) {
    emit messageReported(tr("“%1” is not a time. Try 12.5 s, 1:02:03.5, +200 ms or 12.5 .. +80 ms.")
                             .arg(go_to_->text()));
    return;
  }
  if (place->from_s > context_.view.end() ||
      place->to_s.value_or(place->from_s) < context_.view.begin()) {
    emit messageReported(
        tr("The capture runs from %1 to %2.")
            .arg(moment_text(context_.view.begin(), 1), moment_text(context_.view.end(), 1)));
    return;
  }
  if (place->to_s) {
    context_.view.show(place->from_s, *place->to_s);
  } else {
    context_.view.goTo(place->from_s);
  }
  go_to_->hide();
  lanes_->setFocus();
}

/// The channel in the lane under the pointer.
std::string TraceDesk::pointedChannel() const {
  const std::size_t lane = lanes_->chosenLane();
  const LanePlan& plan = lanes_->plan();
  if (lane < plan.lanes.size() && !plan.lanes[lane].curves.empty())
    return plan.lanes[lane].curves.front().channel;
  return context_.view.capture() ? context_.view.capture()->channel.name : std::string();
}

void TraceDesk::followCursors() {
  std::vector<double> moments;
  for (int i = 0; i < ViewState::kCursors; ++i) {
    if (context_.view.cursor(i)) moments.push_back(*context_.view.cursor(i));
  }
  cursors_->setVisible(!moments.empty());
  if (context_.view.pointer()) moments.push_back(*context_.view.pointer());
  if (!context_.view.pointer()) emit instantChanged({});
  if (!moments.empty()) context_.session.requestMoments(moments);
}

/// "1  12.331 s: I 4.02 mA, V 3.58 V   2  …   2 − 1: +1.204 s (0.83 Hz), I −3.9 mA, …"
void TraceDesk::takeMoments(const MomentsReadingPtr& reading) {
  const double width = context_.view.to() - context_.view.from();
  const auto value = [](const std::optional<double>& v, const std::string& unit) {
    return v ? qs(with_prefix(*v, unit, 4)) : QStringLiteral("–");
  };
  QStringList parts;
  std::size_t at = 0;
  std::vector<std::pair<double, std::size_t>> both;
  for (int i = 0; i < ViewState::kCursors; ++i) {
    if (!context_.view.cursor(i)) continue;
    // An answer to cursors that have moved on: the next is on its way.
    if (at >= reading->moments.size() || reading->moments[at] != *context_.view.cursor(i)) return;
    QStringList values;
    for (const auto& channel : reading->channels) {
      if (!channel.unit.empty())
        values << qs(channel.name) + QLatin1Char(' ') + value(channel.values[at], channel.unit);
    }
    parts << tr("%1  %2: %3")
                 .arg(i + 1)
                 .arg(moment_text(reading->moments[at], width), values.join(QStringLiteral(", ")));
    both.emplace_back(reading->moments[at], at);
    ++at;
  }
  if (context_.view.pointer() && at < reading->moments.size() &&
      reading->moments[at] == *context_.view.pointer())
    emit instantChanged(instant_text(*reading, at, width, pointedChannel()));
  if (both.size() == 2) {
    const double apart = both[1].first - both[0].first;
    QStringList values;
    for (const auto& channel : reading->channels) {
      const auto &a = channel.values[0], &b = channel.values[1];
      if (!channel.unit.empty() && a && b)
        values << qs(channel.name) + QLatin1Char(' ') + qs(with_prefix(*b - *a, channel.unit, 4));
    }
    const QString rate =
        apart != 0 ? QStringLiteral(" (%1)").arg(qs(with_prefix(1 / std::fabs(apart), "Hz", 4)))
                   : QString();
    parts
        << tr("2 − 1: %1%2, %3").arg(qs(duration(apart)), rate, values.join(QStringLiteral(", ")));
  }
  cursors_->setText(parts.join(QStringLiteral("   ")));
}

QString TraceDesk::spanTable() const {
  if (!context_.view.span() || !reading_) return {};
  const SpanFigures& s = reading_->figures;
  const auto or_nothing = [](const std::optional<double>& v) { return v ? number(*v) : QString(); };
  const std::vector<std::pair<QString, QString>> cells{
      {QStringLiteral("capture"), qs(context_.view.capture()->info.name)},
      {QStringLiteral("channel"), qs(context_.view.capture()->channel.name)},
      {QStringLiteral("from_s"), number(s.from_s)},
      {QStringLiteral("to_s"), number(s.to_s)},
      {QStringLiteral("duration_s"), number(s.duration_s())},
      {QStringLiteral("observed_s"), number(s.observed_s)},
      {QStringLiteral("missing_s"), number(s.missing_s)},
      {QStringLiteral("samples"), QString::number(s.samples)},
      {QStringLiteral("mean_A"), or_nothing(s.mean())},
      {QStringLiteral("mean_U_A"), number(reading_->mean_u)},
      {QStringLiteral("min_A"), or_nothing(s.min)},
      {QStringLiteral("max_A"), or_nothing(s.max)},
      {QStringLiteral("rms_A"), or_nothing(s.rms())},
      {QStringLiteral("charge_C"), number(s.charge)},
      {QStringLiteral("over_range"), QString::number(s.over_range)}};
  QStringList names, values;
  for (const auto& [name, value] : cells) {
    names << name;
    values << value;
  }
  return names.join(QLatin1Char('\t')) + QLatin1Char('\n') + values.join(QLatin1Char('\t')) +
         QLatin1Char('\n');
}

}  // namespace kuvio::app
