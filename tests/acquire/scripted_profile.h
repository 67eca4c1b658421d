// SPDX-License-Identifier: GPL-3.0-or-later
// A profile with everything a profile can have, for instruments in memory.
#pragma once

#include "acquire/profile.h"

#include <string>

namespace kuvio::test {

inline acquire::Profile scripted_profile(bool logs = true) {
  std::string text = R"(kuvio = "profile/1"
name = "Scripted"
match = "SCRIPTED"
[protocol]
timeout = "200 ms"
init = ["*CLS"]
[[output]]
name = "A"
on = "A ON"
off = "A OFF"
state = "A?"
clear = "A CLEAR"
voltage = { set = "A:VOLT {}", query = "A:VOLT?", unit = "mV", min = "0 V", max = "15 V" }
current_limit = { set = "A:CURR {}", query = "A:CURR?", unit = "A" }
on_over_current = { switch_off = "A:PROT 1", limit = "A:PROT 0", query = "A:PROT?" }
limited = { query = "A:STAT?", bit = "1" }
tripped = { query = "A:STAT?", bit = "3" }
[[output]]
name = "B"
on = "B ON"
off = "B OFF"
[[output]]
name = "aux"
auxiliary = true
on = "AUX ON"
off = "AUX OFF"
state = "AUX?"
[[line]]
name = "reset"
high = "RES HIGH"
low = "RES LOW"
query = "RES?"
[[channel]]
name = "I"
quantity = "current"
unit = "mA"
query = "MEAS?"
array = "GIVE? {first},{count}"
)";
  if (logs) {
    text += R"([log]
interval = { set = "STEP {}", query = "STEP?", unit = "s" }
start = "INIT"
stop = "ABOR"
ready = "READY?"
ready_returns = "oldest, end"
format = "text"
max_count = "100"
)";
  }
  return acquire::parse_profile(text, "scripted.profile.toml");
}

}  // namespace kuvio::test
