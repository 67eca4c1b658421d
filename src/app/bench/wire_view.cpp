// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/bench/wire_view.h"

#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"

#include <QKeyEvent>
#include <QPainter>

#include <algorithm>
#include <set>

namespace kuvio::app {
namespace {

constexpr int kEdge = 16, kTop = 6, kGap = 22, kApart = 6;
constexpr Px kListener{26}, kDeviceLeast{150}, kSource{250};

}  // namespace

WireView::WireView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("wire"));
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

StationButton* WireView::stationButton(const Station& station) {
  StationButton*& b = stations_[station.id];
  if (!b) {
    b = new StationButton(
        station.kind == Station::Kind::listener || station.kind == Station::Kind::add, this);
    b->setObjectName(QStringLiteral("station-") + station.id);
    b->installEventFilter(this);
    connect(b, &QPushButton::clicked, this, [this, id = station.id] { emit stationPressed(id); });
    b->setVisible(true);
  }
  b->show(station, station.id == open_);
  return b;
}

QPushButton* WireView::switchOf(const WireLine& line) {
  QPushButton*& b = switches_[line.output];
  if (b) return b;
  b = button({}, QStringLiteral("switchOutput") + line.output, this);
  b->setAutoDefault(true);
  b->installEventFilter(this);
  connect(b, &QPushButton::clicked, this, [this, output = line.output] {
    for (const WireLine& now : plan_.lines) {
      if (now.output != output) continue;
      if (now.drawing == WireLine::Drawing::silent) return emit againPressed();
      return emit switchPressed(output, now.drawing == WireLine::Drawing::off);
    }
  });
  return b;
}

void WireView::showSwitch(const WireLine& line) {
  QPushButton* b = switchOf(line);
  const bool silent = line.drawing == WireLine::Drawing::silent;
  b->setVisible(silent || !line.switch_text.isEmpty());
  const QString text = silent ? tr("Try again") : line.switch_text;
  if (b->text() == text) return;
  b->setText(text);
  b->setAccessibleName(line.output.isEmpty() ? text : tr("%1, output %2").arg(text, line.output));
}

void WireView::show(const WirePlan& plan) {
  const int was = sizeHint().height();
  plan_ = plan;
  std::set<QString> stations, switches;
  const auto take = [&](const Station& s) {
    stations.insert(s.id);
    stationButton(s);
  };
  for (const WireLine& line : plan_.lines) {
    take(line.source);
    for (const Station& s : line.path) take(s);
    switches.insert(line.output);
    showSwitch(line);
  }
  take(plan_.device);
  for (const Station& s : plan_.listeners) take(s);
  std::erase_if(stations_, [&](const auto& known) {
    if (stations.count(known.first)) return false;
    known.second->deleteLater();
    return true;
  });
  std::erase_if(switches_, [&](const auto& known) {
    if (switches.count(known.first)) return false;
    known.second->deleteLater();
    return true;
  });
  setAccessibleName(plan_.inWords().join(QStringLiteral("; ")));
  place();
  if (sizeHint().height() != was) updateGeometry();
  update();
}

void WireView::setOpen(const QString& id) {
  open_ = id;
  for (const auto& [known, b] : stations_) b->show(b->station(), known == id);
}

void WireView::focusStation(const QString& id) {
  const auto it = stations_.find(id);
  if (it != stations_.end()) it->second->setFocus(Qt::OtherFocusReason);
}

int WireView::listenersTop() const {
  return kTop + static_cast<int>(plan_.lines.size()) * rowHeight() + 8;
}

QSize WireView::sizeHint() const {
  if (!is_cramped()) return {800, listenersTop() + kListener + 6};
  int rows = static_cast<int>(1 + plan_.listeners.size());
  for (const WireLine& line : plan_.lines)
    rows += static_cast<int>((says(line).isEmpty() ? 1 : 2) + line.path.size());
  return {400, kTop + rows * (kListener + kApart)};
}

void WireView::resizeEvent(QResizeEvent*) { place(); }

QRect WireView::switchBox(const WireLine& line, const QRect& after) const {
  const auto it = switches_.find(line.output);
  if (it == switches_.end() || it->second->isHidden())
    return {after.right() + kGap, after.y(), 0, 0};
  const int high = std::min<int>(Px{28}, after.height());
  return {after.right() + kGap, after.center().y() - high / 2, it->second->sizeHint().width(),
          high};
}

