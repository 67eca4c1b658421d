// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "acquire/input.h"
#include "acquire/line_reader.h"
#include "acquire/link.h"

namespace kuvio::acquire {

/// A meter or logger that prints its readings as lines of text over a serial line, TCP, a pipe or
/// into a file that grows. Lines with a time column are on the meter's own clock, with rate= they
/// are counted, others stand where they arrived. A line that is no reading becomes a line of the
/// device log.
class LinesInput : public Input {
public:
  /// Connects and waits for the first reading, which says what the columns are. Error when none
  /// comes within 10 s.
  LinesInput(const Endpoint& endpoint, const InputSettings& settings);
  ~LinesInput() override { join(); }
  Endpoint learned() const override;

protected:
  void run(const std::stop_token& stop) override;

private:
  struct Line {
    double arrived_s = 0;  // when its first byte came
    std::string text;
  };
  /// Reads what is there and cuts it into lines; false when nothing came.
  bool read_lines(std::chrono::milliseconds timeout);
  void take(const Line& line);
  void take_text(const Line& line);
  double usual_step_s() const;
  bool follows(std::int64_t stamp_ns, std::int64_t before_ns) const;
  bool stamps_agree(const Line& line, LineReader::Reading& reading);
  void take_reading(const Line& line, LineReader::Reading& reading);
  void flush();
  void reconnect(const std::stop_token& stop, const Error& why);

  InputSettings settings_;
  std::unique_ptr<Link> link_;
  LineReader reader_;
  std::vector<std::size_t> kept_;  // of a reading's values, those that are asked for
  std::string titles_;
  std::vector<Line> lines_;
  std::string open_;
  double open_since_s_ = 0;
  bool first_line_ = true, gap_ = false;
  Packet packet_;
  std::int64_t next_ = 0;
  std::optional<double> zero_s_;  // host time of own time 0, of lines that stand where they came
  std::optional<std::int64_t> first_ns_;  // by the meter's own clock
  struct Held {
    Line line;
    LineReader::Reading reading;
  };
  std::optional<Held> held_;  // whose stamp must be confirmed
  std::optional<std::int64_t> last_stamp_ns_;
  std::int64_t shift_ns_ = 0, last_ns_ = -1;
  double last_arrived_s_ = 0;
  std::vector<double> spacings_;
  std::int64_t strange_ = 0, fell_behind_ = 0;
};

}  // namespace kuvio::acquire
