// SPDX-License-Identifier: GPL-3.0-or-later
#include "acquire/channel_set_up.h"

#include "acquire/recorder.h"
#include "book/book.h"
#include "book/text.h"
#include "core/accuracy.h"
#include "core/error.h"
#include "core/quantity.h"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

namespace kuvio::acquire {
namespace {

/// What is stated of a drop's offset in volts, of the current that it stands for.
std::string accuracy_through(const std::string& stated, double ohms) {
  if (stated.empty()) return stated;
  try {
    const Accuracy accuracy = parse_accuracy(stated, Dimension::voltage);
    if (accuracy.offset == 0 && accuracy.finer.empty()) return stated;
    return to_string(scaled(accuracy, 1 / ohms));
  } catch (const std::invalid_argument&) {
    return stated;  // it was stated of the current
  }
}

bool fits_unit(const book::ChannelInfo& c) {
  if (c.accuracy.empty() || (c.quantity != Quantity::current && c.quantity != Quantity::voltage))
    return true;
  try {
    parse_accuracy(c.accuracy, info(c.quantity).dimension);
  } catch (const std::invalid_argument&) {
    return false;
  }
  return true;
}

/// A drop becomes a current; of what is a current already it is kept for the burden voltage.
void take_shunt(book::ChannelInfo& c, double ohms) {
  if (c.quantity != Quantity::voltage) return;
  c.quantity = Quantity::current;
  c.unit = "A";
  // A zero was measured of the drop.
  c.calibration.gain /= ohms;
  c.calibration.offset /= ohms;
  if (c.calibration.text.empty()) c.calibration.text = fmt::format("shunt of {:g} Ohm", ohms);
  c.accuracy = accuracy_through(c.accuracy, ohms);
}

}  // namespace

void set_up(std::vector<book::ChannelInfo>& channels, const RecordSettings& settings,
            const std::function<void(const std::string&)>& warn) {
  for (book::ChannelInfo& c : channels) {
    if (const auto it = settings.calibration.find(c.name); it != settings.calibration.end())
      c.calibration = it->second;
    if (const auto it = settings.accuracies.find(c.name); it != settings.accuracies.end())
      c.accuracy = it->second;
    if (const auto it = settings.shunts.find(c.name); it != settings.shunts.end())
      take_shunt(c, it->second);
    if (!fits_unit(c)) {
      warn(fmt::format(
          "{}: its accuracy \"{}\" is in the unit of something else; it counts as not stated",
          c.name, book::printable(c.accuracy)));
      c.accuracy.clear();
    }
  }
  for (const auto& [name, ohms] : settings.shunts) {
    if (std::none_of(channels.begin(), channels.end(),
                     [&, wanted = name](const auto& c) { return c.name == wanted; }))
      throw Error(Failure::usage, "no such channel", name, "a shunt is given for it");
  }
}

}  // namespace kuvio::acquire
