// SPDX-License-Identifier: GPL-3.0-or-later
// What is seen on the Trace desk as a picture, and samples as text.

#include "app/engine/text.h"
#include "app/style/theme.h"
#include "app/trace/trace_desk.h"
#include "app/trace/trace_picture.h"

#include <QFileDialog>

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

}  // namespace

void TraceDesk::exportPicture() {
  if (!c_.view.capture()) return;
  const QString name = qs(c_.view.capture()->info.name);
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
    names << qs(c->info.name) +
                 (c->info.build.empty() ? QString() : tr(", build %1").arg(qs(c->info.build)));
  QStringList foot;
  for (const FootPart& part : this->foot()) foot << part.text;
  c_.view.setPointer(std::nullopt);
  const QByteArray bytes =
      picture_of_traces(path, *lanes_, fan_->isVisible() ? fan_ : nullptr,
                        names.join(QStringLiteral(" · ")), foot.join(QStringLiteral("   ")));
  if (bytes.isEmpty()) {
    emit messageReported(
        tr("“%1”: picture files must end in .pdf, .svg or .png. Nothing was written.")
            .arg(file_name(path)));
    return;
  }
  c_.session.writeFile(path, bytes.toStdString(),
                       [this, path] { emit messageReported(tr("Picture saved: %1").arg(path)); });
}

void TraceDesk::exportSamples() {
  if (!c_.view.capture()) return;
  const auto [from, to] = c_.view.span().value_or(std::pair(c_.view.from(), c_.view.to()));
  auto* dialog = ask_for_file(
      this, c_.view.span() ? tr("Export the span's samples") : tr("Export samples in view"),
      qs(c_.view.capture()->info.name) + QStringLiteral(".csv"), {tr("Text table (*.csv)")});
  connect(dialog, &QFileDialog::fileSelected, this,
          [this, a = from, b = to](const QString& path) { saveSamples(path, a, b); });
  dialog->show();
}

void TraceDesk::saveSamples(const QString& path, double from_s, double to_s) {
  c_.session.exportSamples(
      c_.view.capture()->info.id, path, from_s, to_s, [this, path](const WrittenSamples& written) {
        QString words = tr("%L1 samples saved: %2").arg(written.rows).arg(path);
        if (!written.left_out.isEmpty())
          words += tr(". Left out, sampled at other times: %1")
                       .arg(written.left_out.join(QStringLiteral(", ")));
        emit messageReported(words);
      });
}

}  // namespace kuvio::app
