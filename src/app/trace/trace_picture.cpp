// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/trace_picture.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/trace/lanes.h"

#include <QBuffer>
#include <QImage>
#include <QPdfWriter>
#include <QSvgGenerator>

namespace kuvio::app {
namespace {

constexpr int kScale = 3, kMargin = 8;
constexpr Px kTitle{30}, kFootLine{26};

struct Sheet {
  Lanes& lanes;
  QWidget* fan;
  QString title, foot;

  QSize size() const {
    return {lanes.width() + 2 * kMargin,
            kTitle + lanes.height() + (fan ? fan->height() : 0) + kFootLine};
  }

  void paint(QPaintDevice* device, double scale) const {
    const Theme& t = Theme::current();
    QCPPainter painter;
    painter.begin(device);
    painter.scale(scale, scale);
    painter.fillRect(QRect(QPoint(0, 0), size()), t.ground());
    painter.setFont(Theme::baseFont(14, QFont::DemiBold));
    painter.setPen(t.text());
    const QRectF head(kMargin + 10, 4, size().width() - 2 * kMargin - 20, kTitle - 6);
    painter.drawText(head, Qt::AlignLeft | Qt::AlignVCenter, title);
    painter.translate(kMargin, kTitle);
    painter.save();
    painter.setMode(QCPPainter::pmNoCaching);
    painter.setMode(QCPPainter::pmVectorized);
    lanes.toPainter(&painter, lanes.width(), lanes.height());
    painter.restore();
    painter.translate(0, lanes.height());
    if (fan) {
      painter.save();
      fan->render(&painter, QPoint(0, 0), QRegion(), QWidget::DrawChildren);
      painter.restore();
      painter.translate(0, fan->height());
    }
    painter.setFont(Theme::baseFont(11));
    painter.setPen(t.muted());
    painter.drawText(QRectF(10, 4, size().width() - 2 * kMargin - 20, kFootLine - 6),
                     Qt::AlignLeft | Qt::AlignVCenter, foot);
    painter.end();
  }
};

QByteArray pdf_of(const Sheet& sheet) {
  QByteArray bytes;
  QBuffer buffer(&bytes);
  buffer.open(QIODevice::WriteOnly);
  QPdfWriter writer(&buffer);
  writer.setTitle(sheet.title);
  writer.setCreator(QStringLiteral("Kuvio"));
  // A point a pixel; lines and text have no grain of their own.
  writer.setResolution(288);
  writer.setPageMargins(QMarginsF());
  writer.setPageSize(QPageSize(QSizeF(sheet.size()) * 0.75, QPageSize::Point));
  sheet.paint(&writer, 288.0 / 96);
  return bytes;
}

QByteArray svg_of(const Sheet& sheet) {
  QByteArray bytes;
  QBuffer buffer(&bytes);
  QSvgGenerator writer;
  writer.setOutputDevice(&buffer);
  writer.setTitle(sheet.title.toHtmlEscaped());  // it writes it as it is
  writer.setSize(sheet.size());
  writer.setViewBox(QRect(QPoint(0, 0), sheet.size()));
  writer.setResolution(96);
  sheet.paint(&writer, 1);
  return bytes;
}

QByteArray png_of(const Sheet& sheet) {
  QImage image(sheet.size() * kScale, QImage::Format_RGB32);
  image.setDotsPerMeterX(static_cast<int>(96 * kScale / 0.0254));
  image.setDotsPerMeterY(static_cast<int>(96 * kScale / 0.0254));
  sheet.paint(&image, kScale);
  QByteArray bytes;
  QBuffer buffer(&bytes);
  buffer.open(QIODevice::WriteOnly);
  image.save(&buffer, "PNG");
  return bytes;
}

}  // namespace

QByteArray picture_of_traces(const QString& name, Lanes& lanes, QWidget* fan, const QString& title,
                             const QString& foot) {
  const Sheet sheet{lanes, fan, title, foot};
  if (name.endsWith(QStringLiteral(".pdf"), Qt::CaseInsensitive)) return pdf_of(sheet);
  if (name.endsWith(QStringLiteral(".svg"), Qt::CaseInsensitive)) return svg_of(sheet);
  if (name.endsWith(QStringLiteral(".png"), Qt::CaseInsensitive)) return png_of(sheet);
  return {};
}

}  // namespace kuvio::app
