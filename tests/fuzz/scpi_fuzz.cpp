// SPDX-License-Identifier: GPL-3.0-or-later
// libFuzzer: whatever an instrument answers, in whatever pieces, to every kind of question.

#include "acquire/scpi.h"
#include "core/error.h"

#include <algorithm>
#include <cstdint>
#include <stdexcept>

using namespace kuvio;
using namespace kuvio::acquire;

namespace {

class Answers : public Link {
public:
  Answers(std::string bytes, std::size_t piece) : bytes_(std::move(bytes)), piece_(piece) {}
  std::size_t read(std::span<char> out, std::chrono::milliseconds) override {
    // It hangs up: waiting for an answer that never comes is tried elsewhere, and takes its time.
    if (at_ == bytes_.size())
      throw Error(Failure::unavailable, "hung up", "fuzz", "all has been said");
    const std::size_t n = std::min({out.size(), piece_, bytes_.size() - at_});
    std::copy_n(bytes_.begin() + static_cast<std::ptrdiff_t>(at_), n, out.begin());
    at_ += n;
    return n;
  }
  std::size_t read_ready(std::span<char>) override { return 0; }  // nothing comes unasked
  void write(std::string_view) override {}

private:
  std::string bytes_;
  std::size_t piece_, at_ = 0;
};

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 3) return 0;
  const char* const ends[] = {"\n", "\r\n", "\r"};
  const std::string bytes(reinterpret_cast<const char*>(data) + 3, size - 3);
  Scpi scpi(std::make_unique<Answers>(bytes, data[0] % 200 + 1U), "fuzz",
            {ends[data[1] % 3], std::chrono::milliseconds(1)});
  const auto format = static_cast<LogProfile::Format>(data[2] % 5);
  for (int question = data[2] / 5; question < 60; ++question) {
    try {
      switch (question % 5) {
        case 0:
          scpi.query_values("DATA?", format);
          break;
        case 1:
          scpi.query_number("VOLT?", Dimension::voltage, 1e-3);
          break;
        case 2:
          scpi.query("*IDN?");
          break;
        case 3:
          scpi.errors();
          break;
        default:
          scpi.query_on("OUTP?");
      }
    } catch (const Error& e) {
      if (e.failure() == Failure::unavailable) return 0;
    }
  }
  return 0;
}
