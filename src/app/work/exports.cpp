// SPDX-License-Identifier: GPL-3.0-or-later
// What the session writes for people besides their own files.

#include "app/work/session.h"
#include "book/channel_trace.h"
#include "formats/samples_csv.h"

namespace kuvio::app {

void Session::exportSamples(std::int64_t capture, const QString& path, double from_s, double to_s,
                            std::function<void(const WrittenSamples&)> done) {
  withFiles(
      [book_path = path_.toStdString(), capture, from_s, to_s, path,
       done = std::move(done)](const std::stop_token& stop) -> std::function<void()> {
        const book::Book book = book::Book::open(book_path, book::Book::Mode::read);
        const book::CaptureInfo info = book.capture(capture);
        std::vector<std::unique_ptr<book::ChannelTrace>> traces;
        std::vector<formats::SampleColumn> columns;
        const auto add = [&](const book::ChannelInfo& c) {
          traces.push_back(std::make_unique<book::ChannelTrace>(book, c));
          columns.push_back({c.name, c.unit, traces.back().get(),
                             c.encoding == book::Encoding::f4 && c.calibration.identity()});
        };
        const book::ChannelInfo& main = book::main_current(info, book_path);
        add(main);
        for (const book::ChannelInfo& c : info.channels) {
          if (c.id != main.id && c.samples > 0) add(c);
        }
        const auto written =
            formats::write_samples_csv(path.toStdString(), columns, from_s, to_s,
                                       [&](double) { return !stop.stop_requested(); });
        if (written.columns.empty()) return {};  // given up
        WrittenSamples out{written.rows, {}};
        for (const std::string& name : written.left_out)
          out.left_out << QString::fromStdString(name);
        return [done, out] { done(out); };
      },
      tr("Writing samples"));
}

}  // namespace kuvio::app
