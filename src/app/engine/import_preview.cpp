// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/import_preview.h"

#include "app/engine/text.h"
#include "book/channel_trace.h"
#include "core/error.h"
#include "core/measure.h"
#include "core/number_text.h"
#include "formats/capture_files.h"
#include "formats/log_plan.h"

#include <QCoreApplication>
#include <QTemporaryDir>

#include <algorithm>
#include <filesystem>
#include <fstream>

namespace kuvio::app {
namespace {

constexpr int kHeadLines = 40;
constexpr int kSketch = 400;
constexpr std::uintmax_t kWhole = 8 << 20;  // bytes, up to which all of it is tried
constexpr std::size_t kPart = 2 << 20;

QString tr(const char* text) { return QCoreApplication::translate("ImportPreview", text); }

void read_head(const formats::TextSource& source, ImportPreview& out) {
  formats::TextLines lines(source.path(), source.at());
  std::string_view line;
  while (out.head.size() < kHeadLines && lines.next(line))
    out.head << QString::fromUtf8(line.data(),
                                  static_cast<qsizetype>(std::min<std::size_t>(line.size(), 400)));
}

/// A large one's beginning, up to the end of a line.
std::string part_of(const std::string& file, const QString& folder) {
  std::error_code ignored;
  if (std::filesystem::file_size(file, ignored) <= kWhole) return file;
  std::ifstream in(file, std::ios::binary);
  std::string bytes(kPart, '\0');
  in.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  bytes.resize(static_cast<std::size_t>(in.gcount()));
  bytes.resize(bytes.rfind('\n') + 1);
  std::string part = (folder + QStringLiteral("/part")).toStdString();
  std::ofstream(part, std::ios::binary) << bytes;
  return part;
}

/// The charge of the same samples, were they instants instead of averages or the other way round:
/// straight lines between them, or each over the time to the next.
double other_charge(const Trace& trace) {
  double out = 0;
  for (const Block& b : trace.blocks()) {
    std::vector<double> values(static_cast<std::size_t>(b.count));
    trace.read(b, 0, values);
    double step = 0;
    for (std::size_t i = 0; i < values.size(); ++i) {
      const auto at = static_cast<std::int64_t>(i);
      const bool last = i + 1 == values.size();
      if (!last)
        step = trace.time_base().seconds(tick_of(trace, b, at + 1) - tick_of(trace, b, at));
      if (trace.kind() == SampleKind::instant) {
        out += values[i] * step;
      } else if (!last) {
        out += (values[i] + values[i + 1]) / 2 * step;
      }
    }
  }
  return out;
}

void try_import(const std::string& file, const formats::ImportSettings& settings,
                const std::stop_token& stop, ImportPreview& out) {
  const QTemporaryDir folder;
  book::Book book = book::Book::open((folder.path() + QStringLiteral("/try.kuvio")).toStdString(),
                                     book::Book::Mode::create);
  const bool text = formats::import_format_of(file).key == "text";
  const std::string tried = text ? part_of(file, folder.path()) : file;
  const formats::ImportResult made = formats::import_file(book, tried, settings, stop);
  out.skipped = made.skipped;
  for (const std::string& w : made.warnings) out.warnings << qs(w);
  const book::CaptureInfo info = book.capture(made.capture);
  const auto current =
      std::find_if(info.channels.begin(), info.channels.end(),
                   [](const book::ChannelInfo& c) { return c.quantity == Quantity::current; });
  const book::ChannelInfo& shown =
      current == info.channels.end() ? info.channels.front() : *current;
  const book::ChannelTrace trace(book, shown);
  out.sketch = envelope(trace, trace.from_s(), trace.to_s(), kSketch);
  out.quantity = shown.quantity;
  const SpanFigures all = measure(trace);
  QStringList words;
  words << (made.captures.size() == 1 ? tr("1 capture")
                                      : tr("%1 captures").arg(made.captures.size()));
  words << tr("%1 samples in %2").arg(shown.samples).arg(qs(duration(info.duration_s())));
  if (const auto mean = all.mean())
    words << tr("mean of %1 %2").arg(qs(shown.name), qs(with_prefix(*mean, shown.unit, 4)));
  if (shown.quantity == Quantity::current && all.samples > 1) {
    const double other = other_charge(trace);
    words << (shown.kind == SampleKind::instant ? tr("charge %1, as averages %2")
                                                : tr("charge %1, as instants %2"))
                 .arg(qs(with_prefix(all.charge, "C", 4)), qs(with_prefix(other, "C", 4)));
  }
  if (tried != file) words << tr("its first %1 MB").arg(kPart >> 20);
  out.figures = words.join(QStringLiteral(" · "));
}

/// The same, and what keeps it from being imported.
void try_whole(const QString& file, const formats::ImportSettings& settings,
               const std::stop_token& stop, ImportPreview& out) {
  try {
    try_import(file.toStdString(), settings, stop, out);
  } catch (const Error& e) {
    out.trouble = qs(e.why());
    const auto colon = e.where().rfind(':');
    if (colon != std::string::npos) {
      const QString line = qs(e.where().substr(colon + 1));
      bool number = false;
      line.toLongLong(&number);
      if (number) out.trouble = tr("Line %1: %2").arg(line, out.trouble);
    }
  }
}

}  // namespace

ImportPreview preview_import(const QString& file, const formats::ImportSettings& given,
                             const std::stop_token& stop) {
  ImportPreview out;
  out.file = file;
  std::error_code ignored;
  if (std::filesystem::exists(file.toStdString(), ignored) &&
      !std::filesystem::is_regular_file(file.toStdString(), ignored)) {
    out.trouble = tr("It is no file that can be read twice: kuvio-cli import reads it once.");
    return out;
  }
  formats::ImportSettings settings = given;
  settings.name = "try";
  const formats::ImportFormat& format = formats::import_format_of(file.toStdString());
  if (format.key != "text") {
    out.kind = qs(std::string(format.words));
    if (format.key != "hdf5") read_head(formats::TextSource(file.toStdString(), stop), out);
    try_whole(file, settings, stop, out);
    return out;
  }
  const formats::TextSource source(file.toStdString(), stop);
  read_head(source, out);
  const formats::LogDraft draft = formats::draft_log(source, settings, stop);
  out.columns = draft.plan.columns;
  out.guesses = draft.plan.guesses;
  out.first_line = draft.plan.dialect.first_line;
  out.trouble = qs(draft.trouble);
  out.asks = draft.asks;
  if (!out.trouble.isEmpty()) return out;
  settings.decimal = draft.plan.dialect.marks.decimal;  // what settles it may lie further behind
  try_whole(file, settings, stop, out);
  return out;
}

}  // namespace kuvio::app
