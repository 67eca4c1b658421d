// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/spread_margin.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "core/number_text.h"

#include <QComboBox>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

constexpr int kBins = 90;
constexpr int kSoonMs = 40;  // the view comes to rest before it is asked for
constexpr Px kBeside{200};   // px: a lane that is lower leaves too little to be read
constexpr Px kMost{360}, kLabels{52}, kFoot{38}, kWords{190};  // px
constexpr int kLines = 7;        // what is said in the end, some of it only then
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
  setAccessibleName(tr("Histogram of the current"));
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

/// `under_px`: what has to find room below the bars and their foot.
bool SpreadBars::standBeside(int room_px, int under_px) {
  beside_ = lanes_.currentLane().height() >= kBeside && foot() + under_px <= room_px;
  return beside_;
}

/// Where the foot ends under the lane, in the bars' own pixels.
int SpreadBars::foot() const {
  const int shift = mapFromGlobal(lanes_.mapToGlobal(QPoint(0, 0))).y();
  return lanes_.currentLane().bottom() + shift + kFoot + 2;
}

/// Beside a tall lane on its own pixels, else as high as there is room for.
QRectF SpreadBars::box() const {
  const double width_px = width() - kLabels - 12.0;
  if (!beside_) return QRectF(kLabels, 6, width_px, std::max(20.0, height() - 6.0 - kFoot));
  const double shift = mapFromGlobal(lanes_.mapToGlobal(QPoint(0, 0))).y();
  const QRectF lane = QRectF(lanes_.currentLane()).translated(0, shift);
  return QRectF(kLabels, lane.top(), width_px, lane.height());
}

/// Values that get a number on the axis: round ones where its steps are equal, else decades.
std::vector<Tick> SpreadBars::ticks() const {
  const std::vector<double>& edges = spread_->spread.bins.edges;
  const double low = edges.front(), high = edges.back();
  const auto room = static_cast<int>(box().height() / 22);
  const double first = edges[1] - edges[0], last = high - edges[edges.size() - 2];
  if (std::fabs(first - last) < 0.01 * std::fabs(last))
    return value_ticks(low, high, std::max(2, room), "A");
  std::vector<Tick> out;
  if (low <= 0) out.push_back({0, "0\u2009A", true});
  const auto top = static_cast<int>(std::floor(std::log10(std::max(high, -low)) + 1e-9));
  const int decades = low > 0 ? top - static_cast<int>(std::ceil(std::log10(low) - 1e-9)) + 1 : 6;
  const int stride = std::max(1, decades / std::max(1, room) + (decades % std::max(1, room) != 0));
  for (int e = top; e > top - decades; e -= stride) {
    for (const double v : {std::pow(10.0, e), -std::pow(10.0, e)}) {
      if (v >= low * (1 - 1e-9) && v <= high * (1 + 1e-9) && v >= low)
        out.push_back({v, with_prefix(v, "A", 1), true});
    }
  }
  return out;
}

/// How far up a value lies, by the steps that its edges make.
double SpreadBars::part(double value) const {
  const std::vector<double>& edges = spread_->spread.bins.edges;
  const auto above = std::upper_bound(edges.begin(), edges.end(), value);
  if (above == edges.begin()) return 0;
  if (above == edges.end()) return 1;
  const auto below = above - 1;
  const double within = (value - *below) / (*above - *below);
  return (static_cast<double>(below - edges.begin()) + within) /
         static_cast<double>(edges.size() - 1);
}

void SpreadBars::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  const Theme& t = Theme::current();
  if (!spread_ || !lanes_.currentPixel(0) || spread_->spread.bins.count() < 2) return;
  const QRectF area = box();
  const double left = area.left(), right = area.right();
  painter.fillRect(area, t.ground());
  const Shares shares = shares_of(spread_->spread, by_charge_);
  const double most = std::max(1e-12, *std::max_element(shares.bins.begin(), shares.bins.end()));
  const double least = std::max(kFloor, most * 1e-6);
  const auto x = [&](double share) {
    if (!logarithmic_) return left + share / most * (right - left);
    return left +
           std::clamp(std::log(share / least) / std::log(most / least), 0.0, 1.0) * (right - left);
  };
  const auto edge_y = [&](std::size_t i) {
    return area.bottom() -
           static_cast<double>(i) / static_cast<double>(shares.bins.size()) * area.height();
  };
  painter.setPen(QPen(t.ruling(), 1));
  for (int i = 1; i <= 4; ++i) {
    const double at = left + (right - left) * i / 4;
    painter.drawLine(QLineF(at, area.top(), at, area.bottom()));
  }
  painter.setFont(Theme::baseFont(11));
  for (const Tick& tick : ticks()) {
    const double y = area.bottom() - part(tick.at) * area.height();
    painter.setPen(QPen(t.ruling(), 1));
    painter.drawLine(QLineF(left, y, right, y));
    painter.setPen(t.muted());
    painter.drawText(QRectF(0, y - PxF{8}, left - 5, PxF{16}), Qt::AlignRight | Qt::AlignVCenter,
                     qs(tick.label));
  }
  QColor bar = t.ink(0);
  bar.setAlpha(120);
  for (std::size_t i = 0; i < shares.bins.size(); ++i) {
    if (!(shares.bins[i] > 0)) continue;
    const double a = edge_y(i), b = edge_y(i + 1);
    painter.fillRect(QRectF(left, b, std::max(1.0, x(shares.bins[i]) - left), std::max(1.0, a - b)),
                     bar);
  }
  // Share below each value, from the left to the right edge.
  QPainterPath below(QPointF(left + shares.below * (right - left), area.bottom()));
  double sum = shares.below;
  for (std::size_t i = 0; i < shares.bins.size(); ++i) {
    sum += shares.bins[i];
    below.lineTo(left + sum * (right - left), edge_y(i + 1));
  }
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(t.text(), 1, Qt::DotLine));
  painter.setBrush(Qt::NoBrush);
  painter.drawPath(below);
  painter.setPen(QPen(t.rulingTenth(), 1));
  painter.drawRect(area);
  paintFoot(painter, area, least, most);
}

