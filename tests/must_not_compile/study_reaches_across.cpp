// SPDX-License-Identifier: GPL-3.0-or-later
// layers: study formats book core
// error: acquire/recorder.h: No such file
#include "acquire/recorder.h"
