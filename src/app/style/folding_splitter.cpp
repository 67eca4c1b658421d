// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/folding_splitter.h"

#include "app/style/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <utility>

namespace kuvio::app {
namespace {

constexpr int kWide = 9, kGrip = 44;

/// A hair line with a grip in the middle that points to where a click sends the side part.
class Handle : public QSplitterHandle {
public:
  Handle(FoldingSplitter* splitter)
      : QSplitterHandle(Qt::Horizontal, splitter), splitter_(splitter) {
    setObjectName(QStringLiteral("sideHandle"));
    setAttribute(Qt::WA_Hover);
  }

  /// Whatever width a saved layout of before had.
  QSize sizeHint() const override { return {kWide, kGrip}; }

protected:
  void paintEvent(QPaintEvent*) override {
    QPainter painter(this);
    const Theme& t = Theme::current();
    const double x = width() / 2.0, y = height() / 2.0;
    painter.fillRect(QRectF(x - 0.5, 0, 1, height()), t.border());
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(t.border(), 1));
    painter.setBrush(underMouse() ? t.wash() : t.ground());
    painter.drawRoundedRect(QRectF(0.5, y - kGrip / 2.0, width() - 1, kGrip), 3, 3);
    painter.setPen(QPen(underMouse() ? t.text() : t.muted(), 1.4));
    const double d = splitter_->isSideOpen() ? 1.5 : -1.5;
    painter.drawPolyline(QPolygonF{{x - d, y - 4}, {x + d, y}, {x - d, y + 4}});
  }
  void mousePressEvent(QMouseEvent* event) override {
    pressed_ = event->position().x();
    dragged_ = false;
    QSplitterHandle::mousePressEvent(event);
  }
  void mouseMoveEvent(QMouseEvent* event) override {
    dragged_ |= std::abs(event->position().x() - pressed_) > 3;
    if (dragged_) QSplitterHandle::mouseMoveEvent(event);
  }
  void mouseReleaseEvent(QMouseEvent* event) override {
    QSplitterHandle::mouseReleaseEvent(event);
    if (!dragged_ && event->button() == Qt::LeftButton)
      splitter_->setSideOpen(!splitter_->isSideOpen());
  }

private:
  FoldingSplitter* splitter_;
  double pressed_ = 0;
  bool dragged_ = false;
};

}  // namespace

FoldingSplitter::FoldingSplitter(int side, int least, QWidget* parent)
    : QSplitter(Qt::Horizontal, parent), side_(side), least_(least) {
  setHandleWidth(kWide);
}

QSplitterHandle* FoldingSplitter::createHandle() { return new Handle(this); }

void FoldingSplitter::setHint(const QString& hint) {
  for (int i = 0; i < count(); ++i) handle(i)->setToolTip(hint);
}

bool FoldingSplitter::isSideOpen() const { return count() > 1 && sizes().at(1) > 0; }

void FoldingSplitter::fold(bool open) {
  if (count() < 2 || isSideOpen() == open) return;
  const QList<int> now = sizes();
  const int all = now[0] + now[1];
  setSizes({open ? std::max(1, all - side_) : all, open ? side_ : 0});
  for (int i = 0; i < count(); ++i) handle(i)->update();
}

void FoldingSplitter::setSideOpen(bool open) {
  by_itself_ = false;
  fold(open);
}

QByteArray FoldingSplitter::saveParts() const {
  if (!by_itself_ || count() < 2) return saveState();
  FoldingSplitter open(side_, least_, nullptr);  // as it is with room
  open.addWidget(new QWidget);
  open.addWidget(new QWidget);
  open.resize(std::max(width(), least_), 1);
  open.setSizes({open.width() - side_, side_});
  return open.saveState();
}

void FoldingSplitter::resizeEvent(QResizeEvent* event) {
  QSplitter::resizeEvent(event);
  const bool narrow = width() < least_;
  if (narrow && !narrow_ && isSideOpen()) {
    fold(false);
    by_itself_ = true;
  } else if (!narrow && narrow_ && std::exchange(by_itself_, false)) {
    fold(true);
  }
  narrow_ = narrow;
}

}  // namespace kuvio::app
