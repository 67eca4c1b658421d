// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/state_edits.h"

#include "app/engine/time_notation.h"
#include "book/channel_trace.h"
#include "book/notes.h"
#include "core/error.h"
#include "core/number_text.h"
#include "formats/project_files.h"
#include "formats/project_text.h"

#include "study/finding.h"
#include "study/limits.h"

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

QString tr(const char* text) { return QObject::tr(text); }

/// What adds an edit, with a split by hand below it where there is none yet.
book::ChangeRequest add_edits(const book::Book& book, std::int64_t capture,
                              std::vector<Edit> edits) {
  const book::CaptureInfo info = book.capture(capture);
  const book::ChannelTrace trace(book, book::shown_channel(info, book.path()));
  std::vector<Edit> list = book::edits(book, capture);
  const std::size_t before = list.size();
  for (Edit& edit : edits) {
    edit.at_s = nearest_edge(trace, edit.at_s);
    if (edit.kind == Edit::Kind::move || edit.kind == Edit::Kind::assign)
      edit.to_s = nearest_edge(trace, edit.to_s);
    list.push_back(edit);
  }
  book::ChangeRequest out{{book::edits_note(capture, list)}};
  auto split = book.split(capture);
  if (!split) {
    split = book::split_capture(book, info, book::of_main_current({}, info, book.path()), "");
    out.splits.push_back({capture, *split});
  }
  // An edit that cannot be made is refused now, not kept as a conflict.
  const EditResult edited =
      apply_edits(split->visits, list, book::edit_reach(info, split->channel));
  for (const Conflict& c : edited.conflicts) {
    if (c.edit >= before)
      throw Error(Failure::bad_data, "states unchanged", describe(list[c.edit], exact_time_text),
                  c.why);
  }
  return out;
}

}  // namespace

void edit_states(Session& session, std::int64_t capture, const std::vector<Edit>& edits) {
  const QString text = QString::fromStdString(describe(edits.front(), exact_time_text));
  session.change(text, [capture, edits](const book::Book& book, const std::stop_token&) {
    return add_edits(book, capture, edits);
  });
}

void drop_edit(Session& session, std::int64_t capture, int index) {
  session.change(index < 0 ? tr("all manual edits removed") : tr("manual edit removed"),
                 [capture, index](const book::Book& book, const std::stop_token&) {
                   std::vector<Edit> list = book::edits(book, capture);
                   if (index < 0) {
                     list.clear();
                   } else if (index < static_cast<int>(list.size())) {
                     list.erase(list.begin() + index);
                   }
                   return book::ChangeRequest{{book::edits_note(capture, list)}};
                 });
}

void name_span(Session& session, std::int64_t capture, double from_s, double to_s,
               const std::string& state) {
  Edit edit;
  edit.kind = Edit::Kind::assign;
  edit.at_s = from_s;
  edit.to_s = to_s;
  edit.state = state;
  edit_states(session, capture, {edit});
}

void apply_recipe(Session& session, const std::vector<std::int64_t>& captures,
                  const book::Document& recipe) {
  session.change(tr("split by a recipe"), [captures, recipe](const book::Book& book,
                                                             const std::stop_token& stop) {
    const formats::RecipeFile parsed = formats::parse_recipe(recipe.text, recipe.name);
    book::ChangeRequest out{book::notes_in_use(book, DocumentKind::recipe, recipe)};
    for (const std::int64_t id : captures) {
      if (stop.stop_requested()) return book::ChangeRequest{};
      const book::CaptureInfo info = book.capture(id);
      out.splits.push_back(
          {id,
           book::split_capture(book, info, book::of_main_current(parsed.recipe, info, book.path()),
                               parsed.text)});
    }
    return out;
  });
}

void find_states_of(Session& session, std::int64_t capture, std::optional<std::size_t> levels) {
  session.change(
      tr("states found"), [capture, levels](const book::Book& book, const std::stop_token& stop) {
        const book::CaptureInfo info = book.capture(capture);
        FindSettings settings;
        settings.levels = levels;
        settings.going_on = [&](double) { return !stop.stop_requested(); };
        const formats::RecipeFile found = study::find_recipe(book, info, "", settings);
        return book::ChangeRequest{
            book::notes_in_use(book, DocumentKind::recipe, {kFoundRecipe, "", found.text, ""}),
            {{capture, book::split_capture(book, info, found.recipe, found.text)}}};
      });
}

StateRule rule_from_span(const std::string& state, const SpanFigures& span) {
  StateRule rule;
  rule.name = state;
  const double low = span.min.value_or(0), high = span.max.value_or(0);
  const double mean = span.mean().value_or(high);
  // A band with a factor of room on both sides: levels that differ by less are not distinguished by
  // level anyway.
  rule.level.high = to_digits(std::max({high * 1.3, mean * 1.5, 1e-9}), 2);
  if (low > 0 && low > mean / 50) rule.level.low = to_digits(std::min(low / 1.3, mean / 1.5), 2);
  rule.level.release_low = rule.level.low;
  rule.level.release_high = rule.level.high;
  return rule;
}

void limits_from_capture(Session& session, std::int64_t capture) {
  session.change(tr("limits from a capture"), [capture](const book::Book& book,
                                                        const std::stop_token&) {
    const book::CaptureInfo info = book.capture(capture);
    const book::SplitCapture split = book::load_split(book, info);
    book::ChangeRequest out;
    if (!book::document(book, DocumentKind::recipe)) {
      if (split.recipe_text.empty()) {
        throw Error(Failure::bad_data, "no limits created", "capture " + info.name,
                    "its states were assigned manually or typed; a budget needs a recipe that also "
                    "finds them in other captures");
      }
      out.notes.push_back(book::document_note(DocumentKind::recipe,
                                              {"states.recipe.toml", "", split.recipe_text, ""}));
    }
    const auto recipe = book::document(book, DocumentKind::recipe);
    const auto duty = book::document(book, DocumentKind::duty);
    const auto battery = book::document(book, DocumentKind::battery);
    const study::Pool one = study::pool(book, info.name, {info});
    const Budget limits = study::limits_from(
        one.ledger(), "Limits from " + (info.build.empty() ? info.name : info.build),
        recipe ? recipe->name : "states.recipe.toml", study::stored_duty(book),
        study::stored_battery(book));
    out.notes.push_back(book::document_note(
        DocumentKind::budget,
        {"limits.budget.toml", "",
         formats::budget_text(limits, duty ? duty->name : "", battery ? battery->name : ""), ""}));
    return out;
  });
}

}  // namespace kuvio::app