/// The source at the left, the device at the right, the switch beside the source; what lies in the
/// path shares what is left between.
void WireView::placeLine(int row) {
  const WireLine& line = plan_.lines[row];
  const int high = rowHeight() - 6, y = kTop + row * rowHeight();
  const int device = stations_[plan_.device.id]->x();
  StationButton* source = stations_[line.source.id];
  source->setOneRow(rowHeight() < 40);
  const int most = std::max(int{kSource}, (device - kEdge) * 56 / 100);
  source->setGeometry(kEdge, y, std::clamp(source->wanted(), 160, most), high);
  const QRect sw = switchBox(line, source->geometry());
  if (!switches_[line.output]->isHidden()) switches_[line.output]->setGeometry(sw);
  if (line.path.isEmpty()) return;
  // At the right, beside the device: what is said of the line stands left of it.
  const auto n = static_cast<int>(line.path.size());
  const int from = sw.x() + sw.width() + 2 * kGap, room = device - 2 * kGap - from;
  const int each = std::max(40, (room - kGap * (n - 1)) / n);
  int total = kGap * (n - 1);
  for (const Station& s : line.path) total += std::clamp(stations_[s.id]->wanted(), 40, each);
  int x = std::max(from, device - 2 * kGap - total);
  for (const Station& s : line.path) {
    StationButton* b = stations_[s.id];
    const bool add = s.kind == Station::Kind::add;
    b->setOneRow(add || rowHeight() < 40);
    const int wide = std::clamp(b->wanted(), 40, each);
    const int tall = add ? std::min(high, int{kListener}) : high;
    b->setGeometry(x, y + (high - tall) / 2, wide, tall);
    x += wide + kGap;
  }
}

/// In one row: where there is too little room, those that want more than an equal part share what
/// the others leave; the way to more stays whole.
void WireView::placeListeners() {
  const int y = listenersTop();
  std::vector<int> wanted;
  int room = width() - 2 * kEdge;
  for (const Station& s : plan_.listeners) {
    room -= kGap;
    if (s.kind == Station::Kind::add) {
      room -= stations_[s.id]->wanted();
    } else {
      wanted.push_back(stations_[s.id]->wanted());
    }
  }
  std::sort(wanted.begin(), wanted.end());
  int most = room;
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    const auto left = static_cast<int>(wanted.size() - i);
    if (wanted[i] * left > room) {
      most = std::max(30, room / left);
      break;
    }
    room -= wanted[i];
  }
  int x = kEdge;
  for (const Station& s : plan_.listeners) {
    StationButton* b = stations_[s.id];
    const int wide = s.kind == Station::Kind::add ? b->wanted() : std::min(b->wanted(), most);
    b->setGeometry(x, y, wide, kListener);
    x += wide + kGap;
  }
}

/// Rows of words: a source with its switch, what is said of its line, what lies in its path; then
/// the device, then what listens.
void WireView::placeInWords() {
  int y = kTop;
  const auto next = [&](int indent) {
    const QRect row(kEdge + indent, y, width() - 2 * kEdge - indent, kListener);
    y += kListener + kApart;
    return row;
  };
  const auto put = [&](const Station& s, QRect row) {
    StationButton* b = stations_[s.id];
    b->setOneRow(true);
    row.setWidth(std::min(row.width(), b->wanted()));
    b->setGeometry(row);
  };
  for (const WireLine& line : plan_.lines) {
    QRect row = next(0);
    QPushButton* sw = switches_[line.output];
    const int wide = sw->isHidden() ? 0 : sw->sizeHint().width();
    sw->setGeometry(row.right() - wide, row.y(), wide, row.height());
    row.setWidth(row.width() - wide - kGap);
    put(line.source, row);
    if (!says(line).isEmpty()) next(0);  // paintState
    for (const Station& s : line.path) put(s, next(kEdge));
  }
  put(plan_.device, next(0));
  for (const Station& s : plan_.listeners) put(s, next(kEdge));
}

void WireView::place() {
  if (plan_.lines.isEmpty()) return;
  if (is_cramped()) {
    placeInWords();
  } else {
    placeBeside();
  }
  // Tab goes along the lines, then along what listens.
  QWidget* before = nullptr;
  for (const QStringList& line : order()) {
    for (const QString& id : line) {
      QWidget* b = id.startsWith(QLatin1String("switch:"))
                       ? static_cast<QWidget*>(switches_[id.mid(7)])
                       : stations_[id];
      if (before) setTabOrder(before, b);
      before = b;
    }
  }
}

