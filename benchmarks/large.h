// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "book/capture_writer.h"
#include "book/sqlite.h"
#include "formats/project_files.h"

#include <array>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <string>

namespace kuvio::bench {

inline double now_s() {
  return std::chrono::duration<double>(std::chrono::steady_clock::now().time_since_epoch()).count();
}

/// Resident memory of this process (bytes).
inline double resident() {
  long pages = 0, all = 0;
  std::ifstream("/proc/self/statm") >> all >> pages;
  return static_cast<double>(pages) * 4096;
}

/// A digitiser's codes: 16 bits of an input that sleeps, wakes, senses and sends, with some counts
/// of noise. The same for the same seed; made as fast as it is written.
class Codes {
public:
  static constexpr double kGain = 2e-6;  // A a count

  explicit Codes(std::uint64_t seed) : state_(seed * 0x9e3779b97f4a7c15ULL + 1) {}
  void fill(std::vector<double>& out) {
    for (double& v : out) {
      if (left_ == 0) next();
      --left_;
      state_ ^= state_ << 13;
      state_ ^= state_ >> 7;
      state_ ^= state_ << 17;
      const int noise = static_cast<int>(state_ & 7) + static_cast<int>(state_ >> 8 & 7) - 7;
      v = kGain * static_cast<double>(level_ + (level_ > 100 ? noise * 4 : noise));
    }
  }

private:
  void next() {
    static constexpr struct {
      int level;
      std::int64_t samples;
    } kStates[] = {{3, 5'900'000}, {2000, 3'500}, {400, 80'000}, {5500, 9'000}};
    level_ = kStates[at_ % 4].level;
    left_ = kStates[at_ % 4].samples;
    ++at_;
  }
  std::uint64_t state_;
  std::size_t at_ = 0;
  std::int64_t left_ = 0;
  int level_ = 0;
};

/// Splits a capture by levels as those of Codes.
inline void split_it(const book::Book& book, std::int64_t capture) {
  const std::string text =
      "kuvio = \"recipe/1\"\nname = \"r\"\n"
      "[[state]]\nname = \"Hibernate\"\nlevel = { below = \"200 uA\" }\n"
      "[[state]]\nname = \"Sense\"\nlevel = { above = \"200 uA\", below = \"2 mA\" }\n"
      "[[state]]\nname = \"Wake\"\nlevel = { above = \"2 mA\", below = \"6 mA\" }\n"
      "[[state]]\nname = \"Store\"\nlevel = { above = \"6 mA\" }\n";
  const book::CaptureInfo info = book.capture(capture);
  const Recipe recipe =
      book::of_main_current(formats::parse_recipe(text, "bench").recipe, info, book.path());
  book.save_split(capture, book::split_capture(book, info, recipe, text));
}

/// Single samples of the first channel that lie far above all others, in its sleep.
inline constexpr double kSpike = Codes::kGain * 30'000;
inline std::array<std::int64_t, 2> spikes(std::int64_t samples) {
  return {samples / 3, samples - samples / 29};
}

/// A book with one capture of `channels` x `samples` at 100 kS/s, kept between runs in the
/// temporary folder; split into its states. Gives its path.
inline std::string large_book(int channels, std::int64_t samples) {
  const std::string path =
      (std::filesystem::temp_directory_path() /
       ("kuvio-bench-" + std::to_string(channels) + "x" + std::to_string(samples) + "-5.kuvio"))
          .string();
  if (std::filesystem::exists(path)) return path;
  const std::string half = path + ".half";
  for (const char* more : {"", "-wal", "-shm"}) std::filesystem::remove(half + more);
  const double begun = now_s();
  {
    book::Book book = book::Book::open(half, book::Book::Mode::create);
    std::vector<book::ChannelInfo> infos;
    std::vector<Codes> codes;
    for (int i = 0; i < channels; ++i) {
      book::ChannelInfo info;
      info.name = i == 0 ? "I" : "I" + std::to_string(i + 1);
      info.encoding = book::Encoding::f8;
      info.time_base = {1, 100'000};
      info.lattice = book::Lattice{Codes::kGain, 0, 1};
      infos.push_back(info);
      codes.emplace_back(static_cast<std::uint64_t>(i) + 1);
    }
    book::CaptureWriter writer(book, {"large", "1", {}, false}, infos);
    std::vector<double> piece(1 << 19);
    for (std::int64_t at = 0; at < samples; at += static_cast<std::int64_t>(piece.size())) {
      piece.resize(static_cast<std::size_t>(
          std::min<std::int64_t>(static_cast<std::int64_t>(piece.size()), samples - at)));
      for (int i = 0; i < channels; ++i) {
        codes[static_cast<std::size_t>(i)].fill(piece);
        for (const std::int64_t spike : spikes(samples)) {
          const std::int64_t in = spike - at;
          if (i == 0 && in >= 0 && in < static_cast<std::int64_t>(piece.size()))
            piece[static_cast<std::size_t>(in)] = kSpike;
        }
        writer.append(static_cast<std::size_t>(i), at, 1, piece);
      }
      writer.flush();
    }
    writer.finish("made", false);
    const double written = now_s();
    split_it(book, writer.id());
    std::printf("%-44s %8.1f s (%.1f MS/s), split in %.2f s\n", "made and written", written - begun,
                static_cast<double>(samples) * channels / (written - begun) / 1e6,
                now_s() - written);
    book.database().execute("PRAGMA wal_checkpoint(TRUNCATE)");
  }
  for (const char* more : {"-wal", "-shm"}) std::filesystem::remove(half + more);
  std::filesystem::rename(half, path);
  return path;
}

/// A book with one channel of samples that each have a time of their own, some microseconds beside
/// an even 10 us.
inline std::string uneven_book(std::int64_t samples) {
  const std::string path = (std::filesystem::temp_directory_path() /
                            ("kuvio-bench-uneven-" + std::to_string(samples) + "-5.kuvio"))
                               .string();
  if (std::filesystem::exists(path)) return path;
  const std::string half = path + ".half";
  for (const char* more : {"", "-wal", "-shm"}) std::filesystem::remove(half + more);
  {
    book::Book book = book::Book::open(half, book::Book::Mode::create);
    book::ChannelInfo info;
    info.name = "I";
    info.encoding = book::Encoding::f8;
    info.time_base = {1, 1'000'000};
    info.lattice = book::Lattice{Codes::kGain, 0, 1};
    book::CaptureWriter writer(book, {"uneven", "1", {}, false}, {info});
    Codes codes(9);
    std::uint64_t state = 1;
    for (std::int64_t at = 0; at < samples;) {
      std::vector<double> piece(1 << 18);
      std::vector<std::int64_t> times;
      codes.fill(piece);
      for (std::size_t i = 0; i < piece.size(); ++i, ++at) {
        state = state * 6364136223846793005ULL + 1442695040888963407ULL;
        times.push_back(at * 10 + static_cast<std::int64_t>(state >> 61));
      }
      writer.append_times(0, times, piece, at * 10, false);
      writer.flush();
    }
    writer.finish("made", false);
    book.database().execute("PRAGMA wal_checkpoint(TRUNCATE)");
  }
  for (const char* more : {"-wal", "-shm"}) std::filesystem::remove(half + more);
  std::filesystem::rename(half, path);
  return path;
}

}  // namespace kuvio::bench
