// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

class QWidget;

namespace kuvio::app {

class Lanes;

/// Saves lanes and fan as they are seen, with a title above and a line below, at print quality: PDF
/// and SVG as lines and text, PNG at three times the screen's pixels; by the name's ending. Gives
/// what went wrong, in words; empty when the file is there.
QString save_traces(const QString& path, Lanes& lanes, QWidget* fan, const QString& title,
                    const QString& foot);

}  // namespace kuvio::app
