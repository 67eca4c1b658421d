// SPDX-License-Identifier: GPL-3.0-or-later
// The documents that scripts read: their keys are a contract.

#include "book/analysis.h"
#include "book/make.h"
#include "book/verify.h"
#include "core/charge_flow.h"
#include "core/cycles.h"
#include "core/measure.h"
#include "formats/html_report.h"
#include "formats/json_results.h"
#include "formats/life_document.h"
#include "formats/project_files.h"

#include "support.h"

#include <catch2/catch.hpp>

using namespace kuvio;
using formats::to_json;
using nlohmann::ordered_json;

namespace {

void has_keys(const ordered_json& document, const std::vector<std::string>& keys) {
  for (const std::string& key : keys) {
    INFO(key);
    CHECK(document.contains(key));
  }
}

struct Made {
  test::Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);
  std::vector<book::SplitCapture> captures;

  explicit Made(const std::string& name = "c", double work = 5e-3) {
    book::ChannelInfo channel = test::current_channel();
    channel.accuracy = "0.1 % + 10 nA";
    book::CaptureWriter writer(book, {name, name, {{"voltage", "3.6 V"}, {"input", "x"}}, false},
                               {channel});
    std::vector<double> values;
    for (int round = 0; round < 4; ++round) {
      values.insert(values.end(), 500, 3e-6);
      for (int i = 0; i < 100 + round; ++i) values.push_back(work * (1 + 0.01 * (i % 3)));
    }
    values.insert(values.end(), 200, 3e-6);
    writer.append(0, 0, 1, values);
    writer.finish("done", false);
    const std::string text =
        "kuvio = \"recipe/1\"\nname = \"two\"\n[[state]]\nname = \"Sleep\"\nlevel = { below = "
        "\"200 uA\" }\n"
        "[[state]]\nname = \"Work <fast>\"\nlevel = { above = \"200 uA\" }\n";
    const auto recipe = formats::parse_recipe(text, "test");
    captures.push_back(book::load_split(
        book, book.capture(1), book::split_capture(book, book.capture(1), recipe.recipe, text)));
  }
  Side side() const {
    return {captures[0].info.build, book::pooled_ledger(captures), captures[0].info.conditions};
  }
};

}  // namespace

TEST_CASE("documents hold the keys that scripts rely on") {
  const Made made;
  const book::SplitCapture& c = made.captures.front();
  has_keys(to_json(c.info), {"id", "name", "build", "started_utc", "duration_s", "interrupted",
                             "split", "channels"});
  has_keys(to_json(c.info)["channels"][0],
           {"name", "quantity", "unit", "samples", "rate_hz", "from_s", "to_s", "gaps", "flagged"});
  const auto span = to_json(measure(*c.trace), c.channel, c.basis(), ChargeFlow{});
  has_keys(span, {"channel", "from_s", "to_s", "duration_s", "observed_s", "missing_s", "samples",
                  "mean_a", "mean_u_a", "min_a", "max_a", "rms_a", "charge_c", "charge_u_c",
                  "energy_j", "flagged", "lower_bound", "upper_bound"});
  CHECK_FALSE(span.contains("budget"));
  CHECK(span["energy_j"].get<double>() == Approx(3.6 * span["charge_c"].get<double>()));
  has_keys(to_json("r", c.visits)["visits"][0],
           {"state", "from_s", "to_s", "whole", "narrow", "mean_a", "charge_c", "peak_a"});
  const Ledger ledger = book::pooled_ledger(made.captures);
  const auto account =
      to_json("c", ledger, figures_of_cycles({}, "Sleep"), {}, formats::Explain::yes);
  has_keys(account["rows"][0], {"state",
                                "visits",
                                "time_s",
                                "time_share",
                                "mean_a",
                                "mean_u_a",
                                "settled_a",
                                "charge_c",
                                "charge_u_c",
                                "charge_share",
                                "charge_per_visit_c",
                                "charge_per_visit_u_c",
                                "charge_per_visit_sd_c",
                                "whole_visits",
                                "visit_s",
                                "energy_j",
                                "peak_a",
                                "lower_bound",
                                "upper_bound",
                                "budget"});
  // The budget stands beside the figure it explains, and its shares are those of the variance.
  const auto& budget = account["rows"][0]["budget"]["mean_a"];
  REQUIRE(budget.size() >= 2);
  double shares = 0;
  for (const auto& part : budget) {
    has_keys(part, {"component", "u", "freedom", "share"});
    shares += part["share"].get<double>();
  }
  CHECK(shares == Approx(1));
  has_keys(account["total"], {"time_s", "missing_s", "charge_c", "mean_a"});
  CHECK(account["cycles"].is_null());
  const auto missing = std::find_if(account["rows"].begin(), account["rows"].end(),
                                    [](const auto& row) { return row["state"] == "Missing"; });
  REQUIRE(missing != account["rows"].end());
  CHECK((*missing)["mean_a"].is_null());
}

