// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/foot_line.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

namespace kuvio::app {
namespace {
constexpr double kApart = 14, kDots = 14;
}

FootLine::FootLine(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("readOut"));
  setAccessibleName(tr("Read-out"));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
  setMinimumHeight(Px{24});
}

void FootLine::setParts(std::vector<FootPart> parts) {
  if (parts.size() != parts_.size()) widths_.clear();
  parts_ = std::move(parts);
  widths_.resize(parts_.size(), 0);
  const QFontMetricsF metrics(Theme::baseFont(13));
  double sum = 0;
  for (std::size_t i = 0; i < parts_.size(); ++i) {
    const double own = figuresWidth(metrics, parts_[i].text);
    // A place grows with its text and falls back only when the text has become much shorter.
    widths_[i] = own > widths_[i] || own < 0.75 * widths_[i] ? own : widths_[i];
    sum += widths_[i] + kApart;
  }
  if (sum > width()) std::fill(widths_.begin(), widths_.end(), 0.0);
  setAccessibleDescription(text());
  update();
}

QString FootLine::text() const {
  QStringList out;
  for (const FootPart& p : parts_) out << p.text;
  return out.join(QStringLiteral("  "));
}

void FootLine::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.setFont(Theme::baseFont(13));
  painter.setPen(Theme::current().text());
  const QFontMetricsF metrics(painter.font());
  double x = 0;
  for (std::size_t i = 0; i < parts_.size(); ++i) {
    const double own = figuresWidth(metrics, parts_[i].text);
    if (i > 0 && x + own > width()) {  // the rest is in the tool tip and in the copy
      painter.setPen(Theme::current().muted());
      painter.drawText(QPointF(std::min(x, width() - kDots), height() / 2.0 + 4),
                       QStringLiteral("…"));
      break;
    }
    paintFigures(painter, QRectF(x, 0, own, height()), parts_[i].text);
    x += std::max(own, widths_[i]) + kApart;
  }
}

bool FootLine::event(QEvent* event) {
  if (event->type() == QEvent::ToolTip) {
    const auto* help = static_cast<QHelpEvent*>(event);
    const QFontMetricsF metrics(Theme::baseFont(13));
    double x = 0;
    for (std::size_t i = 0; i < parts_.size(); ++i) {
      const double own = figuresWidth(metrics, parts_[i].text);
      x += std::max(own, widths_[i]) + kApart;
      if (help->pos().x() < x) {
        QToolTip::showText(help->globalPos(), parts_[i].how, this);
        return true;
      }
    }
    QToolTip::showText(help->globalPos(), text(), this);
    return true;
  }
  return QWidget::event(event);
}

void FootLine::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  connect(menu.addAction(tr("Copy as text")), &QAction::triggered, this,
          [this] { QApplication::clipboard()->setText(text()); });
  menu.exec(event->globalPos());
}

}  // namespace kuvio::app