/// What the two ends of the bars' scale are, and what bars and curve say.
void SpreadBars::paintFoot(QPainter& painter, const QRectF& area, double least, double most) const {
  const Theme& t = Theme::current();
  const QRectF foot(area.left(), area.bottom() + 2, area.width(), 16);
  painter.setFont(Theme::baseFont(11));
  painter.setPen(t.muted());
  painter.drawText(foot, Qt::AlignLeft,
                   logarithmic_ ? tr("%1 %").arg(least * 100, 0, 'g', 1) : QStringLiteral("0"));
  painter.drawText(foot, Qt::AlignRight, tr("%1 %").arg(most * 100, 0, 'g', 3));
  const QRectF key = foot.translated(0, 17);
  painter.fillRect(QRectF(key.left(), key.center().y() - 3, PxF{14}, PxF{7}), [&] {
    QColor bar = t.ink(0);
    bar.setAlpha(120);
    return bar;
  }());
  const QString of = by_charge_ ? tr("of the charge") : tr("of the time");
  painter.drawText(key.adjusted(PxF{19}, 0, 0, 0), Qt::AlignLeft, of);
  const double after = 19 + painter.fontMetrics().horizontalAdvance(of) + 14;
  painter.setPen(QPen(t.text(), 1, Qt::DotLine));
  painter.drawLine(
      QLineF(key.left() + after, key.center().y(), key.left() + after + 16, key.center().y()));
  painter.setPen(t.muted());
  painter.drawText(key.adjusted(after + PxF{21}, 0, 0, 0), Qt::AlignLeft, tr("share below"));
}

SpreadMargin::SpreadMargin(ViewState& view, Session& session, Lanes& lanes, QWidget* parent)
    : QWidget(parent), view_(view), session_(session), alive_(&session), lanes_(lanes) {
  setObjectName(QStringLiteral("spreadMargin"));
  bars_ = new SpreadBars(lanes, this);
  const auto choice = [this](const char* name, const QString& words, const QStringList& items) {
    auto* out = new QComboBox(this);
    out->setObjectName(QLatin1String(name));
    out->setAccessibleName(words);
    out->addItems(items);
    return out;
  };
  by_ = choice("spreadBy", tr("What the bars are shares of"),
               {tr("Share of time"), tr("Share of charge")});
  scale_ = choice("spreadScale", tr("Scale of the bars"), {tr("logarithmic"), tr("linear")});
  words_ = remark({}, this);
  words_->setObjectName(QStringLiteral("spreadWords"));
  words_->setWordWrap(true);
  words_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  connect(by_, &QComboBox::currentIndexChanged, this,
          [this](int at) { bars_->setByCharge(at == 1); });
  connect(scale_, &QComboBox::currentIndexChanged, this,
          [this](int at) { bars_->setLogarithmic(at == 0); });
  soon_.setSingleShot(true);
  soon_.setInterval(kSoonMs);
  connect(&soon_, &QTimer::timeout, this, &SpreadMargin::ask);
  for (const auto signal :
       {&ViewState::spanChanged, &ViewState::rangeChanged, &ViewState::captureChanged})
    connect(&view_, signal, &soon_, qOverload<>(&QTimer::start));
  connect(&lanes_, &Lanes::valuesChanged, this, [this] {
    place();
    // The bins are the lane's: another axis, other bins.
    if (spread_ && lanes_.currentEdges(kBins) != spread_->request.bins.edges) soon_.start();
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

/// The bars stand beside the lane of current where it is tall and the words find room under it;
/// else the words go first, and the bars have the rest.
void SpreadMargin::place() {
  const int half = width() / 2;
  by_->setGeometry(6, 2, half - 8, Px{26});
  scale_->setGeometry(half + 2, 2, half - 10, Px{26});
  constexpr Px kTop{32};
  constexpr int kAround = 16;  // px above and below the words
  bars_->move(0, kTop);
  const int room = height() - kTop;
  const int words = kAround + std::max(words_->heightForWidth(width() - 24),
                                       kLines * words_->fontMetrics().lineSpacing());
  const int bars = bars_->standBeside(room, words)
                       ? bars_->foot()
                       : std::clamp(room - std::max(words, int{kWords}), 60, int{kMost});
  bars_->resize(width(), bars);
  const int foot = kTop + bars;
  words_->setGeometry(12, foot + 6, width() - 24, std::max(0, height() - foot - 10));
  bars_->update();
}

void SpreadMargin::ask() {
  if (!isVisible() || !view_.capture()) return;
  if (!view_.capture()->shows_current()) {
    session_.dropSpread();
    spread_.reset();
    bars_->setSpread(nullptr);
    words_->setText(tr("No current yet: it holds voltages alone."));
    return;
  }
  SpreadRequest request;
  request.capture = view_.capture()->info.id;
  std::tie(request.from_s, request.to_s) =
      view_.span().value_or(std::pair(view_.from(), view_.to()));
  request.bins.edges = lanes_.currentEdges(kBins);
  if (request.bins.count() >= 1) session_.requestSpread(request);
}

void SpreadMargin::take(const SpreadViewPtr& spread) {
  if (!view_.capture() || spread->request.capture != view_.capture()->info.id ||
      !view_.capture()->shows_current())
    return;
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
  place();
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
