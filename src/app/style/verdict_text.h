// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/verdict.h"

#include <QString>

namespace kuvio::app {

/// "✓ within", "✗ outside", "≈ too close", "– no data".
QString verdict_text(Verdict verdict);

}  // namespace kuvio::app
