// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>

#include <string>

namespace kuvio::app {

/// UTF-8, as everything below the window holds its text.
inline QString qs(const std::string& text) { return QString::fromStdString(text); }

/// The last part of a path.
inline QString file_name(const QString& path) { return path.section(QLatin1Char('/'), -1); }

}  // namespace kuvio::app