TEST_CASE("a channel that is no current has its own suffix and no charge") {
  book::ChannelInfo volts = test::current_channel();
  volts.quantity = Quantity::voltage;
  volts.unit = "V";
  SpanFigures f;
  f.observed_s = 2;
  f.charge = 7.2;
  const auto span = to_json(f, volts, Basis{}, ChargeFlow{});
  CHECK(span["mean_v"].get<double>() == Approx(3.6));
  CHECK_FALSE(span.contains("charge_c"));
  CHECK(span["mean_u_v"].is_null());
}

TEST_CASE("comparisons and checks hold their keys, what cannot be known is null") {
  const Made a("1.0"), b("1.1", 6e-3);
  const auto document = to_json(compare(a.side(), b.side()));
  has_keys(document, {"reference", "candidate", "alike", "unlike", "rows", "total"});
  has_keys(document["rows"][0],
           {"state", "reference_mean_a", "candidate_mean_a", "difference_a", "difference_low_a",
            "difference_high_a", "charge_per_visit_difference_c", "shown", "bridge_a"});
  has_keys(document["total"], {"reference_mean_a", "candidate_mean_a", "difference_a",
                               "difference_low_a", "difference_high_a"});
  has_keys(document, {"same_use", "unnamed", "tests", "holds_for"});
  has_keys(document["rows"][0], {"level_part_a", "length_part_a", "lower_bound", "upper_bound"});
  CHECK(document["alike"] == true);
  Budget budget;
  budget.name = "b";
  Limit limit;
  limit.scope = Scope::state;
  limit.state = "Nowhere";
  limit.max = 1;
  budget.limits = {limit};
  const auto check_document = to_json(budget, "1.0", check(budget, a.side().ledger));
  const auto& row = check_document["limits"][0];
  has_keys(row, {"name", "state", "quantity", "measured", "uncertainty", "coverage_factor",
                 "lower_bound", "upper_bound", "limit", "headroom", "verdict", "unit", "needed"});
  has_keys(check_document, {"unnamed"});
  CHECK(row["measured"].is_null());
  CHECK(row["verdict"] == "no data");
  CHECK(check_document["verdict"] == "no data");
  CHECK(to_json(std::vector<book::Problem>{{"c", "chunk 1", "damaged"}})["ok"] == false);
}

TEST_CASE("a life holds its keys, with both intervals where rounds may come at random") {
  formats::LifeDocument d;
  d.mean.mean = 50e-6;
  d.mean.of = "the whole cycles of Rest";
  d.mean.by_chance = CurrentInterval{20e-6, 90e-6};
  d.mean.unnamed = {{"Odd", 0.2, 0.1}};
  d.battery.capacity_c = 4320;
  d.life = life_interval(d.mean, d.battery);
  d.wanted_s = 1;
  const auto document = to_json(d);
  has_keys(document, {"mean_a", "usable_c", "life_s", "life_low_s", "life_high_s", "shares",
                      "needed_c", "of", "counts", "by_chance", "unlimited", "unnamed", "verdict"});
  CHECK(document["counts"] == "given");
  CHECK(document["by_chance"]["life_low_s"].get<double>() == Approx(4320 / 90e-6));
  CHECK(document["unnamed"][0]["state"] == "Odd");
  CHECK(document["verdict"] == "too close");  // a fifth of the charge is in no activity
}

TEST_CASE("a report escapes what people wrote and holds every capture and state") {
  const Made a("<1.0>"), b("1.1", 6e-3);
  std::vector<book::SplitCapture> captures;
  captures.push_back(book::load_split(
      a.book, a.captures[0].info,
      book::StoredSplit{0,
                        a.captures[0].channel.id,
                        "two",
                        a.captures[0].recipe_text,
                        {{"Sleep", 0, 1, false}, {"Work <fast>", 1, 2.6, false}}}));
  formats::ReportContent content;
  content.title = "A & B";
  content.captures = {&captures.front()};
  content.state_order = {"Sleep", "Work <fast>"};
  content.comparisons = {compare(a.side(), b.side())};
  FieldMean mean;
  mean.mean = 40e-6;
  Battery cell;
  cell.capacity_c = 4320;
  content.lives.push_back({"<1.0>", mean, life_interval(mean, cell)});
  const std::string page = formats::html_report(content);
  CHECK_THAT(page, Catch::Contains("<title>A &amp; B</title>") &&
                       Catch::Contains("Work &lt;fast&gt;") && Catch::Contains("&lt;1.0&gt;"));
  CHECK_THAT(page,
             !Catch::Contains("<fast>") && !Catch::Contains("nan") && Catch::Contains("</html>"));
  CHECK(std::count(page.begin(), page.end(), '<') == std::count(page.begin(), page.end(), '>'));
  CHECK_THAT(page, Catch::Contains("years") && Catch::Contains("<svg"));
}
