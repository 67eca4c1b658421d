// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shunt_choice.h"

#include "command.h"

#include <fmt/format.h>

#include <cstdio>
#include <memory>
#include <stdexcept>

namespace kuvio::cli {
namespace {

struct Options {
  std::string peak, smallest, range, drop, decoupling, ohm;
  int bits = 16;
  bool one_way = false;
};

Outcome run(const Options& o, bool json) {
  ShuntTask task;
  task.peak_a = option_quantity("--peak", o.peak, Dimension::current);
  task.range_v = option_quantity("--range", o.range, Dimension::voltage);
  task.bits = o.bits;
  task.both_ways = !o.one_way;
  if (!o.smallest.empty())
    task.smallest_a = option_quantity("--smallest", o.smallest, Dimension::current);
  if (!o.drop.empty()) task.drop_v = option_quantity("--drop", o.drop, Dimension::voltage);
  if (!o.decoupling.empty())
    task.decoupling_f = option_quantity("--decoupling", o.decoupling, Dimension::capacitance);
  ShuntChoice c;
  try {
    c = o.ohm.empty() ? choose_shunt(task)
                      : judge_shunt(task, option_quantity("--ohm", o.ohm, Dimension::resistance));
  } catch (const std::invalid_argument& e) {
    usage(e.what());
  }
  const auto known = [](const auto& v) {
    return v ? nlohmann::ordered_json(*v) : nlohmann::ordered_json(nullptr);
  };
  Outcome out;
  out.document = {{"ohm", c.ohm},
                  {"limited_by", c.by_drop ? "drop" : "range"},
                  {"peak_v", c.peak_v},
                  {"peak_w", c.peak_w},
                  {"full_scale_a", c.full_scale_a},
                  {"count_a", c.count_a},
                  {"smallest_counts", known(c.counts)},
                  {"needed_bits", known(c.needed_bits)},
                  {"time_constant_s", known(c.time_constant_s)}};
  if (!json) {
    for (const std::string& line : in_words(c, task)) std::puts(line.c_str());
  }
  return out;
}

}  // namespace

Runner add_shunt(CLI::App& app) {
  auto o = std::make_shared<Options>();
  app.add_option("--peak", o->peak, "greatest current expected, e.g. \"250 mA\"")->required();
  app.add_option("--smallest", o->smallest, "smallest current of interest, e.g. \"1 uA\"");
  app.add_option("--range", o->range, "full scale of what reads the drop, e.g. \"2.048 V\"")
      ->required();
  app.add_option("--bits", o->bits, "of it (16)");
  app.add_flag("--one-way", o->one_way, "it reads from zero up, not both ways");
  app.add_option("--drop", o->drop, "what the device bears, e.g. \"50 mV\"");
  app.add_option("--ohm", o->ohm, "judge this shunt instead of proposing one, e.g. \"0.1 Ohm\"");
  app.add_option("--decoupling", o->decoupling, "capacitance at the device, e.g. \"100 uF\"");
  return [o](const Output& output) { return run(*o, output.json); };
}

}  // namespace kuvio::cli
