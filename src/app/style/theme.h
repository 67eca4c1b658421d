// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "formats/palette.h"

#include <QColor>
#include <QFont>
#include <QPainter>
#include <QString>
#include <QWidget>

#include <map>
#include <string>

namespace kuvio::app {

/// Colours and type of the interface: *paper* by day, *night* in the dark.
class Theme {
public:
  enum class Kind { paper, night };

  explicit Theme(Kind kind)
      : kind_(kind), p_(kind == Kind::paper ? formats::kPaper : formats::kNight) {}

  /// The theme in force. Set with `apply`; the widgets read it as they paint.
  static const Theme& current();
  /// Puts a theme in force for the whole application: style, palette, font.
  static void apply(Kind kind);

  Kind kind() const { return kind_; }
  QColor ground() const { return QColor(p_.ground); }
  QColor text() const { return QColor(p_.text); }
  QColor ruling() const { return QColor(p_.ruling); }
  QColor rulingTenth() const { return QColor(p_.ruling_tenth); }
  QColor muted() const { return QColor(p_.muted); }
  QColor border() const { return QColor(p_.border); }
  QColor focus() const { return QColor(p_.focus); }
  QColor accent() const { return QColor(p_.accent); }
  QColor ink(std::size_t build) const { return QColor(p_.inks[build % p_.inks.size()]); }
  /// A brush for a state: its fill, a hatch for Unassigned, a cross-hatch for Missing, the ground
  /// for Off.
  QBrush fill(const std::string& state, const std::map<std::string, std::size_t>& fills) const;
  /// What is written on a fill: text or ground, whichever is read better.
  QColor on(const QBrush& fill) const;
  /// A quiet wash over what is selected or pointed at.
  QColor wash() const;

  /// `designed`: in pixels; the font is as large as text is wanted (pixels.h).
  static QFont baseFont(int designed = 13, QFont::Weight weight = QFont::Normal);

private:
  Kind kind_;
  formats::Palette p_;
};

/// Writes a number right-aligned with every digit as wide as the widest, since Inter's own digits
/// are proportional.
void paintFigures(QPainter& painter, const QRectF& box, const QString& text);
/// Width of such a text.
qreal figuresWidth(const QFontMetricsF& metrics, const QString& text);

}  // namespace kuvio::app