void WireView::placeBeside() {
  StationButton* device = stations_[plan_.device.id];
  const int rows = static_cast<int>(plan_.lines.size());
  const int wide =
      std::clamp(device->wanted(), int{kDeviceLeast}, std::max(int{kDeviceLeast}, width() / 4));
  device->setOneRow(false);
  device->setGeometry(width() - kEdge - wide, kTop, wide, rows * rowHeight() - 6);
  for (int row = 0; row < rows; ++row) placeLine(row);
  placeListeners();
}

QList<QStringList> WireView::order() const {
  QList<QStringList> out;
  for (const WireLine& line : plan_.lines) {
    QStringList ids{line.source.id, QStringLiteral("switch:") + line.output};
    for (const Station& s : line.path) ids << s.id;
    if (out.isEmpty()) ids << plan_.device.id;
    out << ids;
  }
  QStringList listeners;
  for (const Station& s : plan_.listeners) listeners << s.id;
  out << listeners;
  return out;
}

/// Left and Right go along a line, Up and Down to the other lines and to what listens. Buttons
/// would take these keys for themselves.
bool WireView::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() != QEvent::KeyPress) return QWidget::eventFilter(watched, event);
  const int key = static_cast<QKeyEvent*>(event)->key();
  // No key switches but Enter on the switch itself.
  if (key == Qt::Key_Space && !qobject_cast<StationButton*>(watched)) return true;
  if (key != Qt::Key_Left && key != Qt::Key_Right && key != Qt::Key_Up && key != Qt::Key_Down)
    return QWidget::eventFilter(watched, event);
  for (const auto& [id, b] : stations_) {
    if (b == watched) move(id, key);
  }
  for (const auto& [output, b] : switches_) {
    if (b == watched) move(QStringLiteral("switch:") + output, key);
  }
  return true;
}

void WireView::move(const QString& from, int key) {
  const QList<QStringList> all = order();
  for (int row = 0; row < all.size(); ++row) {
    const auto at = all[row].indexOf(from);
    if (at < 0) continue;
    const int down = key == Qt::Key_Down ? 1 : key == Qt::Key_Up ? -1 : 0;
    const int along = key == Qt::Key_Right ? 1 : key == Qt::Key_Left ? -1 : 0;
    const int to_row = std::clamp(row + down, 0, static_cast<int>(all.size()) - 1);
    auto to = std::clamp<qsizetype>(at + along, 0, all[to_row].size() - 1);
    // A switch that is not there is passed by.
    while (all[to_row][to].startsWith(QLatin1String("switch:")) &&
           switches_[all[to_row][to].mid(7)]->isHidden())
      to = std::clamp<qsizetype>(to + (along < 0 ? -1 : 1), 0, all[to_row].size() - 1);
    const QString id = all[to_row][to];
    QWidget* b = id.startsWith(QLatin1String("switch:"))
                     ? static_cast<QWidget*>(switches_[id.mid(7)])
                     : stations_[id];
    b->setFocus(Qt::TabFocusReason);
    return;
  }
}

QPen WireView::penOf(const WireLine& line) const {
  using Drawing = WireLine::Drawing;
  const Theme& t = Theme::current();
  const bool live = line.drawing == Drawing::on || line.drawing == Drawing::elsewhere;
  QPen pen(live ? t.ink(0) : t.muted(), live ? 2.2 : 1.4);
  if (line.drawing == Drawing::unknown) pen = QPen(t.accent(), 2, Qt::DashLine);
  if (line.drawing == Drawing::unconnected || line.drawing == Drawing::connecting)
    pen.setStyle(Qt::DotLine);
  return pen;
}

/// What is in pencil at an output, or what is not known of it. In words also whether it is on,
/// which is drawn otherwise.
QString WireView::says(const WireLine& line) {
  if (!line.pencil.isEmpty()) return line.pencil;
  if (!line.state_text.isEmpty() || !is_cramped()) return line.state_text;
  return line.drawing == WireLine::Drawing::on    ? tr("on")
         : line.drawing == WireLine::Drawing::off ? tr("off")
                                                  : QString();
}

