// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/import_layout.h"

#include "core/error.h"
#include "formats/capture_files.h"
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

void take_layout(const TomlTable& file, ImportSettings& settings) {
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

std::string samples_of(const ImportSettings& settings) {
  const auto samples = std::find_if(kSamples.begin(), kSamples.end(), [&](const auto& s) {
    return s.second == std::pair(settings.kind, settings.stamp);
  });
  return samples->first;
}

/// What holds for the whole log.
std::string head_of(const ImportSettings& settings) {
  std::string out = fmt::format("samples = \"{}\"\n", samples_of(settings));
  if (settings.rate_hz) out += fmt::format("rate = \"{} Hz\"\n", *settings.rate_hz);
  if (settings.shunt_ohm) out += fmt::format("shunt = \"{} Ohm\"\n", *settings.shunt_ohm);
  return out;
}

}  // namespace

void read_layout(const std::string& path, ImportSettings& settings) {
  take_layout(TomlTable::file(path, "layout"), settings);
}

void read_layout_text(const std::string& text, const std::string& name, ImportSettings& settings) {
  take_layout(TomlTable::text(text, name, "layout"), settings);
}

std::string layout_text(const ImportSettings& settings) {
  std::string out = "kuvio = \"layout/1\"\n";
  if (settings.decimal)
    out += fmt::format("decimal = \"{}\"\n", *settings.decimal == ',' ? "comma" : "point");
  out += head_of(settings);
  for (const std::string& option : settings.columns) {
    const auto equals = option.rfind('=');
    if (equals == std::string::npos) continue;
    std::string role = option.substr(equals + 1), unit;
    if (const auto bracket = role.find('['); bracket != std::string::npos) {
      unit = role.substr(bracket + 1, role.size() - bracket - 2);
      role.resize(bracket);
    }
    out += fmt::format("\n[[column]]\ncolumn = {}\nrole = {}\n",
                       toml_quote(option.substr(0, equals)), toml_quote(role));
    if (!unit.empty()) out += fmt::format("unit = {}\n", toml_quote(unit));
  }
  const bool said = settings.decimal || settings.rate_hz || settings.shunt_ohm ||
                    settings.kind != SampleKind::instant || !settings.columns.empty();
  return said ? out : "";
}

std::string kind_of_log(const std::string& file, const std::stop_token& stop) {
  if (import_format_of(file).key != "text") return "";
  try {
    const LogPlan plan = draft_log(TextSource(file, stop), {}, stop).plan;
    std::string out(1, plan.dialect.separator);
    for (const std::string& title : plan.dialect.titles) out += "\x1f" + title;
    for (const std::string& unit : plan.dialect.units) out += "\x1f" + unit;
    if (plan.dialect.titles.empty()) {
      for (const Column& c : plan.columns) out += fmt::format("\x1f{} {}", name_of(c.role), c.unit);
    }
    return plan.columns.empty() ? "" : out;
  } catch (const Error&) {
    return "";
  }
}

std::string layout_of(const std::string& file, const ImportSettings& settings,
                      const std::stop_token& stop) {
  const LogPlan plan = plan_log(TextSource(file, stop), settings, stop);
  std::string out = "kuvio = \"layout/1\"\n";
  if (plan.dialect.marks.decimal == ',' || settings.decimal)
    out += fmt::format("decimal = \"{}\"\n", plan.dialect.marks.decimal == ',' ? "comma" : "point");
  out += head_of(settings);
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
