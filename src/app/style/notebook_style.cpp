// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/notebook_style.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"

#include <QAbstractSpinBox>
#include <QComboBox>
#include <QDialog>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QStyleFactory>
#include <QStyleOption>

namespace kuvio::app {

namespace {
/// The frame of a field: clear in both themes, a ring where the keyboard is.
void frame(QPainter* painter, const QRect& rect, bool focus) {
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  painter->setPen(
      QPen(focus ? Theme::current().focus() : Theme::current().border(), focus ? 1.6 : 1));
  painter->setBrush(Qt::NoBrush);
  painter->drawRoundedRect(QRectF(rect).adjusted(0.8, 0.8, -0.8, -0.8), 3, 3);
  painter->restore();
}

/// Whether it is a blank of a sentence: words with a rule under them, no frame.
bool is_blank(const QWidget* widget) { return widget && widget->property("blank").toBool(); }

/// The line of a spin box or a combo box, which draw their own frames.
bool inside_another(const QWidget* widget) {
  const QWidget* parent = widget ? widget->parentWidget() : nullptr;
  return qobject_cast<const QAbstractSpinBox*>(parent) || qobject_cast<const QComboBox*>(parent);
}
}  // namespace

NotebookStyle::NotebookStyle() : QProxyStyle(QStyleFactory::create(QStringLiteral("Fusion"))) {}

void NotebookStyle::polish(QWidget* widget) {
  QProxyStyle::polish(widget);
  auto* pressed = qobject_cast<QPushButton*>(widget);
  if (pressed && !qobject_cast<QDialog*>(pressed->window())) pressed->setAutoDefault(true);
}

void NotebookStyle::drawPrimitive(PrimitiveElement element, const QStyleOption* option,
                                  QPainter* painter, const QWidget* widget) const {
  const Theme& t = Theme::current();
  if (element == PE_FrameFocusRect) {
    if (qobject_cast<const QPushButton*>(widget)) return;  // the bevel has it
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    painter->setPen(QPen(t.focus(), 1.5));
    painter->setBrush(Qt::NoBrush);
    painter->drawRoundedRect(QRectF(option->rect).adjusted(0.75, 0.75, -0.75, -0.75), 3, 3);
    painter->restore();
    return;
  }
  if (element == PE_IndicatorCheckBox || element == PE_IndicatorRadioButton) {
    const bool on = option->state & State_On, can = option->state & State_Enabled;
    const QRectF box = QRectF(option->rect).adjusted(1, 1, -1, -1);
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    painter->setPen(QPen(on && can ? t.ink(0) : t.border(), 1.2));
    painter->setBrush(on ? QBrush(can ? t.ink(0) : t.border()) : QBrush(t.ground()));
    if (element == PE_IndicatorCheckBox) {
      painter->drawRoundedRect(box, 3, 3);
      painter->setPen(QPen(t.ground(), 1.8));
      const double w = box.width(), h = box.height();
      if (on)
        painter->drawPolyline(QPolygonF({box.topLeft() + QPointF(0.22 * w, 0.52 * h),
                                         box.topLeft() + QPointF(0.42 * w, 0.72 * h),
                                         box.topLeft() + QPointF(0.78 * w, 0.3 * h)}));
    } else {
      painter->drawEllipse(box);
      painter->setPen(Qt::NoPen);
      painter->setBrush(t.ground());
      if (on) painter->drawEllipse(box.center(), box.width() * 0.2, box.height() * 0.2);
    }
    painter->restore();
    return;
  }
  if ((element == PE_PanelLineEdit || element == PE_FrameLineEdit) && inside_another(widget))
    return;
  if (element == PE_PanelLineEdit || element == PE_FrameLineEdit) {
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    const bool focus = option->state & State_HasFocus;
    painter->setPen(QPen(focus ? t.focus() : t.border(), focus ? 1.6 : 1));
    if (is_blank(widget) && !focus) {  // of a sentence: a rule under the words
      const QRectF box = option->rect;
      painter->drawLine(
          QLineF(box.left() + 3, box.bottom() - 2, box.right() - 3, box.bottom() - 2));
      painter->restore();
      return;
    }
    painter->setBrush(element == PE_PanelLineEdit ? QBrush(t.ground()) : QBrush(Qt::NoBrush));
    painter->drawRoundedRect(QRectF(option->rect).adjusted(0.8, 0.8, -0.8, -0.8), 3, 3);
    painter->restore();
    return;
  }
  QProxyStyle::drawPrimitive(element, option, painter, widget);
}

void NotebookStyle::drawControl(ControlElement element, const QStyleOption* option,
                                QPainter* painter, const QWidget* widget) const {
  const Theme& t = Theme::current();
  if (element == CE_PushButtonBevel) {
    const auto* b = qstyleoption_cast<const QStyleOptionButton*>(option);
    const bool primary = widget && widget->property("primary").toBool();
    const bool flat = b && (b->features & QStyleOptionButton::Flat);
    const bool down = option->state & (State_Sunken | State_On);
    const bool on = option->state & State_Enabled;
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    const QRectF box = QRectF(option->rect).adjusted(0.75, 0.75, -0.75, -0.75);
    QColor fill = primary && on ? t.ink(0) : t.ground();
    if (down) fill = primary ? t.ink(0).darker(120) : t.wash();
    if ((option->state & State_MouseOver) && on && !down)
      fill = primary ? t.ink(0).lighter(112) : t.wash();
    painter->setPen(flat ? QPen(Qt::NoPen) : QPen(primary && on ? fill : t.border(), 1));
    painter->setBrush(flat && !(option->state & State_MouseOver) && !down ? QBrush(Qt::NoBrush)
                                                                          : QBrush(fill));
    painter->drawRoundedRect(box, 4, 4);
    if (option->state & State_HasFocus) {  // however the keyboard came here
      painter->setPen(QPen(primary ? t.ground() : t.focus(), 1.5));
      painter->setBrush(Qt::NoBrush);
      painter->drawRoundedRect(box.adjusted(2, 2, -2, -2), 3, 3);
    }
    if (b && (b->features & QStyleOptionButton::HasMenu)) {
      const QPointF at(box.right() - 12, box.center().y());
      painter->setPen(QPen(t.muted(), 1.4));
      painter->drawPolyline(
          QPolygonF({at + QPointF(-3.5, -1.5), at + QPointF(0, 2), at + QPointF(3.5, -1.5)}));
    }
    painter->restore();
    return;
  }
  if (element == CE_ShapedFrame) {
    QProxyStyle::drawControl(element, option, painter, widget);
    if (qobject_cast<const QPlainTextEdit*>(widget))
      frame(painter, option->rect, widget->hasFocus());
    return;
  }
  if (element == CE_TabBarTabShape) return;
  if (element == CE_TabBarTabLabel) {
    const auto* tab = qstyleoption_cast<const QStyleOptionTab*>(option);
    const bool on = option->state & State_Selected;
    painter->save();
    painter->setRenderHint(QPainter::Antialiasing);
    painter->setFont(Theme::baseFont(13, on ? QFont::DemiBold : QFont::Normal));
    painter->setPen(on ? t.text() : t.muted());
    painter->drawText(option->rect, Qt::AlignCenter, tab->text);
    if (on)
      painter->fillRect(
          QRectF(option->rect.left() + 10, option->rect.bottom() - 3, option->rect.width() - 20, 2),
          t.accent());
    if (option->state & State_HasFocus) {
      painter->setPen(QPen(t.focus(), 1.5));
      painter->drawRoundedRect(QRectF(option->rect).adjusted(3, 3, -3, -3), 4, 4);
    }
    painter->restore();
    return;
  }
  if (element == CE_PushButtonLabel && widget && widget->property("primary").toBool() &&
      (option->state & State_Enabled)) {
    QStyleOptionButton copy = *qstyleoption_cast<const QStyleOptionButton*>(option);
    copy.palette.setColor(QPalette::ButtonText, t.ground());
    QProxyStyle::drawControl(element, &copy, painter, widget);
    return;
  }
  QProxyStyle::drawControl(element, option, painter, widget);
}

void NotebookStyle::drawComplexControl(ComplexControl control, const QStyleOptionComplex* option,
                                       QPainter* painter, const QWidget* widget) const {
  const auto* combo = qstyleoption_cast<const QStyleOptionComboBox*>(option);
  if (combo && is_blank(widget)) {
    QStyleOptionComboBox bare = *combo;
    bare.frame = false;
    QProxyStyle::drawComplexControl(control, &bare, painter, widget);
  } else {
    QProxyStyle::drawComplexControl(control, option, painter, widget);
  }
  const bool box = control == CC_ComboBox || control == CC_SpinBox;
  // An editable box gives the keyboard to the line inside it.
  const bool focus = (option->state & State_HasFocus) ||
                     (widget && widget->focusProxy() && widget->focusProxy()->hasFocus());
  if (box && is_blank(widget) && !focus) {
    painter->setPen(QPen(Theme::current().border(), 1));
    const QRect r = option->rect;
    painter->drawLine(r.left() + 3, r.bottom() - 2, r.right() - 3, r.bottom() - 2);
  } else if (box) {
    frame(painter, option->rect, focus);
  }
}

int NotebookStyle::pixelMetric(PixelMetric metric, const QStyleOption* option,
                               const QWidget* widget) const {
  if (metric == PM_ButtonMargin) return Px{14};
  if (metric == PM_ButtonShiftHorizontal || metric == PM_ButtonShiftVertical) return 0;
  if (metric == PM_ScrollBarExtent) return 12;
  const int usual = QProxyStyle::pixelMetric(metric, option, widget);
  switch (metric) {  // what stands beside text is as large
    case PM_IndicatorWidth:
    case PM_IndicatorHeight:
    case PM_ExclusiveIndicatorWidth:
    case PM_ExclusiveIndicatorHeight:
    case PM_SmallIconSize:
      return Px{usual};
    default:
      return usual;
  }
}

QRect NotebookStyle::subElementRect(SubElement element, const QStyleOption* option,
                                    const QWidget* widget) const {
  const QRect box = QProxyStyle::subElementRect(element, option, widget);
  return element == SE_LineEditContents && !inside_another(widget) ? box.adjusted(4, 0, -4, 0)
                                                                   : box;
}

int NotebookStyle::styleHint(StyleHint hint, const QStyleOption* option, const QWidget* widget,
                             QStyleHintReturn* data) const {
  if (hint == SH_UnderlineShortcut) return 1;
  if (hint == SH_DialogButtonBox_ButtonsHaveIcons) return 0;
  return QProxyStyle::styleHint(hint, option, widget, data);
}

QSize NotebookStyle::sizeFromContents(ContentsType type, const QStyleOption* option,
                                      const QSize& size, const QWidget* widget) const {
  if (const auto* tab = qstyleoption_cast<const QStyleOptionTab*>(option);
      tab && type == CT_TabBarTab) {
    const QFontMetrics metrics(Theme::baseFont(13, QFont::DemiBold));
    return {metrics.horizontalAdvance(tab->text) + 15, metrics.height() + 12};
  }
  return QProxyStyle::sizeFromContents(type, option, size, widget);
}

}  // namespace kuvio::app
