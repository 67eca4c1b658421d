// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/trace_views.h"

#include <QByteArray>
#include <QString>

#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

/// How values lie on a lane's axis.
enum class ValueScale {
  linear,
  logarithmic,
  symlog,  ///< through zero: logarithmic away from it on either side, linear around it
};

/// What decides a lane's value axis.
enum class ValueFit {
  capture,  ///< all that the captures hold
  seen,     ///< what is shown
  fixed,    ///< two values
};

/// A channel in a lane, or something of it.
struct LaneCurve {
  std::string channel;
  CurveForm form = CurveForm::samples;
  double window_s = 0;

  bool operator==(const LaneCurve&) const = default;
};

/// One lane as the user wants it. What is not set is as usual for the quantity.
struct LaneSpec {
  std::vector<LaneCurve> curves;  ///< drawn over each other; the first gives name and unit
  bool shown = true;
  double height = 0;  ///< beside the others' (pixels when it was set); 0: as usual
  std::optional<ValueScale> scale;
  std::optional<ValueFit> fit;
  double low = 0, high = 1;  ///< of a fixed axis, in the unit

  bool operator==(const LaneSpec&) const = default;
};

/// Which lanes there are, from the top. Kept with the book; lanes of channels that no capture in
/// view has are remembered and left out.
class LanePlan {
public:
  std::vector<LaneSpec> lanes;
  bool captures_apart =
      false;  ///< each capture has lanes of its own, else they lie over each other

  /// Adds a lane for every channel that has none: currents first, then voltages, logic last.
  void add_missing(const std::vector<book::ChannelInfo>& channels);
  /// Lanes of the plan that are to be seen, by index.
  std::vector<std::size_t> visible(const std::vector<book::ChannelInfo>& channels) const;

  /// The lane with a channel's own samples; npos when there is none.
  std::size_t lane_of(const std::string& channel) const;
  void move(std::size_t from, std::size_t to);
  /// Draws a lane's curves in another lane.
  void overlay(std::size_t lane, std::size_t onto);
  /// Gives every curve of a lane a lane of its own.
  void separate(std::size_t lane);
  /// Adds a lane below another with something of its first channel.
  void derive(std::size_t lane, CurveForm form, double window_s);
  void remove(std::size_t lane);

  QByteArray saved() const;
  /// What cannot be read is left out.
  static LanePlan restored(const QByteArray& text);

  static constexpr std::size_t npos = static_cast<std::size_t>(-1);
};

/// What a curve is called: "V", "charge of I", "mean of I over 100 ms".
QString curve_name(const LaneCurve& curve);
/// Quantity and unit of what a curve shows: the charge of a current counts in C.
std::pair<Quantity, std::string> curve_quantity(const LaneCurve& curve,
                                                const book::ChannelInfo& channel);

}  // namespace kuvio::app
