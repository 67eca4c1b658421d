// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/verdict_text.h"

#include "app/engine/text.h"
#include "formats/phrases.h"

namespace kuvio::app {

QString verdict_text(Verdict verdict) { return qs(formats::verdict_text(verdict)); }

}  // namespace kuvio::app
