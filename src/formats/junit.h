// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace kuvio {
struct Budget;
struct CheckResult;
}  // namespace kuvio

namespace kuvio::formats {

/// A check as JUnit XML, which CI systems read: a test case per limit; over is a failure, too close
/// and no data are errors.
std::string junit_xml(const Budget& budget, const std::string& build, const CheckResult& result);

}  // namespace kuvio::formats
