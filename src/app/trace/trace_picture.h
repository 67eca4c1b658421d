// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/lanes.h"
#pragma once

#include <QByteArray>
#include <QString>

class QWidget;

namespace kuvio::app {

class Lanes;

/// Lanes and fan as they are seen, with a title above and a line below, at print quality: PDF and
/// SVG as lines and text, PNG at three times the screen's pixels; by the ending of `name`. Empty
/// when it ends in none of these.
QByteArray picture_of_traces(const QString& name, Lanes& lanes, QWidget* fan, const QString& title,
                             const QString& foot);

}  // namespace kuvio::app
