// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/line_up_margin.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/widgets.h"
#include "app/trace/time_text.h"
#include "book/notes.h"
#include "core/line_up.h"
#include "core/number_text.h"

#include <QFormLayout>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QRegularExpression>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

QString signed_time(double s) {
  return (s < 0 ? QStringLiteral("−") : QStringLiteral("+")) +
         QString::number(std::fabs(s), 'f', 6) + QStringLiteral(" s");
}

/// Moment of the n-th line (from 1) that matches; nothing when there are fewer.
std::optional<double> nth_line(const CaptureView& capture, const QRegularExpression& what, int n) {
  for (const book::LogLine& line : capture.log) {
    if (what.match(qs(line.text)).hasMatch() && --n == 0) return line.time_s;
  }
  return std::nullopt;
}

Visits visits_of(const CaptureView& capture) {
  Visits out;
  for (const VisitFigures& v : capture.visits) out.push_back(v.visit);
  return out;
}

}  // namespace

LineUpMargin::LineUpMargin(ViewState& view, Session& session, QWidget* parent)
    : QWidget(parent), view_(view), alive_(&view), session_(session) {
  setObjectName(QStringLiteral("lineUpMargin"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(14, 8, 14, 8);
  column->setSpacing(8);
  nothing_ = remark(tr("Tick two or more captures in the list to overlay them."), this);
  nothing_->setWordWrap(true);
  column->addWidget(nothing_);
  column->addWidget(makeWays());
  status_ = remark({}, this);
  status_->setObjectName(QStringLiteral("lineUpStatus"));
  status_->setWordWrap(true);
  column->addWidget(status_);
  column->addStretch(1);
  connectParts();
  takeShown();
}

QWidget* LineUpMargin::makeWays() {
  ways_ = new QWidget(this);
  auto* rows = new QVBoxLayout(ways_);
  rows->setContentsMargins(0, 0, 0, 0);
  rows->setSpacing(8);
  which_ = new QComboBox(ways_);
  which_->setObjectName(QStringLiteral("lineUpWhich"));
  which_->setAccessibleName(tr("Capture that is moved"));
  which_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  onto_ = remark({}, ways_);
  onto_->setWordWrap(true);
  rows->addWidget(which_);
  rows->addWidget(onto_);
  makeFields();
  const auto way = [&](const QString& title, std::initializer_list<QWidget*> parts,
                       const char* name, const QString& act, auto run) {
    rows->addWidget(heading(title, ways_));
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    for (QWidget* part : parts) row->addWidget(part, qobject_cast<QSpinBox*>(part) ? 0 : 1);
    auto* go = button(act, QLatin1String(name), ways_);
    connect(go, &QPushButton::clicked, this, run);
    if (parts.size() > 0) go->setMaximumWidth(Px{56});
    row->addWidget(go);
    rows->addLayout(row);
  };
  way(tr("By waveform"), {}, "lineUpAuto", tr("Find offset"), [this] { automatically(); });
  way(tr("By nth entry into a state"), {state_, entry_}, "lineUpByEntry", tr("Align"),
      [this] { byEntry(); });
  way(tr("By nth log line matching"), {line_, match_}, "lineUpByLine", tr("Align"),
      [this] { byLog(); });
  way(tr("By hand: drag over the lanes, or type"), {offset_}, "lineUpByOffset", tr("Set"),
      [this] { byTyping(); });
  auto* back = button(tr("Reset offset"), QStringLiteral("lineUpBack"), ways_);
  connect(back, &QPushButton::clicked, this, [this] {
    const CaptureView* m = moved();
    if (m && view_.capture()) lay(-view_.capture()->lined_up_s, {});
  });
  rows->addWidget(back, 0, Qt::AlignLeft);
  return ways_;
}

void LineUpMargin::makeFields() {
  const auto count = [this](const char* name, const QString& accessible) {
    auto* spin = new QSpinBox(ways_);
    spin->setObjectName(QLatin1String(name));
    spin->setAccessibleName(accessible);
    spin->setRange(1, 100000);
    spin->setMaximumWidth(Px{62});
    return spin;
  };
  offset_ = new QLineEdit(ways_);
  offset_->setObjectName(QStringLiteral("lineUpOffset"));
  offset_->setAccessibleName(tr("Offset of the capture"));
  offset_->setPlaceholderText(tr("1.25 s, −40 ms"));
  connect(offset_, &QLineEdit::returnPressed, this, &LineUpMargin::byTyping);
  connect(offset_, &QLineEdit::textEdited, this, [this] { draw_in_pencil(offset_, true); });
  offset_->installEventFilter(this);
  state_ = new QComboBox(ways_);
  state_->setObjectName(QStringLiteral("lineUpState"));
  state_->setAccessibleName(tr("State whose entry is laid over"));
  state_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  entry_ = count("lineUpEntry", tr("Which entry into the state"));
  line_ = new QLineEdit(ways_);
  line_->setObjectName(QStringLiteral("lineUpLine"));
  line_->setAccessibleName(tr("Log line that is laid over, a regular expression"));
  line_->setPlaceholderText(tr("text or expression"));
  connect(line_, &QLineEdit::returnPressed, this, &LineUpMargin::byLog);
  match_ = count("lineUpMatch", tr("Which of the lines"));
}

void LineUpMargin::connectParts() {
  connect(which_, &QComboBox::activated, this, &LineUpMargin::choose);
  connect(&view_, &ViewState::captureChanged, this, &LineUpMargin::takeShown);
  connect(&view_, &ViewState::offsetsChanged, this, [this] {
    if (!view_.moving()) return;
    const double tried = view_.offsetOf(*view_.moving());
    offset_->setText(signed_time(tried));
    draw_in_pencil(offset_, moved() && tried != moved()->offset_s);
  });
  connect(&view_, &ViewState::offsetDragged, this,
          [this](std::size_t, double offset_s) { lay(offset_s, tr("manual")); });
  connect(&session_, &Session::linedUp, this, &LineUpMargin::takeResult);
}

/// Escape takes back what is typed; elsewhere it clears the span.
bool LineUpMargin::eventFilter(QObject* watched, QEvent* event) {
  const bool key = event->type() == QEvent::KeyPress || event->type() == QEvent::ShortcutOverride;
  if (watched != offset_ || !key || static_cast<QKeyEvent*>(event)->key() != Qt::Key_Escape)
    return QWidget::eventFilter(watched, event);
  event->accept();
  if (event->type() == QEvent::KeyPress) choose();
  return event->type() == QEvent::KeyPress;
}

void LineUpMargin::showEvent(QShowEvent*) { choose(); }
void LineUpMargin::hideEvent(QHideEvent*) {
  if (alive_) view_.setMoving(std::nullopt);
}

void LineUpMargin::takeShown() {
  const std::size_t n = view_.shown() ? view_.shown()->captures.size() : 0;
  nothing_->setVisible(n < 2);
  ways_->setVisible(n >= 2);
  status_->setVisible(n >= 2);
  const QVariant chosen = which_->currentData();
  which_->clear();
  for (std::size_t i = 1; i < n; ++i) {
    const CaptureView& c = *view_.shown()->captures[i];
    which_->addItem(qs(c.info.name), static_cast<qlonglong>(c.info.id));
  }
  if (const int at = which_->findData(chosen); at >= 0) which_->setCurrentIndex(at);
  choose();
}

void LineUpMargin::choose() {
  const CaptureView* m = moved();
  if (!m) {
    view_.setMoving(std::nullopt);
    return;
  }
  if (isVisible()) view_.setMoving(static_cast<std::size_t>(which_->currentIndex() + 1));
  onto_->setText(tr("aligned to %1").arg(qs(view_.capture()->info.name)));
  offset_->setText(signed_time(m->offset_s));
  draw_in_pencil(offset_, false);
  const QString state = state_->currentText();
  state_->clear();
  for (const auto& [name, fill] : view_.capture()->fills) {
    const bool both = m->fills.count(name) > 0;
    if (both && !is_built_in_state(name)) state_->addItem(qs(name));
  }
  if (const int at = state_->findText(state); at >= 0) state_->setCurrentIndex(at);
  // What was said of these two stands as long as they lie as they did.
  if (said_ == std::tuple(view_.capture()->info.id, m->info.id, m->offset_s)) return;
  said_.reset();
  const QString how = qs(m->lined_up_by);
  status_->setText(m->offset_s == 0 ? tr("No offset.")
                   : how.isEmpty()  ? tr("Moved by %1.").arg(signed_time(m->offset_s))
                                    : tr("Offset %1, %2.").arg(signed_time(m->offset_s), how));
}

const CaptureView* LineUpMargin::moved() const {
  const int i = which_->currentIndex() + 1;
  if (!view_.shown() || i < 1 || i >= static_cast<int>(view_.shown()->captures.size()))
    return nullptr;
  return view_.shown()->captures[static_cast<std::size_t>(i)].get();
}

/// `offset_s`: beside the first capture.
void LineUpMargin::lay(double offset_s, const QString& how) {
  const CaptureView* m = moved();
  if (!m || !view_.capture()) return;
  const double whole = offset_s + view_.capture()->lined_up_s;
  session_.put(tr("%1 lined up").arg(qs(m->info.name)),
               {book::lined_up_note(m->info.id, {whole, how.toStdString()})});
}

void LineUpMargin::byTyping() {
  QString text = offset_->text().trimmed();
  const auto place = parse_time_target(text, 0);
  if (!place || place->to_s) {
    status_->setText(tr("“%1” is not a time. Try 1.25 s or −40 ms. Nothing was moved.").arg(text));
    return;
  }
  lay(place->from_s, tr("typed"));
}

void LineUpMargin::byEntry() {
  const CaptureView* m = moved();
  if (!m) return;
  const std::string state = state_->currentText().toStdString();
  const auto offset = state.empty() ? std::nullopt
                                    : line_up_entries(visits_of(*view_.capture()), visits_of(*m),
                                                      state, entry_->value());
  if (!offset) {
    status_->setText(
        state.empty()
            ? tr("Both must be split into states first, and have one in common.")
            : tr("One of them enters %1 fewer than %2 times. Entries cut by the start or a gap do "
                 "not count. Nothing was moved.")
                  .arg(qs(state))
                  .arg(entry_->value()));
    return;
  }
  lay(*offset, tr("by entry %1 into %2").arg(entry_->value()).arg(qs(state)));
}

void LineUpMargin::byLog() {
  const CaptureView* m = moved();
  if (!m) return;
  const QRegularExpression what(line_->text(), QRegularExpression::CaseInsensitiveOption);
  if (line_->text().isEmpty() || !what.isValid()) {
    status_->setText(line_->text().isEmpty()
                         ? tr("Enter text to match.")
                         : tr("The expression is not valid: %1.").arg(what.errorString()));
    return;
  }
  const auto a = nth_line(*view_.capture(), what, match_->value()),
             b = nth_line(*m, what, match_->value());
  if (!a || !b) {
    status_->setText(tr("%1 has fewer than %2 such lines. Nothing was moved.")
                         .arg(qs((!a ? *view_.capture() : *m).info.name))
                         .arg(match_->value()));
    return;
  }
  lay(*a - *b, tr("by log line %1 with “%2”").arg(match_->value()).arg(line_->text()));
}

void LineUpMargin::automatically() {
  const CaptureView* m = moved();
  if (!m) return;
  status_->setText(tr("Comparing…"));
  said_ = {view_.capture()->info.id, m->info.id, m->offset_s};
  session_.requestLineUp(view_.capture()->info.id, m->info.id);
}

void LineUpMargin::takeResult(std::int64_t reference, std::int64_t other, const LineUp& result) {
  const CaptureView* m = moved();
  if (!m || m->info.id != other || view_.capture()->info.id != reference) return;
  const QString agreement = tr("correlation %1, next best %2")
                                .arg(result.correlation, 0, 'f', 2)
                                .arg(result.next_best, 0, 'f', 2);
  if (!result.found()) {
    status_->setText(
        tr("Not lined up: %1 (%2). Nothing was moved; name an entry or a log line instead.")
            .arg(qs(result.why_not), agreement));
    return;
  }
  lay(result.offset_s,
      tr("by waveform, confidence %1 (%2)").arg(result.confidence, 0, 'f', 2).arg(agreement));
}

}  // namespace kuvio::app
