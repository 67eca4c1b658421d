// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/ways_fan.h"

#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/trace/fan_raster.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <map>

namespace kuvio::app {
namespace {

constexpr PxF kNames{86}, kBlock{8}, kLine{17};
constexpr double kThinnest = 1.5;  // pixels: a pair that came once is seen

/// The states in one order for both sides: as they were left first, then those only entered.
std::vector<std::string> order_of(const Transitions& here, const Transitions& reference) {
  std::vector<std::string> out;
  const auto add = [&](const std::string& state) {
    if (std::find(out.begin(), out.end(), state) == out.end()) out.push_back(state);
  };
  for (const Transitions* ways : {&here, &reference}) {
    for (const Transition& t : ways->all) add(t.from);
    for (const Transition& t : ways->all) add(t.to);
  }
  return out;
}

}  // namespace

WaysFan::WaysFan(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("waysFan"));
  setAccessibleName(tr("What follows what"));
  setAccessibleDescription(
      tr("Each state's exits at the left, what came next at the right, a band as wide as it is "
         "frequent."));
  setMouseTracking(true);
}

void WaysFan::setWays(const Transitions& here, const Transitions& reference, const Fills& fills) {
  here_ = here;
  reference_ = reference;
  fills_ = fills;
  pointed_ = -1;
  updateGeometry();
  update();
}

void WaysFan::setPicked(const std::string& from, const std::string& to) {
  from_ = from;
  to_ = to;
  update();
}

QSize WaysFan::minimumSizeHint() const {
  const auto states = order_of(here_, reference_).size();
  return {Px{100},
          static_cast<int>(static_cast<double>(std::max<std::size_t>(states, 3)) * kLine) + Px{8}};
}

double WaysFan::namesWidth() const { return std::min<double>(kNames, 0.3 * width()); }
double WaysFan::leftEdge() const { return namesWidth(); }
double WaysFan::rightEdge() const { return width() - namesWidth(); }

namespace {

/// Pixels an exit, so that slots as high as their counts, and high enough for a name, fill the
/// room.
double pixels_each(const std::vector<double>& counts, double room) {
  double low = 0, high = 1000;
  for (int i = 0; i < 50; ++i) {
    const double each = (low + high) / 2;
    double used = 0;
    for (const double n : counts) used += std::max<double>(kLine, n * each);
    (used > room ? high : low) = each;
  }
  return low;
}

}  // namespace

/// One side: the states that it has, a slot each, with their blocks in the middle.
std::vector<WaysFan::Part> WaysFan::side(const std::vector<std::string>& order, bool exits) const {
  std::vector<Part> parts;
  for (const std::string& state : order) {
    Part part{state};
    bool in_reference = false;
    for (const Transition& t : here_.all)
      part.count += (exits ? t.from : t.to) == state ? static_cast<double>(t.count) : 0;
    for (const Transition& t : reference_.all) in_reference |= (exits ? t.from : t.to) == state;
    if (part.count > 0 || in_reference) parts.push_back(std::move(part));
  }
  return parts;
}

WaysFan::Layout WaysFan::laidOut() const {
  Layout out;
  const std::vector<std::string> order = order_of(here_, reference_);
  out.left = side(order, true);
  out.right = side(order, false);
  constexpr double kEdge = 4, kGap = 3;
  double each = 1000;
  for (const std::vector<Part>* parts : {&out.left, &out.right}) {
    std::vector<double> counts;
    for (const Part& p : *parts) counts.push_back(p.count);
    const double gaps = kGap * static_cast<double>(counts.size());
    each = std::min(each, pixels_each(counts, height() - 2 * kEdge - gaps));
  }
  for (std::vector<Part>* parts : {&out.left, &out.right}) {
    double used = 0;
    for (const Part& p : *parts) used += std::max<double>(kLine, p.count * each) + kGap;
    // What one side has over goes between its slots.
    const double over = std::max(0.0, height() - 2 * kEdge - used) /
                        static_cast<double>(std::max<std::size_t>(1, parts->size()));
    double y = kEdge + over / 2;
    for (Part& p : *parts) {
      p.slot_height = std::max<double>(kLine, p.count * each);
      p.slot_top = y;
      p.height = std::max(kThinnest, p.count * each);
      p.top = y + (p.slot_height - p.height) / 2;
      y += p.slot_height + kGap + over;
    }
  }
  out.each = each;
  out.bands = bands(here_, out, 1);
  // The reference's as they would be with as many exits.
  const auto all = [](const Transitions& ways) {
    double n = 0;
    for (const Transition& t : ways.all) n += static_cast<double>(t.count);
    return n;
  };
  if (!reference_.all.empty() && !here_.all.empty())
    out.outlines = bands(reference_, out, all(here_) / all(reference_));
  return out;
}

