// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/lane_plan.h"

#include "app/engine/trace_views.h"
#include "core/number_text.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QObject>
#include <QRegularExpression>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

int rank(Quantity quantity) {
  if (quantity == Quantity::current) return 0;
  if (quantity == Quantity::voltage) return 1;
  return quantity == Quantity::logic ? 3 : 2;
}

const book::ChannelInfo* find(const std::vector<book::ChannelInfo>& all, const std::string& name) {
  const auto it = std::find_if(all.begin(), all.end(),
                               [&](const book::ChannelInfo& c) { return c.name == name; });
  return it == all.end() ? nullptr : &*it;
}

const QString kForms[] = {QStringLiteral("samples"), QStringLiteral("charge"),
                          QStringLiteral("mean")};
const QString kScales[] = {QStringLiteral("linear"), QStringLiteral("logarithmic"),
                           QStringLiteral("both ways")};
const QString kFits[] = {QStringLiteral("capture"), QStringLiteral("seen"),
                         QStringLiteral("fixed")};

template <typename T, std::size_t N>
std::optional<T> named(const QString (&names)[N], const QJsonValue& value) {
  for (std::size_t i = 0; i < N; ++i) {
    if (value.toString() == names[i]) return static_cast<T>(i);
  }
  return std::nullopt;
}

}  // namespace

void LanePlan::add_missing(const std::vector<book::ChannelInfo>& channels) {
  std::vector<const book::ChannelInfo*> fresh;
  for (const book::ChannelInfo& c : channels) {
    const bool known = std::any_of(lanes.begin(), lanes.end(), [&](const LaneSpec& lane) {
      return std::count(lane.curves.begin(), lane.curves.end(), LaneCurve{c.name}) > 0;
    });
    if (!known) fresh.push_back(&c);
  }
  std::stable_sort(fresh.begin(), fresh.end(),
                   [](auto* a, auto* b) { return rank(a->quantity) < rank(b->quantity); });
  for (const book::ChannelInfo* c : fresh) {
    LaneSpec lane;
    lane.curves = {{c->name}};
    // Behind the last lane that is not of a later kind.
    std::size_t at = 0;
    for (std::size_t i = 0; i < lanes.size(); ++i) {
      const book::ChannelInfo* other = find(channels, lanes[i].curves.front().channel);
      if (other && rank(other->quantity) <= rank(c->quantity)) at = i + 1;
    }
    lanes.insert(lanes.begin() + static_cast<std::ptrdiff_t>(at), lane);
  }
}

std::vector<std::size_t> LanePlan::visible(const std::vector<book::ChannelInfo>& channels) const {
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < lanes.size(); ++i) {
    const bool there =
        std::any_of(lanes[i].curves.begin(), lanes[i].curves.end(),
                    [&](const LaneCurve& c) { return find(channels, c.channel) != nullptr; });
    if (lanes[i].shown && there) out.push_back(i);
  }
  return out;
}

std::size_t LanePlan::lane_of(const std::string& channel) const {
  for (std::size_t i = 0; i < lanes.size(); ++i) {
    for (const LaneCurve& c : lanes[i].curves) {
      if (c == LaneCurve{channel}) return i;
    }
  }
  return npos;
}

void LanePlan::move(std::size_t from, std::size_t to) {
  if (from >= lanes.size() || to >= lanes.size() || from == to) return;
  LaneSpec lane = std::move(lanes[from]);
  lanes.erase(lanes.begin() + static_cast<std::ptrdiff_t>(from));
  lanes.insert(lanes.begin() + static_cast<std::ptrdiff_t>(to), std::move(lane));
}

void LanePlan::overlay(std::size_t lane, std::size_t onto) {
  if (lane >= lanes.size() || onto >= lanes.size() || lane == onto) return;
  for (const LaneCurve& c : lanes[lane].curves) lanes[onto].curves.push_back(c);
  remove(lane);
}

void LanePlan::separate(std::size_t lane) {
  if (lane >= lanes.size()) return;
  const std::vector<LaneCurve> curves = lanes[lane].curves;
  lanes[lane].curves.resize(1);
  for (std::size_t i = curves.size(); i-- > 1;) {
    LaneSpec own;
    own.curves = {curves[i]};
    lanes.insert(lanes.begin() + static_cast<std::ptrdiff_t>(lane + 1), own);
  }
}

