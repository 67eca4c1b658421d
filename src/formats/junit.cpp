// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/junit.h"

#include "book/book.h"
#include "book/text.h"
#include "core/budget.h"
#include "formats/phrases.h"
#include "formats/xml_text.h"

#include <fmt/format.h>

#include <algorithm>

namespace kuvio::formats {

std::string junit_xml(const Budget& budget, const std::string& build, const CheckResult& result) {
  int failures = 0, errors = 0;
  std::string cases;
  for (const LimitResult& r : result.limits) {
    const Limit& l = *r.limit;
    cases += fmt::format("  <testcase classname=\"{}\" name=\"{}\"", escape_xml(build),
                         escape_xml(l.name()));
    if (r.verdict == Verdict::within) {
      cases += "/>\n";
      continue;
    }
    const bool outside = r.verdict == Verdict::outside;
    (outside ? failures : errors) += 1;
    const std::string unit(info(l.quantity).unit());
    const double limit = l.max ? *l.max : l.min.value_or(0);
    const std::string what = r.measured
                                 ? fmt::format("{}: {} against a limit of {}", to_string(r.verdict),
                                               measured_text(r), figure_text(limit, 0, unit)) +
                                       (r.note.empty() ? "" : " (" + r.note + ")")
                                 : fmt::format("{}: {}", to_string(r.verdict), r.note);
    cases += fmt::format(">\n    <{0} message=\"{1}\">{1}</{0}>\n  </testcase>\n",
                         outside ? "failure" : "error", escape_xml(what));
  }
  return fmt::format(
      "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<testsuite name=\"{}\" tests=\"{}\" "
      "failures=\"{}\" errors=\"{}\">\n{}</testsuite>\n",
      escape_xml(budget.name), result.limits.size(), failures, errors, cases);
}

}  // namespace kuvio::formats