/// Bands leave and enter in the states' order, so that few of them cross.
std::vector<WaysFan::Band> WaysFan::bands(const Transitions& ways, const Layout& layout,
                                          double scale) const {
  std::vector<Band> made;
  std::map<std::string, double> right_all, right_used;
  for (const Transition& t : ways.all)
    right_all[t.to] += static_cast<double>(t.count) * layout.each * scale;
  for (const Part& p : layout.left) {
    double all = 0;
    for (const Part& q : layout.right) {
      const Transition* t = ways.find(p.state, q.state);
      all += t ? static_cast<double>(t->count) * layout.each * scale : 0;
    }
    double used = 0;
    for (const Part& q : layout.right) {
      const Transition* t = ways.find(p.state, q.state);
      if (!t) continue;
      const double thick = static_cast<double>(t->count) * layout.each * scale;
      Band b{p.state, q.state};
      b.height = std::max(kThinnest, thick);
      b.left_top = p.top + (p.height - all) / 2 + used;
      b.right_top = q.top + (q.height - right_all[q.state]) / 2 + right_used[q.state];
      used += thick;
      right_used[q.state] += thick;
      made.push_back(std::move(b));
    }
  }
  return made;
}

QPainterPath WaysFan::path(const Band& b) const {
  constexpr int kSteps = 24;
  QPolygonF upper, lower;
  const double from = leftEdge() + kBlock, to = rightEdge() - kBlock;
  for (int i = 0; i <= kSteps; ++i) {
    const double s = static_cast<double>(i) / kSteps, ease = band_ease(s);
    const double x = from + (to - from) * s;
    const double top = b.left_top + (b.right_top - b.left_top) * ease;
    upper.append({x, top});
    lower.prepend({x, top + b.height});
  }
  QPainterPath out;
  out.addPolygon(upper + lower);
  out.closeSubpath();
  return out;
}

QPainterPath WaysFan::bandOf(const std::string& from, const std::string& to) const {
  for (const Band& b : laidOut().bands) {
    if (b.from == from && b.to == to) return path(b);
  }
  return {};
}

int WaysFan::bandAt(const QPointF& place, const Layout& layout) const {
  // The narrowest that holds the place: it is drawn over the others.
  int best = -1;
  double narrowest = 1e9;
  for (std::size_t i = 0; i < layout.bands.size(); ++i) {
    const Band& b = layout.bands[i];
    if (b.height < narrowest && path(b).contains(place)) {
      best = static_cast<int>(i);
      narrowest = b.height;
    }
  }
  return best;
}

void WaysFan::mouseMoveEvent(QMouseEvent* event) {
  const int at = bandAt(event->position(), laidOut());
  if (std::exchange(pointed_, at) != at) update();
}

void WaysFan::leaveEvent(QEvent* event) {
  pointed_ = -1;
  update();
  QWidget::leaveEvent(event);
}

void WaysFan::mousePressEvent(QMouseEvent* event) {
  const Layout layout = laidOut();
  const int at = bandAt(event->position(), layout);
  if (event->button() != Qt::LeftButton || at < 0) return;
  const Band& b = layout.bands[static_cast<std::size_t>(at)];
  emit picked(b.from, b.to);
}

void WaysFan::paintEvent(QPaintEvent* /*event*/) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& t = Theme::current();
  const Layout layout = laidOut();
  std::vector<std::size_t> order(layout.bands.size());
  for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return layout.bands[a].height > layout.bands[b].height;
  });
  for (const std::size_t i : order) {
    const Band& b = layout.bands[i];
    const bool picked = b.from == from_ && b.to == to_;
    const bool lit = picked || static_cast<int>(i) == pointed_;
    QColor body = t.fill(b.to, fills_).color();
    body.setAlphaF(lit ? 1.0F : 0.72F);
    painter.fillPath(path(b), body);
    if (lit) {
      painter.setPen(QPen(picked ? t.focus() : t.text(), 1.2));
      painter.drawPath(path(b));
    }
  }
  painter.setPen(QPen(t.muted(), 1, Qt::DashLine));
  for (const Band& b : layout.outlines) painter.drawPath(path(b));
  painter.setFont(Theme::baseFont(12));
  const QFontMetrics metrics(painter.font());
  const auto side = [&](const std::vector<Part>& parts, bool left) {
    for (const Part& p : parts) {
      const double x = left ? leftEdge() : rightEdge() - kBlock;
      const QRectF block(x, p.top, kBlock, p.height);
      painter.fillRect(block, t.fill(p.state, fills_));
      painter.setPen(QPen(t.border(), 0.6));
      painter.drawRect(block);
      const QRectF room(left ? 0 : x + kBlock + 6, p.slot_top, namesWidth() - 8, p.slot_height);
      painter.setPen(p.count > 0 ? t.text() : t.muted());
      painter.drawText(
          room, (left ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter,
          metrics.elidedText(qs(p.state), Qt::ElideRight, static_cast<int>(room.width())));
    }
  };
  side(layout.left, true);
  side(layout.right, false);
}

}  // namespace kuvio::app
