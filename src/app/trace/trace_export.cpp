// SPDX-License-Identifier: GPL-3.0-or-later
// What is seen on the Trace desk as a picture, and samples as text.

#include "app/look/theme.h"
#include "app/trace/trace_desk.h"
#include "app/trace/trace_picture.h"
#include "book/channel_trace.h"
#include "formats/samples_csv.h"

#include <QFileDialog>

namespace kuvio::app {
namespace {

QString q(const std::string& text) { return QString::fromStdString(text); }

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

}  // namespace

void TraceDesk::exportPicture() {
  if (!c_.view.capture()) return;
  const QString name = q(c_.view.capture()->info.name);
  auto* dialog = ask_for_file(this, tr("Export picture"), name + QStringLiteral(".pdf"),
                              {tr("PDF (*.pdf)"), tr("SVG (*.svg)"), tr("PNG (*.png)")});
  connect(dialog, &QFileDialog::filterSelected, dialog, [dialog, name](const QString& filter) {
    const QString suffix = filter.section(QStringLiteral("*."), 1, 1).chopped(1);
    dialog->selectFile(name + QLatin1Char('.') + suffix);
  });
  connect(dialog, &QFileDialog::fileSelected, this,
          [this](const QString& path) { savePicture(path); });
  dialog->show();
}

void TraceDesk::savePicture(const QString& path) {
  if (!c_.view.capture()) return;
  QStringList names;
  for (const CaptureViewPtr& c : c_.view.shown()->captures)
    names << q(c->info.name) +
                 (c->info.build.empty() ? QString() : tr(", build %1").arg(q(c->info.build)));
  QStringList foot;
  for (const FootPart& part : this->foot()) foot << part.text;
  c_.view.setPointer(std::nullopt);
  const QString trouble =
      save_traces(path, *lanes_, fan_->isVisible() ? fan_ : nullptr,
                  names.join(QStringLiteral(" · ")), foot.join(QStringLiteral("   ")));
  emit told(trouble.isEmpty() ? tr("Picture saved: %1").arg(path) : trouble);
}

void TraceDesk::exportSamples() {
  if (!c_.view.capture()) return;
  const auto [from, to] = c_.view.span().value_or(std::pair(c_.view.from(), c_.view.to()));
  auto* dialog = ask_for_file(
      this,
      c_.view.span() ? tr("Export the span's samples") : tr("Export the samples that are seen"),
      q(c_.view.capture()->info.name) + QStringLiteral(".csv"), {tr("Text table (*.csv)")});
  connect(dialog, &QFileDialog::fileSelected, this,
          [this, a = from, b = to](const QString& path) { saveSamples(path, a, b); });
  dialog->show();
}

void TraceDesk::saveSamples(const QString& path, double from_s, double to_s) {
  const std::int64_t id = c_.view.capture()->info.id;
  c_.session.withFiles(
      [this, book_path = c_.session.path().toStdString(), id, from_s, to_s,
       path](const std::stop_token& stop) -> std::function<void()> {
        const book::Book book = book::Book::open(book_path, book::Book::Mode::read);
        const book::CaptureInfo info = book.capture(id);
        std::vector<std::unique_ptr<book::ChannelTrace>> traces;
        std::vector<formats::SampleColumn> columns;
        const book::ChannelInfo& main = book::main_current(info, book_path);
        const auto add = [&](const book::ChannelInfo& c) {
          traces.push_back(std::make_unique<book::ChannelTrace>(book, c));
          columns.push_back({c.name, c.unit, traces.back().get(),
                             c.encoding == book::Encoding::f4 && c.calibration.identity()});
        };
        add(main);
        for (const book::ChannelInfo& c : info.channels) {
          if (c.id != main.id && c.samples > 0) add(c);
        }
        const auto written =
            formats::write_samples_csv(path.toStdString(), columns, from_s, to_s,
                                       [&](double) { return !stop.stop_requested(); });
        if (written.columns.empty()) return {};
        QString words = tr("%L1 samples saved: %2").arg(written.rows).arg(path);
        if (!written.left_out.empty()) {
          QStringList left;
          for (const std::string& name : written.left_out) left << q(name);
          words += tr(". On other moments, and left out: %1").arg(left.join(QStringLiteral(", ")));
        }
        return [this, words] { emit told(words); };
      },
      tr("Writing samples"));
}

}  // namespace kuvio::app
