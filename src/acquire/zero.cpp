// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/zero.h"

#include "acquire/input.h"
#include "core/accuracy.h"
#include "core/calibration.h"
#include "core/error.h"
#include "core/number_text.h"
#include "core/special_value.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace kuvio::acquire {
namespace {

constexpr double kUnknown = 1e-6;  // A that may flow where no accuracy is stated
constexpr double kTooMuch = 5;     // times the stated offset
constexpr std::size_t kBatches = 20;

[[noreturn]] void refuse(const std::string& where, const std::string& why) {
  throw Error(Failure::bad_data, "not zeroed", where, why + " Previous zero kept");
}

/// By twenty batch means: samples near each other are not independent, and what of that is left
/// between batches widens it.
Zero zero_of(const std::vector<double>& values) {
  Zero out;
  out.samples = static_cast<std::int64_t>(values.size());
  const std::size_t n = std::max<std::size_t>(1, values.size() / kBatches);
  std::vector<double> means;
  for (std::size_t at = 0; at + n <= values.size() && means.size() < kBatches; at += n) {
    const auto begin = values.begin() + static_cast<std::ptrdiff_t>(at);
    means.push_back(std::accumulate(begin, begin + static_cast<std::ptrdiff_t>(n), 0.0) /
                    static_cast<double>(n));
  }
  const ZeroLevel level = zero_of_means(means);
  out.mean = level.mean;
  out.expanded = level.U;
  return out;
}

}  // namespace

book::Calibration Zero::calibration() const {
  return {1, -mean,
          fmt::format("zero {} ± {} ({} samples)", with_prefix(mean, "A", 3),
                      with_prefix(expanded, "A", 2), samples)};
}

std::vector<Zero> measure_zero(const InputConfig& request, double seconds,
                               const std::string& accuracy, const std::stop_token& stop) {
  const auto input = open_input(request.endpoint, request.settings);
  const std::string& where = request.endpoint.text;
  if (!input->on_at_connect().empty())
    refuse(where, "Its output is on: switch it off, so that nothing flows.");
  input->start();
  std::vector<std::vector<double>> values(input->channels().size());
  const double begun = host_now_s();
  while (host_now_s() - begun < seconds && !stop.stop_requested()) {
    while (const auto packet = input->ring().pop()) {
      for (std::size_t c = 0; c < values.size(); ++c) {
        for (const double v : packet->columns[c]) {
          if (!flag_of_value(v)) values[c].push_back(v);
        }
      }
    }
    if (input->ended()) break;
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
  input->stop();
  if (const auto failure = input->failure())
    throw Error(Failure::unavailable, "not zeroed", where, *failure);
  std::vector<Zero> out;
  for (std::size_t c = 0; c < values.size(); ++c) {
    const InputChannel& channel = input->channels()[c];
    if (channel.quantity != Quantity::current) continue;
    if (values[c].size() < 2 * kBatches)
      refuse(where, fmt::format("Only {} readings came.", values[c].size()));
    Zero zero = zero_of(values[c]);
    zero.channel = channel.name;
    const std::string stated = accuracy.empty() ? channel.accuracy : accuracy;
    double most = kUnknown;
    if (!stated.empty()) {
      Accuracy a = parse_accuracy(stated);
      most = std::max(kTooMuch * a.offset, 1e-9);
      // What is left of the offset is what the zero itself leaves uncertain.
      zero.accuracy =
          fmt::format("{:.6g} % + {:.4g} nA (k=2)",
                      100 * a.gain * (a.expanded ? 1 : 2 / std::sqrt(3.0)), 1e9 * zero.expanded);
    }
    if (std::fabs(zero.mean) > most) {
      refuse(where, fmt::format("{} still flows through {}. Is the device connected?",
                                with_prefix(zero.mean, "A", 3), channel.name));
    }
    out.push_back(std::move(zero));
  }
  if (out.empty()) refuse(where, "It measures no current.");
  return out;
}

}  // namespace kuvio::acquire
