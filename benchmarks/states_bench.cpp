// SPDX-License-Identifier: GPL-3.0-or-later
// A hundred million samples split by levels, by a smoothed recipe with moments of a log, and by
// what is found without one; how soon finding stops when it is told to: `bench_states [SAMPLES]`.

#include "book/channel_trace.h"
#include "core/state_split.h"

#include "large.h"
#include "study/finding.h"

#include <cstdlib>

using namespace kuvio;

namespace {

StateRule level(const char* name, double low, double high) {
  StateRule out;
  out.name = name;
  if (low > 0) out.level.low = out.level.release_low = low;
  if (high > 0) out.level.high = out.level.release_high = high;
  return out;
}

Recipe by_levels() {
  return {"levels",
          "",
          {level("Hibernate", 0, 200e-6), level("Sense", 200e-6, 2e-3), level("Wake", 2e-3, 6e-3),
           level("Store", 6e-3, 0)}};
}

/// A device that never rests: four levels, 3000 samples of noise each, in memory.
MemoryTrace busy_trace(std::int64_t samples) {
  MemoryTrace out(SampleKind::averaged, {1, 100'000});
  std::vector<double> values(static_cast<std::size_t>(samples));
  std::uint64_t state = 1;
  constexpr double kLevels[] = {3e-6, 1e-3, 4e-3, 11e-3};
  for (std::size_t i = 0; i < values.size(); ++i) {
    state = state * 6364136223846793005ULL + 1442695040888963407ULL;
    values[i] = kLevels[i / 3000 % 4] * (0.95 + 0.1 * static_cast<double>(state >> 11) * 0x1p-53);
  }
  out.append(0, 1, values);
  return out;
}

/// Best and middle of five, each on a channel that is opened anew.
void report(const char* name, const book::Book& book, const Recipe& recipe, const Beside& beside,
            double wanted_s) {
  std::vector<double> took;
  std::size_t visits = 0;
  for (int i = 0; i < 5; ++i) {
    const double begun = bench::now_s();
    const book::CaptureInfo info = book.captures().front();
    const book::ChannelTrace trace(book, info.channels.front());
    visits = split_beside(trace, recipe, beside).visits.size();
    took.push_back(bench::now_s() - begun);
  }
  std::sort(took.begin(), took.end());
  std::printf("%-44s %8.3f s at best, %.3f s in the middle (wanted %.1f), %zu visits\n", name,
              took[0], took[2], wanted_s, visits);
}

}  // namespace

int main(int argc, char** argv) {
  const std::int64_t samples = argc > 1 ? std::atoll(argv[1]) : 100'000'000;
  const book::Book book = book::Book::open(bench::large_book(1, samples), book::Book::Mode::read);
  const double before = bench::resident();
  report("levels", book, by_levels(), {}, 0.5);
  // Windows of 500 samples, a visit that must have a peak, one that begins with the log, and a
  // suite's tests of a second each.
  Recipe recipe = by_levels();
  recipe.smooth = {5e-3, Smoothing::Take::max};
  recipe.states[3].must.peak_above = 9e-3;
  recipe.states[2].begins = Anchor{};
  StateRule test;
  test.name = "{name}";
  test.by_level = false;
  test.begins = test.ends = Anchor{};
  recipe.states.push_back(test);
  Beside beside;
  beside.rules.resize(5);
  const double length = static_cast<double>(samples) / 1e5;
  // The codes' round: 59 s asleep, then 35 ms awake.
  for (double at = 59; at < length; at += 59.925) beside.rules[2].begins.push_back({at, {}});
  for (double at = 5; at < length; at += 10) {
    beside.rules[4].begins.push_back({at, "test " + std::to_string(static_cast<int>(at) % 7)});
    beside.rules[4].ends.push_back({at + 1, {}});
  }
  report("smoothed, with moments", book, recipe, beside, 1.5);
  for (const auto take : {Smoothing::Take::mean, Smoothing::Take::median}) {
    recipe.smooth.take = take;
    report(
        take == Smoothing::Take::mean ? "the same by running means" : "the same by running medians",
        book, recipe, beside, 1.5);
  }
  const book::CaptureInfo info = book.captures().front();
  for (int i = 0; i < 3; ++i) {
    const double begun = bench::now_s();
    const auto found = study::find_recipe(book, info, "");
    std::printf("%-44s %8.3f s (wanted 2.0), %zu states\n", "found", bench::now_s() - begun,
                found.recipe.states.size());
  }
  {
    const MemoryTrace busy = busy_trace(samples);
    Recipe recipes[] = {by_levels(), by_levels()};
    recipes[1].smooth = {1e-4, Smoothing::Take::max};
    for (const Recipe& r : recipes) {
      const double begun = bench::now_s();
      const std::size_t visits = split(busy, r).size();
      std::printf("%-44s %8.3f s (wanted %.1f), %zu visits\n",
                  r.smooth.over_s > 0 ? "never at rest, smoothed" : "never at rest, levels",
                  bench::now_s() - begun, r.smooth.over_s > 0 ? 1.5 : 0.5, visits);
    }
    const double begun = bench::now_s();
    const FoundStates busy_found = find_states(busy);
    std::printf("%-44s %8.3f s (wanted 2.0), %zu states\n", "never at rest, found",
                bench::now_s() - begun, busy_found.levels.size());
  }
  double latest = 0;
  for (const double after : {0.05, 0.2, 0.5, 0.9}) {
    const double begun = bench::now_s();
    FindSettings settings;
    settings.going_on = [&](double) {
      const bool on = bench::now_s() - begun < after;

      return on;
    };
    try {
      study::find_recipe(book, info, "", settings);
    } catch (const std::exception&) {
      latest = std::max(latest, bench::now_s() - begun - after);
    }
  }
  std::printf("%-44s %8.3f s (wanted 0.1)\n", "given up after at most", latest);
  std::printf("%-44s %8.0f MB\n", "resident, more than before", (bench::resident() - before) / 1e6);
  return 0;
}
