// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/import_layout.h"

#include "formats/log_plan.h"
#include "formats/toml_edit.h"
#include "formats/toml_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <iterator>
#include <stdexcept>
#include <utility>

namespace kuvio::formats {
namespace {

constexpr std::array<std::pair<const char*, std::pair<SampleKind, Stamp>>, 5> kSamples{
    {{"instant", {SampleKind::instant, Stamp::start}},
     {"averaged", {SampleKind::averaged, Stamp::start}},
     {"averaged:start", {SampleKind::averaged, Stamp::start}},
     {"averaged:centre", {SampleKind::averaged, Stamp::centre}},
     {"averaged:end", {SampleKind::averaged, Stamp::end}}}};

const char* name_of(Role role) {
  return role == Role::time      ? "time"
         : role == Role::current ? "current"
         : role == Role::voltage ? "voltage"
                                 : "ignore";
}

/// A column as the command line's --column has it.
std::string column_option(const TomlTable& column) {
  column.expect({"column", "role", "unit"});
  const std::string unit = column.optional_string("unit").value_or("");
  return column.string("column") + "=" + column.string("role") +
         (unit.empty() ? "" : "[" + unit + "]");
}

}  // namespace

void read_layout(const std::string& path, ImportSettings& settings) {
  const TomlTable file = TomlTable::file(path, "layout");
  file.expect({"kuvio", "decimal", "samples", "rate", "shunt", "column"});
  if (const auto decimal = file.optional_string("decimal")) {
    if (*decimal != "comma" && *decimal != "point")
      file.complain("decimal is \"comma\" or \"point\"", "decimal");
    if (!settings.decimal) settings.decimal = *decimal == "comma" ? ',' : '.';
  }
  if (const auto samples = file.optional_string("samples")) {
    const auto found = std::find_if(kSamples.begin(), kSamples.end(),
                                    [&](const auto& s) { return *samples == s.first; });
    if (found == kSamples.end())
      file.complain(
          "samples are instant, averaged, averaged:start, averaged:centre or averaged:end",
          "samples");
    settings.kind = found->second.first;
    settings.stamp = found->second.second;
  }
  const auto rate = file.optional_quantity("rate", Dimension::frequency);
  if (rate && !(*rate >= 1e-6 && *rate <= 1e9)) file.complain("a rate is 1e-6 to 1e9 Hz", "rate");
  if (rate && !settings.rate_hz) settings.rate_hz = rate;
  const auto shunt = file.optional_quantity("shunt", Dimension::resistance);
  if (shunt && !(*shunt > 0)) file.complain("a shunt is greater than zero", "shunt");
  if (shunt && !settings.shunt_ohm) settings.shunt_ohm = shunt;
  std::vector<std::string> columns;
  for (const TomlTable& column : file.tables("column")) columns.push_back(column_option(column));
  // The last one said of a column holds.
  settings.columns.insert(settings.columns.begin(), columns.begin(), columns.end());
}

std::string layout_of(const std::string& file, const ImportSettings& settings,
                      const std::stop_token& stop) {
  const LogPlan plan = plan_log(TextSource(file, stop), settings, stop);
  std::string out = "kuvio = \"layout/1\"\n";
  if (plan.dialect.marks.decimal == ',' || settings.decimal)
    out += fmt::format("decimal = \"{}\"\n", plan.dialect.marks.decimal == ',' ? "comma" : "point");
  const auto samples = std::find_if(kSamples.begin(), kSamples.end(), [&](const auto& s) {
    return s.second == std::pair(settings.kind, settings.stamp);
  });
  out += fmt::format("samples = \"{}\"\n", samples->first);
  if (settings.rate_hz) out += fmt::format("rate = \"{} Hz\"\n", *settings.rate_hz);
  if (settings.shunt_ohm) out += fmt::format("shunt = \"{} Ohm\"\n", *settings.shunt_ohm);
  for (std::size_t i = 0; i < plan.columns.size(); ++i) {
    const Column& c = plan.columns[i];
    const auto same = std::count_if(plan.columns.begin(), plan.columns.end(), [&](const Column& o) {
      return o.title == c.title || o.name == c.title;
    });
    const bool titled = !plan.dialect.titles.empty() && same == 1;
    out += fmt::format("\n[[column]]\ncolumn = {}\nrole = \"{}\"\n",
                       toml_quote(titled ? c.title : std::to_string(i + 1)), name_of(c.role));
    if (c.role != Role::ignore && !c.unit.empty())
      out += fmt::format("unit = {}\n", toml_quote(c.unit));
  }
  return out;
}

}  // namespace kuvio::formats
