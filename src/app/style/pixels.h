// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

namespace kuvio::app {

/// How large text is drawn: 1 as designed (13 px), 2 at most. Lengths that belong to text grow with
/// it; what separates and frames does not.
double text_scale();
/// Within 1 to 2; before there is a widget, since what is laid out keeps the size it was laid out
/// for.
void set_text_scale(double scale);

/// How wide the screen is, in pixels; 1280 until it is known. Before there is a widget, too.
void set_screen_width(int pixels);
/// Whether the text leaves so little room that pages of pieces beside each other become lists, one
/// under the other.
bool is_cramped();

/// A length in pixels that grows with the text, written as it is at 1.
struct Px {
  int designed;
  operator int() const;  // NOLINT(google-explicit-constructor): it stands where pixels stand
};

/// The same for painters.
struct PxF {
  double designed;
  operator double() const {
    return designed * text_scale();
  }  // NOLINT(google-explicit-constructor)
};

}  // namespace kuvio::app
