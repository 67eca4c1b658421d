// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QStringList>

namespace kuvio::app {

/// Names that stand beside each other, each of at most `most` characters (6 or more) and each still
/// its own: what all have in common goes first ("…rc1", "…rc2"), then the middles. In order; those
/// that are short enough stay as they are.
QStringList short_names(const QStringList& names, int most = 24);

}  // namespace kuvio::app
