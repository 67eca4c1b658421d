// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/calibration.h"

#include "core/measure.h"
#include "core/repeatability.h"
#include "core/trimmed.h"

#include <algorithm>
#include <cmath>
#include <sstream>
#include <stdexcept>

namespace kuvio {
namespace {

constexpr std::size_t kBatches = 20;
constexpr std::int64_t kLeastSamples = 40;

/// Takes "1 %" from the end of a text; 0 where there is none.
double take_tolerance(std::string_view& text) {
  text = trimmed(text);
  if (text.empty() || text.back() != '%') return 0;
  std::string_view number = trimmed(text.substr(0, text.size() - 1));
  const auto at = number.find_last_of(" ~±");
  number = at == std::string_view::npos ? number : number.substr(at + 1);
  const std::string_view rest =
      text.substr(0, static_cast<std::size_t>(number.data() - text.data()));
  const double out = parse_quantity(std::string(number) + " %", Dimension::ratio);
  if (!(out >= 0 && out < 1)) throw std::invalid_argument("a tolerance lies between 0 and 100 %");
  text = trimmed(rest);
  for (const std::string_view sign : {"+-", "±"}) {
    if (text.ends_with(sign)) text = trimmed(text.substr(0, text.size() - sign.size()));
  }
  return out;
}

/// Takes "50 ppm/K 30 K" from the end of a text into a resistor.
void take_temperature(std::string_view& text, Toleranced& out) {
  text = trimmed(text);
  if (text.empty() || text.back() != 'K') return;
  const auto number = [&](std::string_view suffix) {
    std::string_view rest = trimmed(text.substr(0, text.size() - suffix.size()));
    const auto at = rest.find_last_of(' ');
    const std::string word(at == std::string_view::npos ? rest : rest.substr(at + 1));
    const double value = parse_quantity(word + " %", Dimension::ratio) * 100;
    if (!(value >= 0 && value < 1e5))
      throw std::invalid_argument("a temperature coefficient is written \"50 ppm/K 30 K\"");
    text = at == std::string_view::npos ? std::string_view{} : trimmed(rest.substr(0, at));
    return value;
  };
  if (!text.ends_with("/K")) out.kelvin = number("K");
  if (!text.ends_with("ppm/K"))
    throw std::invalid_argument("a temperature coefficient is written \"50 ppm/K 30 K\"");
  out.per_kelvin = number("ppm/K") * 1e-6;
  if (out.kelvin == 0)
    throw std::invalid_argument("by how much is the temperature off? \"50 ppm/K 30 K\"");
}

/// "90k" and "10" are resistances too.
double resistance(std::string_view text) {
  if (text.empty()) throw std::invalid_argument("a resistance such as \"90 kOhm\" is missing");
  std::string words(text);
  const auto unit = words.find_last_of("0123456789. ") + 1;
  const std::string_view written = std::string_view(words).substr(unit);
  if (written.empty() || written == "k" || written == "M" || written == "m") words += "Ohm";
  const double out = parse_quantity(words, Dimension::resistance);
  if (!(out > 0) || !std::isfinite(out))
    throw std::invalid_argument("a resistance must be greater than zero");
  return out;
}

std::string ohms(const Toleranced& r) {
  std::ostringstream out;
  out.precision(12);
  out << r.value << " Ohm";
  if (r.tolerance > 0) out << ' ' << 100 * r.tolerance << " %";
  if (r.thermal() > 0) out << ' ' << 1e6 * r.per_kelvin << " ppm/K " << r.kelvin << " K";
  return out.str();
}

/// Standard uncertainties of one term, and whether it is a single bound.
class Term {
public:
  void bound(double b) {
    if (b <= 0) return;
    sum_ += b * b / 3;
    bound_ = b;
    ++bounds_;
  }
  void expanded(double U) {
    if (U <= 0) return;
    sum_ += U * U / 4;
    ++others_;
  }
  void stated(double value, bool is_expanded) { is_expanded ? expanded(value) : bound(value); }
  bool plain() const { return others_ == 0 && bounds_ <= 1; }
  double as_bound() const { return bounds_ == 0 ? 0 : bound_; }
  double at_k2() const { return 2 * std::sqrt(sum_); }

private:
  double sum_ = 0, bound_ = 0;
  int bounds_ = 0, others_ = 0;
};

}  // namespace

Toleranced parse_resistor(std::string_view text) {
  Toleranced out;
  take_temperature(text, out);
  out.tolerance = take_tolerance(text);
  out.value = resistance(trimmed(text));
  return out;
}

std::string to_string(const Toleranced& resistor) { return ohms(resistor); }

std::vector<double> Divider::bounds() const {
  const double share = upper.value / (upper.value + lower.value);
  std::vector<double> out;
  for (const Toleranced* r : {&upper, &lower}) {
    out.push_back(share * r->tolerance);
    if (r->thermal() > 0) out.push_back(share * r->thermal());
  }
  return out;
}

Divider parse_divider(std::string_view text) {
  const auto slash = text.find('/');
  if (slash == std::string_view::npos)
    throw std::invalid_argument("a divider is written \"90k/10k\", the upper resistor first");
  Divider out{parse_resistor(text.substr(0, slash)), parse_resistor(text.substr(slash + 1))};
  // "90k/10k 1 %" speaks of both.
  if (out.upper.tolerance == 0) out.upper.tolerance = out.lower.tolerance;
  return out;
}

std::string to_string(const Divider& divider) {
  return ohms(divider.upper) + "/" + ohms(divider.lower);
}

ZeroLevel zero_of_means(const std::vector<double>& means) {
  ZeroLevel out;
  const Repeatability mean = repeatability(means);
  out.mean = mean.mean;
  if (const auto c = mean.component("zero")) out.U = expand(std::span(&*c, 1)).U;
  return out;
}

namespace {
/// Means with the line through them taken off.
std::vector<double> without_trend(std::vector<double> means) {
  const double n = static_cast<double>(means.size()), middle = (n - 1) / 2;
  double slope = 0, square = 0;
  for (std::size_t i = 0; i < means.size(); ++i) {
    const double x = static_cast<double>(i) - middle;
    slope += x * means[i];
    square += x * x;
  }
  if (square > 0) slope /= square;
  for (std::size_t i = 0; i < means.size(); ++i)
    means[i] -= slope * (static_cast<double>(i) - middle);
  return means;
}
}  // namespace

ZeroLevel zero_level(const Trace& trace, double from_s, double to_s) {
  const SpanFigures whole = measure(trace, from_s, to_s);
  if (whole.samples < kLeastSamples) throw std::invalid_argument("a zero takes 40 samples or more");
  if (whole.flagged() > 0 || whole.missing_s > 0)
    throw std::invalid_argument("a zero takes a stretch without gaps and flags");
  std::vector<double> means;
  const double step = (to_s - from_s) / static_cast<double>(kBatches);
  for (std::size_t i = 0; i < kBatches; ++i) {
    const double begin = from_s + static_cast<double>(i) * step;
    const auto mean = measure(trace, begin, i + 1 == kBatches ? to_s : begin + step).mean();
    if (mean) means.push_back(*mean);
  }
  ZeroLevel out = zero_of_means(means);
  out.line_U = zero_of_means(without_trend(means)).U;
  out.at_s = out.later_s = (from_s + to_s) / 2;
  return out;
}

ZeroLevel between(const ZeroLevel& before, const ZeroLevel& after) {
  if (after.at_s < before.at_s) return between(after, before);
  ZeroLevel out;
  out.drift = after.mean - before.mean;
  out.from = before.from + ", " + after.from;
  if (after.at_s > before.at_s) {
    out.mean = before.mean;
    out.at_s = before.at_s;
    out.later_s = after.at_s;
    // What drifts within each is part of the line.
    const auto own = [](const ZeroLevel& z) { return z.line_U > 0 ? z.line_U : z.U; };
    out.U = std::max(own(before), own(after));
    return out;
  }
  out.mean = (before.mean + after.mean) / 2;
  out.U = std::hypot(before.U, after.U) / 2;
  return out;
}

CalibratedChannel calibrated(const ChannelCalibration& c, Quantity recorded,
                             const Accuracy& stated) {
  if (c.shunt && recorded != Quantity::voltage)
    throw std::invalid_argument("a shunt turns a voltage into a current, and this is none");
  if (!std::isfinite(c.gain) || c.gain == 0 || !std::isfinite(c.offset) ||
      !std::isfinite(c.subtract))
    throw std::invalid_argument("gain and offset must be finite, and a gain not zero");
  CalibratedChannel out;
  out.quantity = c.shunt ? Quantity::current : recorded;
  out.gain = c.gain * (c.divider ? c.divider->ratio() : 1) / (c.shunt ? c.shunt->value : 1);
  out.offset = (c.zero ? -out.gain * (c.zero->mean - c.zero->slope() * c.zero->at_s) : c.offset) -
               c.subtract;
  if (c.zero) out.slope = -out.gain * c.zero->slope();

  // A statement in the unit that results speaks of what results, any other of what was recorded.
  Accuracy input = stated;
  double scale = std::fabs(out.gain);
  if (!c.accuracy.empty()) {
    try {
      input = parse_accuracy(c.accuracy, info(out.quantity).dimension);
      scale = 1;
    } catch (const std::invalid_argument&) {
      input = parse_accuracy(c.accuracy, info(recorded).dimension);
    }
  }
  // Of each range the same terms, beside what its own statement has.
  const auto terms = [&](double stated_gain, double stated_offset) {
    Term gain, offset;
    gain.stated(stated_gain, input.expanded);
    if (c.shunt) {
      gain.bound(c.shunt->tolerance);
      gain.bound(c.shunt->thermal());
    }
    if (c.divider) {
      for (const double b : c.divider->bounds()) gain.bound(b);
    }
    if (c.zero) {
      offset.expanded(std::fabs(out.gain) * c.zero->U);
      if (!c.zero->along()) offset.bound(std::fabs(out.gain * c.zero->drift) / 2);
    } else {
      offset.stated(stated_offset * scale, input.expanded);
    }
    return std::pair(gain, offset);
  };
  std::vector<std::pair<Term, Term>> all{terms(input.gain, input.offset)};
  for (const AccuracyRange& r : input.finer) all.push_back(terms(r.gain, r.offset));
  const bool bounds = std::all_of(
      all.begin(), all.end(), [](const auto& t) { return t.first.plain() && t.second.plain(); });
  const auto value = [&](const Term& t) { return bounds ? t.as_bound() : t.at_k2(); };
  out.accuracy.gain = value(all[0].first);
  out.accuracy.offset = value(all[0].second);
  for (std::size_t i = 0; i < input.finer.size(); ++i)
    out.accuracy.finer.push_back(
        {input.finer[i].up_to * scale, value(all[i + 1].first), value(all[i + 1].second)});
  out.accuracy.expanded = !bounds && (out.accuracy.gain > 0 || out.accuracy.offset > 0);
  return out;
}

ShuntLoad shunt_load(const Trace& current, double ohm) {
  const SpanFigures all = measure(current);
  if (!all.mean() || !all.max) throw std::invalid_argument("no samples");
  const double peak = std::max(std::fabs(*all.max), std::fabs(*all.min));
  const double rms = all.rms().value_or(0);
  return {peak * ohm, std::fabs(*all.mean()) * ohm, peak * peak * ohm, rms * rms * ohm};
}

}  // namespace kuvio