void LanePlan::derive(std::size_t lane, CurveForm form, double window_s) {
  if (lane >= lanes.size()) return;
  LaneSpec own;
  own.curves = {{lanes[lane].curves.front().channel, form, window_s}};
  lanes.insert(lanes.begin() + static_cast<std::ptrdiff_t>(lane + 1), own);
}

void LanePlan::remove(std::size_t lane) {
  if (lane < lanes.size()) lanes.erase(lanes.begin() + static_cast<std::ptrdiff_t>(lane));
}

QByteArray LanePlan::saved() const {
  QJsonArray all;
  for (const LaneSpec& lane : lanes) {
    QJsonObject one;
    QJsonArray curves;
    for (const LaneCurve& c : lane.curves) {
      QJsonObject curve{{QStringLiteral("channel"), QString::fromStdString(c.channel)},
                        {QStringLiteral("form"), kForms[static_cast<int>(c.form)]}};
      if (c.form == CurveForm::mean) curve[QStringLiteral("window_s")] = c.window_s;
      curves.append(curve);
    }
    one[QStringLiteral("curves")] = curves;
    if (!lane.shown) one[QStringLiteral("shown")] = false;
    if (lane.height > 0) one[QStringLiteral("height")] = lane.height;
    if (lane.scale) one[QStringLiteral("scale")] = kScales[static_cast<int>(*lane.scale)];
    if (lane.fit) one[QStringLiteral("fit")] = kFits[static_cast<int>(*lane.fit)];
    if (lane.fit == ValueFit::fixed) {
      one[QStringLiteral("low")] = lane.low;
      one[QStringLiteral("high")] = lane.high;
    }
    all.append(one);
  }
  return QJsonDocument(QJsonObject{{QStringLiteral("lanes"), all},
                                   {QStringLiteral("captures_apart"), captures_apart}})
      .toJson(QJsonDocument::Compact);
}

LanePlan LanePlan::restored(const QByteArray& text) {
  LanePlan out;
  const QJsonObject kept = QJsonDocument::fromJson(text).object();
  out.captures_apart = kept[QStringLiteral("captures_apart")].toBool();
  for (const QJsonValue value : kept[QStringLiteral("lanes")].toArray()) {
    const QJsonObject one = value.toObject();
    LaneSpec lane;
    for (const QJsonValue c : one[QStringLiteral("curves")].toArray()) {
      const QJsonObject curve = c.toObject();
      LaneCurve made{
          curve[QStringLiteral("channel")].toString().toStdString(),
          named<CurveForm>(kForms, curve[QStringLiteral("form")]).value_or(CurveForm::samples),
          curve[QStringLiteral("window_s")].toDouble()};
      const bool sane =
          !made.channel.empty() &&
          (made.form != CurveForm::mean || (std::isfinite(made.window_s) && made.window_s > 0));
      if (sane) lane.curves.push_back(made);
    }
    if (lane.curves.empty()) continue;
    lane.shown = one[QStringLiteral("shown")].toBool(true);
    lane.height = std::clamp(one[QStringLiteral("height")].toDouble(), 0.0, 1e5);
    lane.scale = named<ValueScale>(kScales, one[QStringLiteral("scale")]);
    lane.fit = named<ValueFit>(kFits, one[QStringLiteral("fit")]);
    lane.low = one[QStringLiteral("low")].toDouble();
    lane.high = one[QStringLiteral("high")].toDouble(1);
    if (!(lane.high > lane.low)) lane.fit.reset();
    out.lanes.push_back(lane);
  }
  return out;
}

QString curve_name(const LaneCurve& curve) {
  QString channel = QString::fromStdString(curve.channel);
  switch (curve.form) {
    case CurveForm::samples:
      return channel;
    case CurveForm::charge:
      return QObject::tr("charge of %1").arg(channel);
    case CurveForm::mean:
      return QObject::tr("mean of %1 over %2")
          .arg(
              channel,
              QString::fromStdString(with_prefix(curve.window_s, "s", 3))
                  .remove(QRegularExpression(QStringLiteral("\\.0+(?=\\D)|(?<=\\.\\d)0+(?=\\D)"))));
  }
  return channel;
}

std::pair<Quantity, std::string> curve_quantity(const LaneCurve& curve,
                                                const book::ChannelInfo& channel) {
  if (curve.form != CurveForm::charge) return {channel.quantity, channel.unit};
  return {Quantity::charge, channel.unit == "A" ? "C" : channel.unit + " s"};
}

}  // namespace kuvio::app
