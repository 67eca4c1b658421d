// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/chunk.h"

#include <catch2/catch.hpp>

#include <cmath>
#include <limits>
#include <random>
#include <string>

using namespace kuvio;
using namespace kuvio::book;

TEST_CASE("values and times come back from bytes to the bit") {
  std::mt19937_64 random(5);
  std::vector<double> values;
  for (int i = 0; i < 1000; ++i)
    values.push_back(static_cast<double>(static_cast<float>(
        std::ldexp(static_cast<double>(random()) - 9e18, static_cast<int>(random() % 100) - 90))));
  values.insert(values.end(), {0.0, -0.0, std::numeric_limits<float>::denorm_min(), -1e-30, 3e38});
  for (const Encoding encoding : {Encoding::f4, Encoding::f8}) {
    std::vector<double> back(values.size());
    decode(encode(values, encoding), encoding, back);
    for (std::size_t i = 0; i < values.size(); ++i)
      REQUIRE(back[i] == (encoding == Encoding::f8 ? values[i] : double(float(values[i]))));
  }
  const std::vector<std::int64_t> ticks{0, 1, 1'000'000'007, std::int64_t{1} << 60};
  std::vector<std::int64_t> back(ticks.size());
  decode_ticks(encode_ticks(ticks), back);
  CHECK(back == ticks);
}

TEST_CASE("the checksum is the one of IEEE 802.3, whole or in pieces") {
  const std::string text = "123456789";
  const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
  CHECK(crc32(bytes) == 0xCBF43926);  // the check value of the catalogue
  CHECK(crc32(bytes.subspan(4), crc32(bytes.first(4))) == 0xCBF43926);
  CHECK(crc32({}) == 0);
}

TEST_CASE("nodes of the pyramid come back as they went") {
  const std::vector<StrideNode> nodes{{{-1, 2, 3e-3, 4e-6}, 0xDEADBEEF, 256}, {{0, 0, 0, 0}, 0, 1}};
  const auto bytes = encode_strides(nodes);
  CHECK(bytes.size() == 2 * kStrideNodeBytes);
  const auto back = decode_strides(bytes);
  REQUIRE(back.size() == 2);
  CHECK(back[0].sum.lo == -1);
  CHECK(back[0].sum.r == 4e-6);
  CHECK(back[0].crc == 0xDEADBEEF);
  CHECK(back[1].samples == 1);
}

TEST_CASE("a sealed chunk's sums are those of its samples, by their kind") {
  const std::vector<double> v{1, 3, -2, 5};
  const SealedChunk averaged = seal(SampleKind::averaged, Encoding::f8, v, nullptr, {});
  CHECK(averaged.sum.lo == -2);
  CHECK(averaged.sum.hi == 5);
  CHECK(averaged.sum.q == Approx(7));  // each stands for its own interval
  CHECK(averaged.sum.r == Approx(1 + 9 + 4 + 25));
  const double next = 1;
  const SealedChunk instant = seal(SampleKind::instant, Encoding::f8, v, &next, {});
  CHECK(instant.sum.q == Approx(2 + 0.5 + 1.5 + 3));  // trapezia
  // The square of a line from a to b integrates to (a a + a b + b b) / 3.
  CHECK(instant.sum.r ==
        Approx((1 + 3 + 9) / 3.0 + (9 - 6 + 4) / 3.0 + (4 - 10 + 25) / 3.0 + (25 + 5 + 1) / 3.0));
}
