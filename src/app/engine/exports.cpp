// SPDX-License-Identifier: GPL-3.0-or-later
// What the session writes for people besides their own files.

#include "app/engine/session.h"
#include "formats/samples_csv.h"

namespace kuvio::app {

void Session::exportSamples(std::int64_t capture, const QString& path, double from_s, double to_s,
                            std::function<void(const WrittenSamples&)> done) {
  withFiles(
      [book_path = path_.toStdString(), capture, from_s, to_s, path,
       done = std::move(done)](const std::stop_token& stop) -> std::function<void()> {
        const book::Book book = book::Book::open(book_path, book::Book::Mode::read);
        const book::CaptureInfo info = book.capture(capture);
        const auto written =
            formats::write_samples_csv(path.toStdString(), book, info, {}, from_s, to_s,
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
