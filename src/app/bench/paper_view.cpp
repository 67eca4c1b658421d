// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/paper_view.h"

#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/ticks.h"
#include "core/number_text.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr Px kNear{14};                     // px between what would touch
constexpr double kLeast = 10, kMost = 600;  // s
const double kWindows[] = {0, 1, 10, 60};

QString figure(double value, const std::string& unit) { return qs(with_prefix(value, unit, 4)); }

}  // namespace

PaperView::PaperView(const BenchControl& bench, QWidget* parent) : QWidget(parent), bench_(bench) {
  setObjectName(QStringLiteral("paper"));
  setAccessibleName(tr("Live readings"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
}

const LiveHistory::Channel* PaperView::shown() const {
  const auto& all = bench_.history().channels();
  return all.empty() ? nullptr : &all[std::min(large_, all.size() - 1)];
}

std::string PaperView::channel() const {
  const auto* c = shown();
  return c ? c->name : std::string();
}

void PaperView::refresh() {
  // A bench that runs faster than real is looked at over as many of our seconds.
  if (const double scale = bench_.timeScale(); scale != scale_) {
    span_s_ *= scale / scale_;
    scale_ = scale;
  }
  setAccessibleDescription(figures());
  update();
}

void PaperView::setSpan(double seconds) {
  const double scale = bench_.timeScale();
  span_s_ = std::clamp(seconds, kLeast * std::min(1.0, scale), kMost * std::max(1.0, scale));
  update();
}

void PaperView::setWindow(double seconds) {
  window_s_ = seconds;
  refresh();
}

void PaperView::showNext(int step) {
  const auto n = static_cast<int>(bench_.history().channels().size());
  if (n == 0) return;
  large_ = static_cast<std::size_t>((static_cast<int>(large_) + step + n) % n);
  refresh();
}

void PaperView::setLimit(std::optional<double> amperes, bool trips) {
  if (limit_ == amperes && trips_ == trips) return;
  limit_ = amperes;
  trips_ = trips;
  update();
}

// --- geometry ------------------------------------------------------------------------------------

int PaperView::stripCount() const {
  const auto n = static_cast<int>(bench_.history().channels().size());
  const int most = height() < 300 ? 0 : QWidget::window()->height() < 720 ? 2 : 3;
  return std::clamp(n - 1, 0, most);
}

QRectF PaperView::plot() const {
  return QRectF(kAxis, 4, width() - kAxis - kColumn - 1.0,
                height() - kFoot - 6.0 - stripCount() * (kStrip + 6));
}

QRectF PaperView::column() const {
  return {width() - kColumn + 12.0, 4, kColumn - 20.0, plot().height()};
}

QRectF PaperView::strip(int i) const {
  const QRectF p = plot();
  return QRectF(p.left(), p.bottom() + kFoot + 4 + i * (kStrip + 6.0), p.width(), kStrip);
}

double PaperView::xOf(double t, const QRectF& box) const {
  return box.left() + (t - from()) / span_s_ * box.width();
}

double PaperView::timeAt(double x) const {
  const QRectF p = plot();
  return from() + std::clamp((x - p.left()) / p.width(), 0.0, 1.0) * span_s_;
}

PaperScale PaperView::scaleFor(const std::string& name) const {
  const auto f = bench_.history().between(name, from(), bench_.history().now_s());
  const LiveHistory::Channel* channel = bench_.history().find(name);
  if (!f || !channel) return {};
  return paper_scale(*f, channel->quantity == Quantity::current);
}

// --- what stands there ---------------------------------------------------------------------------

/// Whether anything reads a channel right now.
bool PaperView::isRead(const std::string& channel) const {
  const auto& all = bench_.state().channels;
  return std::any_of(all.begin(), all.end(),
                     [&](const acquire::LiveChannel& c) { return c.name == channel; });
}

QString PaperView::figures() const {
  const auto* c = shown();
  if (!c || c->points.empty() || !isRead(c->name)) return QStringLiteral("–");
  double value = c->points.back().mean;
  if (window_s_ > 0) {
    const double now = bench_.history().now_s();
    if (const auto f = bench_.history().between(c->name, now - window_s_ * bench_.timeScale(), now))
      value = f->mean;
  }
  return figure(value, c->unit);
}

QString PaperView::settledText() const {
  const BenchState& s = bench_.state();
  if (!s.drift || s.phase != BenchState::Phase::ready) return {};
  const double percent = 100 * *s.drift;
  const QString moved =
      percent < 0.1 ? tr("less than 0.1 %") : tr("%1 %").arg(percent, 0, 'f', percent < 10 ? 1 : 0);
  return *s.drift <= BenchState::kSettled ? tr("settled: drift %1 over 5 s").arg(moved)
                                          : tr("not settled: drift %1 over 5 s").arg(moved);
}

/// Min, mean and max of what is shown at their places on the axis; written as one where they would
/// touch.
QList<PaperView::AxisMark> PaperView::axisMarks() const {
  QList<AxisMark> out;
  const auto* c = shown();
  if (!c) return out;
  const auto f = bench_.history().between(c->name, from(), bench_.history().now_s());
  if (!f) return out;
  const PaperScale scale = scaleFor(c->name);
  const QRectF p = plot();
  const std::pair<QString, double> all[] = {
      {tr("max"), f->max}, {tr("mean"), f->mean}, {tr("min"), f->min}};
  QStringList names;
  for (const auto& [name, value] : all) {
    const double y = scale.at(value, p);
    const QString text = figure(value, c->unit);
    if (!out.isEmpty() && std::fabs(y - out.back().y) < kNear) {
      names << name;
      const bool same = out.back().text.endsWith(text);
      out.back().text =
          same ? names.join(QStringLiteral(", ")) + QLatin1Char(' ') + text
               : out.back().text + QStringLiteral(", ") + name + QLatin1Char(' ') + text;
      continue;
    }
    names = {name};
    out.append({y, name + QLatin1Char(' ') + text});
  }
  return out;
}

QStringList PaperView::ticksText() const {
  QStringList out;
  for (const AxisMark& m : axisMarks()) out << m.text;
  return out;
}

QStringList PaperView::strips() const {
  QStringList out;
  const auto& all = bench_.history().channels();
  for (std::size_t i = 0; i < all.size() && out.size() < stripCount(); ++i) {
    if (i != std::min(large_, all.size() - 1)) out << qs(all[i].name);
  }
  return out;
}

QString PaperView::spanText() const {
  const auto* c = shown();
  if (!marked_ || !c) return {};
  const auto [a, b] = std::minmax(marked_->first, marked_->second);
  const auto f = bench_.history().between(c->name, a, b);
  if (!f) return tr("%1: no reading in this span").arg(qs(duration(b - a)));
  return tr("%1 of %2: mean %3, min %4, max %5")
      .arg(qs(duration(b - a)), qs(c->name), figure(f->mean, c->unit), figure(f->min, c->unit),
           figure(f->max, c->unit));
}

void PaperView::clearSpan() {
  marked_.reset();
  emit spanChanged();
  update();
}

std::optional<double> PaperView::limitY() const {
  const auto* c = shown();
  if (!limit_ || !c || c->quantity != Quantity::current) return std::nullopt;
  return std::clamp(scaleFor(c->name).at(proposed_.value_or(*limit_), plot()), plot().top(),
                    plot().bottom());
}

bool PaperView::nearLimit(const QPointF& at) const {
  const auto y = limitY();
  return y && std::fabs(at.y() - *y) < 9 && plot().adjusted(0, -9, 0, 9).contains(at);
}

// --- hands ---------------------------------------------------------------------------------------

void PaperView::wheelEvent(QWheelEvent* event) {
  setSpan(span_s_ * std::pow(2.0, -event->angleDelta().y() / 240.0));
  event->accept();
}

void PaperView::keyPressEvent(QKeyEvent* event) {
  switch (event->key()) {
    case Qt::Key_Plus:
      return setSpan(span_s_ / 2);
    case Qt::Key_Minus:
      return setSpan(span_s_ * 2);
    case Qt::Key_PageDown:
      return showNext(1);
    case Qt::Key_PageUp:
      return showNext(-1);
    case Qt::Key_Escape:
      if (marked_) return clearSpan();
      break;
    default:
      break;
  }
  QWidget::keyPressEvent(event);
}

void PaperView::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton) return;
  if (column().contains(event->position())) {
    const auto* at = std::find(std::begin(kWindows), std::end(kWindows), window_s_);
    return setWindow(at + 1 >= std::end(kWindows) ? kWindows[0] : at[1]);
  }
  for (int i = 0; i < stripCount(); ++i) {
    if (!strip(i).adjusted(-kAxis, 0, kColumn, 0).contains(event->position())) continue;
    const auto& all = bench_.history().channels();
    const QString name = strips().value(i);
    for (std::size_t c = 0; c < all.size(); ++c) {
      if (qs(all[c].name) == name) large_ = c;
    }
    return refresh();
  }
  const QRectF times(plot().left(), plot().bottom() + 1, plot().width(), kFoot);
  if (times.contains(event->position())) return emit timesClicked();
  if (nearLimit(event->position())) {
    drag_ = Drag::limit;
  } else if (plot().contains(event->position())) {
    drag_ = Drag::span;
    marked_ = {timeAt(event->position().x()), timeAt(event->position().x())};
  }
}

void PaperView::mouseMoveEvent(QMouseEvent* event) {
  if (drag_ == Drag::none) {
    setCursor(nearLimit(event->position()) ? Qt::SizeVerCursor : Qt::ArrowCursor);
  } else if (drag_ == Drag::limit) {
    const auto* c = shown();
    const double value = scaleFor(c->name).value(
        std::clamp(event->position().y(), plot().top(), plot().bottom()), plot());
    if (value > 0) proposed_ = value;
    update();
  } else {
    marked_->second = timeAt(event->position().x());
    emit spanChanged();
    update();
  }
}

void PaperView::mouseReleaseEvent(QMouseEvent*) {
  if (drag_ == Drag::limit && proposed_) {  // two digits are as fine as a hand is
    const double step = std::pow(10.0, std::floor(std::log10(*proposed_)) - 1);
    emit limitProposed(std::round(*proposed_ / step) * step);
  }
  proposed_.reset();
  if (drag_ == Drag::span && std::fabs(marked_->first - marked_->second) < span_s_ / 400)
    marked_.reset();
  drag_ = Drag::none;
  emit spanChanged();
  update();
}

}  // namespace kuvio::app
