// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/sentence.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"

#include <QPainter>

#include <algorithm>

namespace kuvio::app {

SentenceLayout::SentenceLayout(QWidget* parent) : QLayout(parent) {
  setContentsMargins(0, 0, 0, 0);
  setSpacing(6);
}

SentenceLayout::~SentenceLayout() {
  for (QLayoutItem* item : items_) delete item;
}

void SentenceLayout::insertWidget(int at, QWidget* widget) {
  addChildWidget(widget);
  items_.insert(items_.begin() + at, new QWidgetItem(widget));
  invalidate();
}

QLayoutItem* SentenceLayout::itemAt(int i) const {
  return i >= 0 && i < count() ? items_[static_cast<std::size_t>(i)] : nullptr;
}

QLayoutItem* SentenceLayout::takeAt(int i) {
  QLayoutItem* out = itemAt(i);
  if (out) items_.erase(items_.begin() + i);
  return out;
}

QSize SentenceLayout::sizeHint() const { return {600, flow({0, 0, 600, 0}, false)}; }

QSize SentenceLayout::minimumSize() const {
  QSize out;
  for (const QLayoutItem* item : items_) {
    if (!item->isEmpty()) out = out.expandedTo(item->minimumSize());
  }
  return out;
}

void SentenceLayout::setGeometry(const QRect& box) {
  QLayout::setGeometry(box);
  flow(box, true);
}

bool SentenceLayout::endsRow(const QLayoutItem* item) const {
  // A phrase holds its blank.
  return blank_to_row_ && (item->widget()->property("blank").toBool() || item->widget()->layout());
}

/// A row is as high as its highest word, and the words stand on its middle.
int SentenceLayout::flow(const QRect& box, bool place) const {
  int y = box.y();
  for (std::size_t first = 0; first < items_.size();) {
    int x = box.x(), high = 0;
    std::size_t end = first;
    for (; end < items_.size(); ++end) {
      if (items_[end]->isEmpty()) continue;
      const QSize size = items_[end]->sizeHint();
      if (x > box.x() && x + size.width() > box.x() + box.width()) break;
      x += size.width() + spacing();
      high = std::max(high, size.height());
      if (endsRow(items_[end])) {
        ++end;
        break;
      }
    }
    if (place) {
      int at = box.x();
      for (std::size_t i = first; i < end; ++i) {
        if (items_[i]->isEmpty()) continue;
        const QSize size = items_[i]->sizeHint();
        items_[i]->setGeometry({QPoint(at, y + (high - size.height()) / 2), size});
        at += size.width() + spacing();
      }
    }
    y += high + 2;
    first = end;
  }
  return std::max(0, y - box.y() - 2);
}

void fit_to_text(QLineEdit* line, int least, int most) {
  line->setProperty("blank", true);
  const auto fit = [line, least, most] {
    const QString shown = line->text().isEmpty() ? line->placeholderText() : line->text();
    line->setFixedWidth(std::clamp(line->fontMetrics().horizontalAdvance(shown) + Px{22},
                                   static_cast<int>(Px{least}), static_cast<int>(Px{most})));
  };
  QObject::connect(line, &QLineEdit::textChanged, line, fit);
  fit();
}

Blank::Blank(const QString& name, const QString& accessible, const QString& example,
             QWidget* parent)
    : QLineEdit(parent) {
  setObjectName(name);
  setAccessibleName(accessible);
  setPlaceholderText(example);
  setMinimumHeight(Px{28});
  connect(this, &QLineEdit::textEdited, this, [this] { setPencil(false); });
}

void Blank::setPencil(bool pencil) {
  if (pencil == pencil_) return;
  pencil_ = pencil;
  draw_in_pencil(this, pencil);
  update();
}

void Blank::paintEvent(QPaintEvent* event) {
  QLineEdit::paintEvent(event);
  QPainter painter(this);
  if (pencil_) underline_pencil(painter, this);
}

}  // namespace kuvio::app
