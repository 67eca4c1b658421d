// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/spread_margin.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "core/number_text.h"

#include <QHBoxLayout>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr int kSoonMs = 40;      // the view comes to rest before it is asked for
constexpr double kFloor = 1e-6;  // least share that a logarithmic scale shows

/// Shares of the bins, and of what lies outside them.
struct Shares {
  std::vector<double> bins;
  double below = 0, above = 0;
};

Shares shares_of(const Distribution& d, bool by_charge) {
  Shares out;
  out.bins = by_charge ? d.charge : d.time_s;
  out.below = by_charge ? d.charge_below : d.below_s;
  out.above = by_charge ? d.charge_above : d.above_s;
  double total = std::fabs(out.below) + std::fabs(out.above);
  for (const double v : out.bins) total += std::fabs(v);
  if (!(total > 0)) return out;
  for (double& v : out.bins) v = std::fabs(v) / total;
  out.below = std::fabs(out.below) / total;
  out.above = std::fabs(out.above) / total;
  return out;
}

}  // namespace

SpreadBars::SpreadBars(const Lanes& lanes, QWidget* parent) : QWidget(parent), lanes_(lanes) {
  setObjectName(QStringLiteral("spreadBars"));
  setAccessibleName(tr("Distribution of the current"));
  connect(&lanes_, &Lanes::valuesChanged, this, qOverload<>(&QWidget::update));
}

void SpreadBars::setSpread(SpreadViewPtr spread) {
  spread_ = std::move(spread);
  update();
}
void SpreadBars::setByCharge(bool on) {
  by_charge_ = on;
  update();
}
void SpreadBars::setLogarithmic(bool on) {
  logarithmic_ = on;
  update();
}

void SpreadBars::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  if (!spread_ || !lanes_.currentPixel(0)) return;
  // The lane's pixels, in this widget's.
  const double shift = mapFromGlobal(lanes_.mapToGlobal(QPoint(0, 0))).y();
  const QRectF lane = QRectF(lanes_.currentLane()).translated(0, shift);
  const double left = 10, right = width() - 12.0;
  painter.fillRect(QRectF(left, lane.top(), right - left, lane.height()), t.ground());
  const Shares shares = shares_of(spread_->spread, by_charge_);
  const double most = std::max(1e-12, *std::max_element(shares.bins.begin(), shares.bins.end()));
  const auto x = [&](double share) {
    if (!logarithmic_) return left + share / most * (right - left);
    const double foot = std::max(kFloor, most * 1e-6);
    return left +
           std::clamp(std::log(share / foot) / std::log(most / foot), 0.0, 1.0) * (right - left);
  };
  painter.setPen(QPen(t.ruling(), 1));
  for (int i = 1; i <= 4; ++i) {
    const double at = left + (right - left) * i / 4;
    painter.drawLine(QLineF(at, lane.top(), at, lane.bottom()));
  }
  QColor bar = t.ink(0);
  bar.setAlpha(120);
  const std::vector<double>& edges = spread_->spread.bins.edges;
  for (std::size_t i = 0; i < shares.bins.size(); ++i) {
    if (!(shares.bins[i] > 0)) continue;
    const double a = *lanes_.currentPixel(edges[i]) + shift,
                 b = *lanes_.currentPixel(edges[i + 1]) + shift;
    painter.fillRect(QRectF(left, b, std::max(1.0, x(shares.bins[i]) - left), std::max(1.0, a - b)),
                     bar);
  }
  // Share below each value, from the left to the right edge.
  QPainterPath below;
  double sum = shares.below;
  for (std::size_t i = 0; i < shares.bins.size(); ++i) {
    const QPointF from(left + sum * (right - left), *lanes_.currentPixel(edges[i]) + shift);
    if (i == 0) below.moveTo(from);
    sum += shares.bins[i];
    below.lineTo(left + sum * (right - left), *lanes_.currentPixel(edges[i + 1]) + shift);
  }
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(t.text(), 1, Qt::DotLine));
  painter.setBrush(Qt::NoBrush);
  painter.drawPath(below);
  painter.setPen(QPen(t.rulingTenth(), 1));
  painter.drawRect(QRectF(left, lane.top(), right - left, lane.height()));
  painter.setFont(Theme::baseFont(11));
  painter.setPen(t.muted());
  const QRectF foot(left, lane.bottom() + 3, right - left, 16);
  painter.drawText(foot, Qt::AlignLeft, logarithmic_ ? QString() : QStringLiteral("0"));
  painter.drawText(foot, Qt::AlignRight, tr("%1 %").arg(most * 100, 0, 'g', 3));
}

