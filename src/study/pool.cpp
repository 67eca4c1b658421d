// SPDX-License-Identifier: GPL-3.0-or-later
#include "study/pool.h"

#include "core/error.h"
#include "formats/phrases.h"
#include "formats/project_files.h"

namespace kuvio::study {

Pool pool(const book::Book& book, std::string name,
          const std::vector<book::CaptureInfo>& captures) {
  Pool out;
  for (const book::CaptureInfo& info : captures)
    out.captures.push_back(book::load_split(book, info));
  out.side = {std::move(name), book::pooled_ledger(out.captures),
              book::pooled_conditions(out.captures)};
  out.old_edges = formats::old_edges_texts(out.captures);
  return out;
}

Pool pool_build(const book::Book& book, const std::string& build) {
  std::vector<book::CaptureInfo> captures = book::captures_of_build(book, build);
  std::erase_if(captures, [](const book::CaptureInfo& c) { return !c.split; });
  if (captures.empty()) {
    throw Error(Failure::bad_data, "not split into states", "build " + build,
                "split a capture of it into states first");
  }
  return pool(book, build, captures);
}

void Pools::refresh() {
  if (const auto version = book_.data_version(); version != version_) {
    builds_.clear();
    version_ = version;
  }
}

const Pool& Pools::build(const std::string& name) {
  const auto it = builds_.find(name);
  return it != builds_.end() ? it->second : builds_[name] = pool_build(book_, name);
}

std::optional<DutyPlan> stored_duty(const book::Book& book, book::DocumentKind kind) {
  const auto document = book::document(book, kind);
  if (!document) return std::nullopt;
  return formats::parse_duty(document->text, document->name);
}

std::optional<Battery> stored_battery(const book::Book& book, book::DocumentKind kind) {
  const auto document = book::document(book, kind);
  if (!document) return std::nullopt;
  return formats::parse_battery(document->text, document->name);
}

}  // namespace kuvio::study
