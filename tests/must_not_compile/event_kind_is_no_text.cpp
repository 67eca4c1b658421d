// SPDX-License-Identifier: GPL-3.0-or-later
// layers: core
// error: cannot convert|could not convert
#include "core/event.h"

kuvio::Event mark() { return {"mark", 1.0, 1.0, "lid opened"}; }