SpreadMargin::SpreadMargin(ViewState& view, Session& session, Lanes& lanes, QWidget* parent)
    : QWidget(parent), view_(view), session_(session), alive_(&session), lanes_(lanes) {
  setObjectName(QStringLiteral("spreadMargin"));
  bars_ = new SpreadBars(lanes, this);
  by_ = button({}, QStringLiteral("spreadBy"), this);
  by_->setCheckable(true);
  scale_ = button({}, QStringLiteral("spreadScale"), this);
  scale_->setCheckable(true);
  scale_->setChecked(true);
  for (QPushButton* b : {by_, scale_}) b->setFlat(true);
  words_ = remark({}, this);
  words_->setObjectName(QStringLiteral("spreadWords"));
  words_->setWordWrap(true);
  words_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  const auto label = [this] {
    by_->setText(by_->isChecked() ? tr("Share of charge") : tr("Share of time"));
    scale_->setText(scale_->isChecked() ? tr("logarithmic") : tr("linear"));
  };
  label();
  connect(by_, &QPushButton::toggled, this, [this, label](bool on) {
    bars_->setByCharge(on);
    label();
  });
  connect(scale_, &QPushButton::toggled, this, [this, label](bool on) {
    bars_->setLogarithmic(on);
    label();
  });
  soon_.setSingleShot(true);
  soon_.setInterval(kSoonMs);
  connect(&soon_, &QTimer::timeout, this, &SpreadMargin::ask);
  for (const auto signal :
       {&ViewState::spanChanged, &ViewState::rangeChanged, &ViewState::captureChanged})
    connect(&view_, signal, &soon_, qOverload<>(&QTimer::start));
  connect(&lanes_, &Lanes::valuesChanged, this, [this] {
    place();
    // The bins are the lane's: another axis, other bins.
    if (spread_ && lanes_.currentEdges() != spread_->request.bins.edges) soon_.start();
  });
  connect(&session_, &Session::spreadReady, this, &SpreadMargin::take);
}

void SpreadMargin::showEvent(QShowEvent*) {
  place();
  ask();
}
void SpreadMargin::hideEvent(QHideEvent*) {
  if (alive_) session_.dropSpread();
}
void SpreadMargin::resizeEvent(QResizeEvent*) { place(); }

/// The bars stand beside the lane of current; the words have what is left under it.
void SpreadMargin::place() {
  const int half = width() / 2;
  by_->setGeometry(4, 2, half - 4, 24);
  scale_->setGeometry(half, 2, half - 8, 24);
  const int shift = mapFromGlobal(lanes_.mapToGlobal(QPoint(0, 0))).y();
  const QRect lane = lanes_.currentLane();
  const int foot = std::clamp(lane.bottom() + shift + 24, 60, std::max(60, height() - 150));
  bars_->setGeometry(0, 26, width(), std::max(0, foot - 26));
  words_->setGeometry(12, foot + 6, width() - 24, std::max(0, height() - foot - 10));
  bars_->update();
}

void SpreadMargin::ask() {
  if (!isVisible() || !view_.capture()) return;
  SpreadRequest request;
  request.capture = view_.capture()->info.id;
  std::tie(request.from_s, request.to_s) =
      view_.span().value_or(std::pair(view_.from(), view_.to()));
  request.bins.edges = lanes_.currentEdges();
  if (request.bins.count() >= 1) session_.requestSpread(request);
}

void SpreadMargin::take(const SpreadViewPtr& spread) {
  if (!view_.capture() || spread->request.capture != view_.capture()->info.id) return;
  // A rough answer that comes after the exact one of the same span has nothing to add.
  if (spread_ && spread_->final && !spread->final &&
      spread_->request.from_s == spread->request.from_s &&
      spread_->request.to_s == spread->request.to_s &&
      spread_->request.bins.edges == spread->request.bins.edges)
    return;
  spread_ = spread;
  bars_->setSpread(spread);
  const Distribution& d = spread->spread;
  QStringList lines;
  lines << (view_.span() ? tr("Span, %1").arg(qs(duration(d.observed_s)))
                         : tr("View, %1").arg(qs(duration(d.observed_s)))) +
               (spread->final ? QString() : tr(" (partial, still reading)"));
  for (std::size_t i = 0; i < SpreadView::kShares.size(); ++i)
    lines << tr("%1\u2009% of the time below %2")
                 .arg(SpreadView::kShares[i] * 100, 0, 'g', 3)
                 .arg(qs(with_prefix(spread->levels[i], "A", 3)));
  lines << tr("Peak to peak %1").arg(qs(with_prefix(spread->peak_to_peak, "A", 4)));
  if (spread->ripple && spread->ripple->frequency_hz) {
    lines << tr("Ripple %1, ±\u2009%2")
                 .arg(qs(with_prefix(*spread->ripple->frequency_hz, "Hz", 4)),
                      qs(with_prefix(spread->ripple->amplitude, "A", 3)));
  } else if (spread->final) {
    lines << tr("No ripple found");
  }
  words_->setText(lines.join(QLatin1Char('\n')));
}

QString SpreadMargin::table() const {
  if (!spread_) return {};
  QString out = QStringLiteral("from_A\tto_A\ttime_s\tcharge_C\n");
  const Distribution& d = spread_->spread;
  for (std::size_t i = 0; i < d.time_s.size(); ++i) {
    for (const double v : {d.bins.edges[i], d.bins.edges[i + 1], d.time_s[i]})
      out += QString::number(v, 'g', 9) + QLatin1Char('\t');
    out += QString::number(d.charge[i], 'g', 9) + QLatin1Char('\n');
  }
  return out;
}

}  // namespace kuvio::app
