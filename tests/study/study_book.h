// SPDX-License-Identifier: GPL-3.0-or-later
// A book whose figures are known by arithmetic.
#pragma once

#include "book/capture_writer.h"
#include "book/documents.h"
#include "book/notes.h"
#include "formats/project_files.h"

#include "study/pool.h"
#include "support.h"

namespace kuvio::test {

inline constexpr const char* kStudyRecipe =
    "kuvio = \"recipe/1\"\nname = \"two\"\n"
    "[[state]]\nname = \"Sleep\"\nlevel = { below = \"200 uA\" }\n"
    "[[state]]\nname = \"Work\"\nlevel = { above = \"200 uA\" }\n";
inline constexpr const char* kStudyDuty =
    "kuvio = \"duty/1\"\nname = \"field\"\nrest = \"Sleep\"\n"
    "[[activity]]\nstates = [\"Work\"]\nper = \"60 /h\"\n";
inline constexpr const char* kStudyBattery =
    "kuvio = \"battery/1\"\nname = \"cell\"\ncapacity = \"100 mAh\"\nvoltage = \"3 V\"\n";

/// Captures of whole rounds: a sleep of 2 s at a level, work of 0.5 s at another; then a sleep.
struct StudyBook {
  Folder folder;
  book::Book book = book::Book::open(folder / "b.kuvio", book::Book::Mode::create);

  std::int64_t add(const std::string& build, double sleep_a, double work_a, int rounds = 5,
                   bool split = true) {
    book::ChannelInfo channel;
    channel.name = "I";
    channel.time_base = {1, 1000};
    channel.encoding = book::Encoding::f8;
    channel.accuracy = "0.1 % + 10 nA";
    book::CaptureWriter writer(book, {"of " + build, build, {{"voltage", "3 V"}}, false},
                               {channel});
    std::vector<double> values;
    for (int i = 0; i < rounds; ++i) {
      values.insert(values.end(), 2000, sleep_a);
      values.insert(values.end(), 500, work_a);
    }
    values.insert(values.end(), 2000, sleep_a);
    writer.append(0, 0, 1, values);
    writer.finish("complete", false);
    const std::int64_t id = writer.id();
    if (split) {
      const auto recipe = formats::parse_recipe(kStudyRecipe, "two.recipe.toml");
      book.save_split(id, book::split_capture(book, book.capture(id), recipe.recipe, recipe.text));
    }
    return id;
  }
  void put(book::DocumentKind kind, const char* name, const char* text) {
    book::put(book, std::vector{book::document_note(kind, {name, "", text, text})});
  }
};

/// A build, and one whose sleep draws nearly three times as much.
struct TwoBuilds : StudyBook {
  TwoBuilds() {
    add("1.0", 3e-6, 10e-3, 6);
    add("1.1", 8e-6, 10e-3, 6);
  }
  study::Pool of(const std::string& build) const { return study::pool_build(book, build); }
};

inline DutyPlan plan_of_file() { return formats::parse_duty(kStudyDuty, "field.duty.toml"); }
inline Battery battery_of_file() { return formats::parse_battery(kStudyBattery, "cell"); }

}  // namespace kuvio::test
