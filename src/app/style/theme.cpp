// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/theme.h"

#include "app/style/notebook_style.h"
#include "app/style/pixels.h"
#include "app/style/plain_text.h"

#include <QApplication>
#include <QFontDatabase>
#include <QPalette>

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace kuvio::app {
namespace {

Theme& inForce() {
  static Theme theme(Theme::Kind::paper);
  return theme;
}

QBrush hatch(const QColor& line, Qt::BrushStyle style) { return QBrush(line, style); }

qreal digitWidth(const QFontMetricsF& metrics) {
  qreal widest = 0;
  for (char c = '0'; c <= '9'; ++c)
    widest = std::max(widest, metrics.horizontalAdvance(QLatin1Char(c)));
  return widest;
}

}  // namespace

const Theme& Theme::current() { return inForce(); }

QFont Theme::baseFont(int designed, QFont::Weight weight) {
  // Painters ask many times a frame, and one that is kept has its shapes at hand. Never let go of:
  // there is no application any more when what is static goes.
  static auto& made = *new std::map<std::pair<int, int>, QFont>;
  const int pixels = Px{designed};
  const auto known = made.find({pixels, weight});
  if (known != made.end()) return known->second;
  QFont font(QFontDatabase::hasFamily(QStringLiteral("Inter")) ? QStringLiteral("Inter")
                                                               : QApplication::font().family());
  font.setPixelSize(pixels);
  font.setWeight(weight);
  return made.emplace(std::pair{pixels, int{weight}}, font).first->second;
}

void Theme::apply(Kind kind) {
  PlainText::insist();
  inForce() = Theme(kind);
  const Theme& t = inForce();
  if (!qobject_cast<NotebookStyle*>(QApplication::style()))
    QApplication::setStyle(new NotebookStyle);
  QPalette p;
  p.setColor(QPalette::Window, t.ground());
  p.setColor(QPalette::Base, t.ground());
  p.setColor(QPalette::AlternateBase, t.ground());
  p.setColor(QPalette::Button, t.ground());
  p.setColor(QPalette::ToolTipBase, t.ground());
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText,
                          QPalette::ToolTipText, QPalette::HighlightedText, QPalette::BrightText}) {
    p.setColor(role, t.text());
  }
  p.setColor(QPalette::PlaceholderText, t.muted());
  p.setColor(QPalette::Highlight, t.wash());
  p.setColor(QPalette::Link, t.focus());
  p.setColor(QPalette::Mid, t.border());
  p.setColor(QPalette::Midlight, t.rulingTenth());
  p.setColor(QPalette::Dark, t.border());
  p.setColor(QPalette::Light, t.ruling());
  for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText}) {
    p.setColor(QPalette::Disabled, role, t.muted());
  }
  QApplication::setPalette(p);
  QApplication::setFont(baseFont());
}

QColor Theme::wash() const { return kind_ == Kind::paper ? QColor("#E1E5E0") : QColor("#2B343A"); }

QBrush Theme::fill(const std::string& state,
                   const std::map<std::string, std::size_t>& fills) const {
  if (state == "Unassigned") return hatch(border(), Qt::BDiagPattern);
  if (state == "Missing") return hatch(border(), Qt::DiagCrossPattern);
  if (state == "Off") return ground();
  const auto it = fills.find(state);
  return QColor(p_.fills[(it == fills.end() ? 0 : it->second) % p_.fills.size()]);
}

QColor Theme::on(const QBrush& fill) const {
  // Relative luminance (WCAG 2.1).
  const auto luminance = [](const QColor& c) {
    const auto linear = [](double v) {
      return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
  };
  const auto contrast = [&](const QColor& a, const QColor& b) {
    const auto [low, high] = std::minmax({luminance(a), luminance(b)});
    return (high + 0.05) / (low + 0.05);
  };
  if (fill.style() != Qt::SolidPattern) return text();
  return contrast(text(), fill.color()) >= contrast(ground(), fill.color()) ? text() : ground();
}

qreal figuresWidth(const QFontMetricsF& metrics, const QString& text) {
  const qreal digit = digitWidth(metrics);
  qreal width = 0;
  for (const QChar c : text) width += c.isDigit() ? digit : metrics.horizontalAdvance(c);
  return width;
}

void paintFigures(QPainter& painter, const QRectF& box, const QString& text) {
  const QFontMetricsF metrics(painter.font());
  const qreal digit = digitWidth(metrics);
  qreal x = box.right() - figuresWidth(metrics, text);
  const qreal y = box.center().y() + (metrics.ascent() - metrics.descent()) / 2;
  for (const QChar c : text) {
    const qreal own = metrics.horizontalAdvance(c), advance = c.isDigit() ? digit : own;
    painter.drawText(QPointF(x + (advance - own) / 2, y), QString(c));
    x += advance;
  }
}

}  // namespace kuvio::app
