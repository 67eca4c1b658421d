// SPDX-License-Identifier: GPL-3.0-or-later
// What is seen on the Trace desk as a picture, and what lies under it as a file.

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/trace/fan_view.h"
#include "app/trace/trace_desk.h"
#include "app/trace/trace_picture.h"
#include "core/number_text.h"
#include "formats/export_formats.h"

#include <QFileDialog>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {

/// A dialog that does not hold up a recording.
QFileDialog* ask_for_file(QWidget* parent, const QString& title, const QString& name,
                          const QStringList& filters) {
  auto* dialog = new QFileDialog(parent, title);
  dialog->setObjectName(QStringLiteral("exportDialog"));
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setAcceptMode(QFileDialog::AcceptSave);
  dialog->setNameFilters(filters);
  dialog->setOption(QFileDialog::DontUseNativeDialog);
  dialog->selectFile(name);
  return dialog;
}

/// The name's ending is that of the chosen filter.
void follow_filter(QFileDialog* dialog, const QString& name) {
  QObject::connect(dialog, &QFileDialog::filterSelected, dialog,
                   [dialog, name](const QString& filter) {
                     const QString ending = filter.section(QStringLiteral("*."), 1, 1).chopped(1);
                     dialog->selectFile(name + QLatin1Char('.') + ending);
                   });
}

/// Of a table: a time, and a value for each channel that is sampled with the current.
double bytes_a_row(const CaptureView& capture) {
  constexpr double kTime = 13, kValue = 11;
  const auto together = std::count_if(
      capture.info.channels.begin(), capture.info.channels.end(),
      [&](const book::ChannelInfo& c) { return c.samples == capture.channel.samples; });
  return kTime + kValue * static_cast<double>(together);
}

QString size_text(double bytes) {
  return bytes < 1e6 ? TraceDesk::tr("%1 kB").arg(std::max(1.0, bytes / 1e3), 0, 'f', 0)
                     : TraceDesk::tr("%1 MB").arg(bytes / 1e6, 0, 'f', bytes < 1e7 ? 1 : 0);
}

}  // namespace

void TraceDesk::exportPicture() {
  if (!context_.view.capture()) return;
  const QString name = qs(context_.view.capture()->info.name);
  auto* dialog = ask_for_file(this, tr("Export picture"), name + QStringLiteral(".pdf"),
                              {tr("PDF (*.pdf)"), tr("SVG (*.svg)"), tr("PNG (*.png)")});
  follow_filter(dialog, name);
  connect(dialog, &QFileDialog::fileSelected, this,
          [this](const QString& path) { savePicture(path); });
  dialog->show();
}

void TraceDesk::savePicture(const QString& path) {
  if (!context_.view.capture()) return;
  QStringList names;
  for (const CaptureViewPtr& c : context_.view.shown()->captures)
    names << qs(c->info.name) +
                 (c->info.build.empty() ? QString() : tr(", build %1").arg(qs(c->info.build)));
  QStringList foot;
  for (const FootPart& part : this->foot()) foot << part.text;
  context_.view.setPointer(std::nullopt);
  const QByteArray bytes =
      picture_of_traces(path, *lanes_, fan_->isVisible() ? fan_ : nullptr,
                        names.join(QStringLiteral(" · ")), foot.join(QStringLiteral("   ")));
  if (bytes.isEmpty()) {
    emit messageReported(Message::trouble(
        tr("“%1”: picture files must end in .pdf, .svg or .png. Nothing was written.")
            .arg(file_name(path))));
    return;
  }
  context_.session.writeFile(path, bytes.toStdString(), [this, path] {
    emit messageReported(Message::done(tr("Picture saved: %1").arg(path)));
  });
}

void TraceDesk::exportSamples() {
  if (!context_.view.capture()) return;
  const auto [from, to] =
      context_.view.span().value_or(std::pair(context_.view.from(), context_.view.to()));
  QStringList filters;
  for (const formats::ExportFormat& f : formats::export_formats())
    filters << QStringLiteral("%1 (*.%2)").arg(qs(std::string(f.words)), qs(std::string(f.ending)));
  const QString name = qs(context_.view.capture()->info.name);
  const double samples = (to - from) / std::max(context_.view.capture()->basis.sample_s, 1e-12);
  const QString title = tr("%1, %2: %L3 samples, about %4 as a table")
                            .arg(context_.view.span() ? tr("Export span") : tr("Export view"),
                                 qs(duration(to - from)))
                            .arg(std::llround(samples))
                            .arg(size_text(samples * bytes_a_row(*context_.view.capture())));
  auto* dialog = ask_for_file(this, title, name + QStringLiteral(".csv"), filters);
  follow_filter(dialog, name);
  connect(dialog, &QFileDialog::fileSelected, this,
          [this, a = from, b = to](const QString& path) { saveSamples(path, a, b); });
  dialog->show();
}

void TraceDesk::saveSamples(const QString& path, double from_s, double to_s) {
  const formats::ExportFormat* format = formats::export_format_of(path.toStdString());
  if (!format) {
    QStringList endings;
    for (const formats::ExportFormat& f : formats::export_formats())
      endings << QLatin1Char('.') + qs(std::string(f.ending));
    emit messageReported(
        Message::trouble(tr("“%1”: exported files must end in %2. Nothing was written.")
                             .arg(file_name(path), endings.join(tr(" or ")))));
    return;
  }
  context_.session.exportCapture(
      context_.view.capture()->info.id, *format, path, from_s, to_s,
      [this, path, format](const formats::Exported& written) {
        QString words =
            tr("%L1 %2 saved: %3").arg(written.rows).arg(qs(std::string(format->holds)), path);
        QStringList left_out;
        for (const std::string& name : written.left_out) left_out << qs(name);
        if (!left_out.isEmpty())
          words +=
              tr(". Left out, sampled at other times: %1").arg(left_out.join(QStringLiteral(", ")));
        emit messageReported(Message::done(words));
      });
}

}  // namespace kuvio::app
