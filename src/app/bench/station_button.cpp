// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/station_button.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"

#include <QPainter>

#include <algorithm>

namespace kuvio::app {
namespace {

constexpr PxF kTwoLines{34};  // px: a title and what it reads
constexpr Px kLeastName{62};  // px

/// Of several readings as many as there is room for; the last one is cut only if it is alone.
QString fitted(QString text, const QFontMetrics& metrics, int room) {
  const QString between = QStringLiteral(" · ");
  while (metrics.horizontalAdvance(text) > room && text.contains(between))
    text.truncate(text.lastIndexOf(between));
  return metrics.elidedText(text, Qt::ElideRight, room);
}

}  // namespace

StationButton::StationButton(bool one_row, QWidget* parent)
    : QPushButton(parent), one_row_(one_row) {
  setFlat(true);
  setCursor(Qt::PointingHandCursor);
  setFocusPolicy(Qt::StrongFocus);
  setAutoDefault(true);  // Enter opens it, as Space does
}

void StationButton::show(const Station& station, bool open) {
  const bool same = open == open_ && station.title == station_.title &&
                    station.reading == station_.reading && station.warning == station_.warning;
  station_ = station;
  open_ = open;
  if (same) return;
  setAccessibleName(station.title + (station.reading.isEmpty() ? QString() : QStringLiteral(": ")) +
                    station.reading);
  setAccessibleDescription(station.warning);
  QStringList whole{station.title, station.reading, station.warning};
  whole.removeAll(QString());
  setToolTip(whole.join(QLatin1Char('\n')));
  update();
}

void StationButton::setOneRow(bool one_row) {
  one_row_ = one_row;
  update();
}

int StationButton::wanted() const {
  const QFontMetrics title(Theme::baseFont(13, QFont::DemiBold)), small(Theme::baseFont(12));
  const int t = title.horizontalAdvance(station_.title);
  const QString below = station_.warning.isEmpty()
                            ? station_.reading
                            : station_.reading + QStringLiteral("  ▲ ") + station_.warning;
  const int r = small.horizontalAdvance(below);
  return (one_row_ ? t + (below.isEmpty() ? 0 : r + Px{10}) : std::max(t, r)) + Px{20};
}

void StationButton::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const Theme& t = Theme::current();
  const QRectF box = QRectF(rect()).adjusted(0.75, 0.75, -0.75, -0.75);
  const bool add = station_.kind == Station::Kind::add;
  painter.setPen(QPen(hasFocus() ? t.focus()
                      : open_    ? t.text()
                                 : t.border(),
                      hasFocus() || open_ ? 1.6 : 1, add ? Qt::DashLine : Qt::SolidLine));
  painter.setBrush(open_ || underMouse() ? t.wash() : t.ground());
  painter.drawRoundedRect(box, 3, 3);
  QRectF text = box.adjusted(PxF{9}, 3, -PxF{7}, -3);
  if (!one_row_ && text.height() > kTwoLines)  // of several rows: both lines together
    text = QRectF(text.left(), text.center().y() - kTwoLines / 2, text.width(), kTwoLines);
  const QFont bold = Theme::baseFont(13, QFont::DemiBold), plain = Theme::baseFont(12);
  painter.setFont(one_row_ ? Theme::baseFont(12, QFont::DemiBold) : bold);
  painter.setPen(t.text());
  const QFontMetrics metrics(painter.font());
  // Where there is little room a name is cut, never a number.
  int room = static_cast<int>(text.width());
  if (one_row_ && !station_.reading.isEmpty())
    room = std::max(std::min(room, int{kLeastName}),
                    room - 8 - QFontMetrics(plain).horizontalAdvance(station_.reading));
  const QString title = metrics.elidedText(station_.title, Qt::ElideRight, room);
  painter.drawText(text, (one_row_ ? Qt::AlignVCenter : Qt::AlignTop) | Qt::AlignLeft, title);
  QRectF below = text;
  if (one_row_) below.setLeft(text.left() + metrics.horizontalAdvance(title) + 8);
  painter.setFont(plain);
  const QFontMetrics small(plain);
  const Qt::Alignment where = (one_row_ ? Qt::AlignVCenter : Qt::AlignBottom) | Qt::AlignLeft;
  painter.setPen(t.muted());
  const QString reading = fitted(station_.reading, small, static_cast<int>(below.width()));
  painter.drawText(below, where, reading);
  if (station_.warning.isEmpty()) return;
  below.setLeft(below.left() + small.horizontalAdvance(reading) + (reading.isEmpty() ? 0 : 8));
  painter.setPen(t.accent());
  painter.drawText(below, where,
                   small.elidedText(QStringLiteral("▲ ") + station_.warning, Qt::ElideRight,
                                    static_cast<int>(below.width())));
}

}  // namespace kuvio::app
