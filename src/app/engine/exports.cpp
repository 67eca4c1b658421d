// SPDX-License-Identifier: GPL-3.0-or-later
// What the session writes for people besides their own files.

#include "app/engine/session.h"
#include "book/book.h"
#include "formats/export_formats.h"

namespace kuvio::app {

void Session::exportCapture(std::int64_t capture, const formats::ExportFormat& format,
                            const QString& path, double from_s, double to_s,
                            std::function<void(const formats::Exported&)> done) {
  withFiles(
      [book_path = path_.toStdString(), capture, write = format.write, from_s, to_s, path,
       done = std::move(done)](const std::stop_token& stop) -> std::function<void()> {
        const book::Book book = book::Book::open(book_path, book::Book::Mode::read);
        const auto going_on = [&](double) { return !stop.stop_requested(); };
        const formats::Exported out =
            write(path.toStdString(), book, book.capture(capture), {{}, from_s, to_s, going_on});
        if (stop.stop_requested()) return {};  // given up
        return [done, out] { done(out); };
      },
      tr("Writing the export"));
}

}  // namespace kuvio::app