void WireView::paintState(QPainter& painter, const WireLine& line, const QRect& box) const {
  const Theme& t = Theme::current();
  QFont font = Theme::baseFont(12);
  font.setItalic(!line.pencil.isEmpty());
  painter.setFont(font);
  painter.setPen(line.pencil.isEmpty() && line.was_on ? t.accent() : t.muted());
  const QString text = says(line);
  painter.drawText(box, Qt::AlignLeft | Qt::AlignBottom,
                   QFontMetrics(font).elidedText(text, Qt::ElideRight, box.width()));
}

void WireView::paintLine(QPainter& painter, int row) const {
  using Drawing = WireLine::Drawing;
  const Theme& t = Theme::current();
  const WireLine& line = plan_.lines[row];
  const QRect source = stations_.at(line.source.id)->geometry();
  const QRect sw = switchBox(line, source);
  const double y = source.center().y() + 0.5, end = stations_.at(plan_.device.id)->x();
  painter.setPen(penOf(line));
  if (line.drawing == Drawing::silent) {  // hatched: the line as last known, under a doubt
    painter.setPen(Qt::NoPen);
    painter.setBrush(QBrush(line.was_on ? t.accent() : t.muted(), Qt::BDiagPattern));
    painter.drawRect(QRectF(source.right(), y - 4, end - source.right(), PxF{8}));
    painter.setBrush(Qt::NoBrush);
  } else if (line.drawing == Drawing::off) {
    // A gap at the switch: its blade stands open.
    const double gap = sw.x() + sw.width() + 6;
    painter.drawLine(QLineF(source.right(), y, gap, y));
    painter.drawLine(QLineF(gap, y, gap + 18, y - 10));
    painter.drawLine(QLineF(gap + 22, y, end, y));
    painter.setBrush(t.ground());
    painter.drawEllipse(QPointF(gap, y), 2.5, 2.5);
    painter.drawEllipse(QPointF(gap + 22, y), 2.5, 2.5);
    painter.setBrush(Qt::NoBrush);
  } else {
    painter.drawLine(QLineF(source.right(), y, end, y));
  }
  // What is in pencil at this output, and what is not known of it, stand above its line.
  const int from = sw.x() + sw.width() + (line.drawing == Drawing::off ? 34 : 10);
  const int to = line.path.isEmpty() ? static_cast<int>(end) - 10
                                     : stations_.at(line.path.front().id)->x() - 8;
  paintState(painter, line,
             QRect(from, source.y(), std::max(0, to - from), source.height() / 2 - 2));
}

/// With large text: the wire goes down at the left, each source drawn on it as its line would be.
void WireView::paintRail(QPainter& painter) const {
  const double x = kEdge / 2.0;
  const double end = stations_.at(plan_.device.id)->geometry().center().y();
  for (const WireLine& line : plan_.lines) {
    const QRect source = stations_.at(line.source.id)->geometry();
    const double y = source.center().y();
    painter.setPen(penOf(line));
    const bool off = line.drawing == WireLine::Drawing::off;
    const double from = off ? y + kListener : y;  // a gap
    painter.drawPolyline(QPolygonF({{static_cast<double>(kEdge), y}, {x, y}}));
    painter.drawPolyline(QPolygonF({{x, from}, {x, end}, {static_cast<double>(kEdge), end}}));
    paintState(painter, line, QRect(2 * kEdge, source.bottom(), width() - 3 * kEdge, kListener));
  }
}

/// A thin line from the device, along which everything hangs that only listens.
void WireView::paintListeners(QPainter& painter) const {
  if (plan_.listeners.isEmpty()) return;
  const Theme& t = Theme::current();
  const QRect device = stations_.at(plan_.device.id)->geometry();
  const double y = listenersTop() + kListener / 2.0, x = device.right() - 20;
  painter.setPen(QPen(t.border(), 1));
  const double from = stations_.at(plan_.listeners.front().id)->x();
  painter.drawPolyline(QPolygonF({{x, static_cast<double>(device.bottom())}, {x, y}, {from, y}}));
}

void WireView::paintEvent(QPaintEvent*) {
  if (plan_.lines.isEmpty()) return;
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  if (is_cramped()) return paintRail(painter);
  paintListeners(painter);
  for (int row = 0; row < plan_.lines.size(); ++row) paintLine(painter, row);
}

}  // namespace kuvio::app
