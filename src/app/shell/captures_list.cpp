// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/captures_list.h"

#include "app/engine/book_view.h"
#include "app/engine/time_notation.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/trace_sketch.h"
#include "app/style/verdict_text.h"
#include "core/number_text.h"
#include "core/visit.h"

#include <QDateTime>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <utility>

namespace kuvio::app {
namespace {
constexpr qsizetype kTipLines = 20, kTipWidth = 80;  // conditions come from anywhere
constexpr Px kCard{106}, kLine{28}, kHeading{26};    // px

/// Whether its times are a simulated device's, which may have run faster than ours.
bool is_simulated(const CaptureRow& row) { return row.info.conditions.count("time_scale") > 0; }
}  // namespace

void CapturesModel::setBook(const BookViewPtr& book) {
  // The same captures: their figures are new and nothing is picked anew.
  bool same = book_ && book && book_->path == book->path && book_->rows.size() == book->rows.size();
  for (std::size_t i = 0; same && i < book->rows.size(); ++i)
    same = book->rows[i].info.id == book_->rows[i].info.id;
  book_ = book;
  if (same && arranged() == entries_) {
    if (rowCount() > 0) emit dataChanged(index(0), index(rowCount() - 1));
    return;
  }
  beginResetModel();
  entries_ = arranged();
  endResetModel();
}

void CapturesModel::setGrouping(const QString& by) {
  grouping_ = by;
  arrange();
}

void CapturesModel::setFilter(const QString& text) {
  filter_ = text.trimmed();
  arrange();
}

void CapturesModel::arrange() {
  std::vector<Entry> now = arranged();
  if (now == entries_) return;
  beginResetModel();
  entries_ = std::move(now);
  endResetModel();
}

namespace {

QString group_of(const CaptureRow& row, const QString& by) {
  if (by == QLatin1String("build")) return QString::fromStdString(row.info.build);
  const auto it = row.info.conditions.find(by.toStdString());
  return it == row.info.conditions.end() ? QString() : QString::fromStdString(it->second);
}

bool matches(const CaptureRow& row, const QString& text) {
  const auto has = [&](const std::string& in) {
    return QString::fromStdString(in).contains(text, Qt::CaseInsensitive);
  };
  if (text.isEmpty() || has(row.info.name) || has(row.info.build)) return true;
  return std::any_of(row.info.conditions.begin(), row.info.conditions.end(),
                     [&](const auto& c) { return has(c.second); });
}

}  // namespace

/// Groups stand in the order in which each was first met; captures within as they were made.
std::vector<CapturesModel::Entry> CapturesModel::arranged() const {
  std::vector<Entry> out;
  if (!book_) return out;
  std::vector<QString> groups;
  std::map<QString, std::vector<int>> of_group;
  bool several = grouping_ != QLatin1String("build");
  for (std::size_t i = 0; i < book_->rows.size(); ++i) {
    if (!matches(book_->rows[i], filter_)) continue;
    const QString group = grouping_.isEmpty() ? QString() : group_of(book_->rows[i], grouping_);
    auto& rows = of_group[group];
    if (rows.empty()) groups.push_back(group);
    rows.push_back(static_cast<int>(i));
    several |= rows.size() > 1;
  }
  for (const QString& group : groups) {
    if (!grouping_.isEmpty() && several)
      out.push_back({-1, group.isEmpty() ? tr("not stated") : group});
    for (const int row : of_group[group]) out.push_back({row, {}});
  }
  return out;
}

bool CapturesModel::isUnderBuild(int index) const {
  return grouping_ == QLatin1String("build") && row(index) && isHeading(0);
}

bool CapturesModel::isHeading(int index) const {
  return index >= 0 && index < rowCount() && entries_[static_cast<std::size_t>(index)].row < 0;
}

Qt::ItemFlags CapturesModel::flags(const QModelIndex& index) const {
  if (isHeading(index.row())) return Qt::ItemIsEnabled;
  return QAbstractListModel::flags(index) |
         (index.isValid() ? Qt::ItemIsUserCheckable : Qt::NoItemFlags);
}

bool CapturesModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  const CaptureRow* r = row(index.row());
  if (!index.isValid() || !r || role != Qt::CheckStateRole) return false;
  if (value.toInt() == Qt::Checked) {
    ticks_.insert(r->info.id);
  } else {
    ticks_.erase(r->info.id);
  }
  emit dataChanged(index, index, {Qt::CheckStateRole});
  emit ticksChanged();
  return true;
}

void CapturesModel::setTicks(const std::set<qint64>& ticks) {
  ticks_ = ticks;
  if (rowCount() > 0) emit dataChanged(index(0), index(rowCount() - 1), {Qt::CheckStateRole});
}

void CapturesModel::setVerdicts(std::map<std::string, Verdict> verdicts) {
  verdicts_ = std::move(verdicts);
  if (rowCount() > 0) emit dataChanged(index(0), index(rowCount() - 1));
}

bool CapturesModel::isReference(int index) const {
  const CaptureRow* r = row(index);
  return r && book_->builds.size() > 1 && r->info.build == book_->reference();
}

std::optional<Verdict> CapturesModel::verdict(int index) const {
  const CaptureRow* r = row(index);
  if (r && !r->hasStates()) return std::nullopt;  // the build's verdict does not rest on it
  const auto it = r ? verdicts_.find(r->info.build) : verdicts_.end();
  return it == verdicts_.end() ? std::nullopt : std::optional(it->second);
}

/// By build it says which one is the reference.
QString CapturesModel::headingText(int index) const {
  const QString& text = entries_[static_cast<std::size_t>(index)].heading;
  const bool reference = grouping_ == QLatin1String("build") && isReference(index + 1);
  return reference ? tr("%1 · R").arg(text) : text;
}

int CapturesModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(entries_.size());
}

const CaptureRow* CapturesModel::row(int index) const {
  if (!book_ || index < 0 || index >= rowCount() || isHeading(index)) return nullptr;
  return &book_->rows[static_cast<std::size_t>(entries_[static_cast<std::size_t>(index)].row)];
}

int CapturesModel::rowOf(qint64 id) const {
  for (int i = 0; i < rowCount(); ++i) {
    if (row(i) && row(i)->info.id == id) return i;
  }
  return -1;
}

QVariant CapturesModel::data(const QModelIndex& index, int role) const {
  if (isHeading(index.row()) && (role == Qt::DisplayRole || role == Qt::AccessibleTextRole))
    return headingText(index.row());
  const CaptureRow* r = row(index.row());
  if (!index.isValid() || !r) return {};
  const QString name = QString::fromStdString(r->info.name),
                build = QString::fromStdString(r->info.build);
  switch (role) {
    case Qt::DisplayRole:
      return name;
    case Qt::AccessibleTextRole:
      return QStringLiteral("%1, %2, %3%4")
          .arg(name, build,
               r->info.typed ? tr("typed") : QString::fromStdString(duration(r->info.duration_s())),
               r->info.interrupted ? tr(", interrupted") : QString());
    case Qt::ToolTipRole: {
      QStringList lines;
      if (is_simulated(*r)) lines << tr("simulated: all times are the device's");
      for (const auto& [key, value] : r->info.conditions) {
        if (lines.size() == kTipLines) {
          lines << tr("and %1 more").arg(r->info.conditions.size() - kTipLines);
          break;
        }
        lines << QStringLiteral("%1: %2").arg(QString::fromStdString(key).left(kTipWidth),
                                              QString::fromStdString(value).left(kTipWidth));
      }
      if (!r->info.end_reason.empty())
        lines << tr("ended: %1").arg(QString::fromStdString(r->info.end_reason));
      return lines.join(QLatin1Char('\n'));
    }
    case Qt::CheckStateRole:
      return ticks_.count(r->info.id) > 0 ? Qt::Checked : Qt::Unchecked;
    case IdRole:
      return static_cast<qlonglong>(r->info.id);
    case InkRole:
      return static_cast<int>(r->ink);
    default:
      return {};
  }
}

namespace {

void paint_tick(QPainter& painter, const QRectF& tick, const QColor& ink, bool ticked) {
  const Theme& t = Theme::current();
  painter.setPen(QPen(ticked ? ink : t.border(), 1.2));
  painter.setBrush(ticked ? QBrush(ink) : QBrush(t.ground()));
  painter.drawRoundedRect(tick, 3, 3);
  if (ticked) {
    painter.setPen(QPen(t.ground(), 1.8));
    painter.drawPolyline(
        QPolygonF({tick.topLeft() + QPointF(3, 7.2), tick.topLeft() + QPointF(5.8, 10),
                   tick.topLeft() + QPointF(10.5, 4)}));
  }
}

/// The states of a capture, in a strip.
void paint_states(QPainter& painter, const QPointF& at, double wide, const CaptureRow& row) {
  const double from = row.info.from_s(), whole = row.info.duration_s();
  if (whole > 0) {
    // Every one is seen, as far as a part of a pixel can be; of hundreds of thousands, some.
    constexpr std::size_t kMany = 5000;
    const double apart = row.visits.size() > kMany ? 0.05 : 0;
    double last = -1;
    for (const Visit& v : row.visits) {
      const QRectF stretch(at.x() + (v.from_s - from) / whole * wide, at.y(),
                           std::max(0.6, v.length_s() / whole * wide), 5);
      if (stretch.left() < last + apart) continue;
      last = stretch.left();
      painter.fillRect(stretch, Theme::current().fill(v.state, row.fills));
    }
  }
}

/// The name as it reads under its build's heading: what it has besides, else when it was made.
QString within_build(const CaptureRow& row) {
  QString name = QString::fromStdString(row.info.name);
  const QString build = QString::fromStdString(row.info.build);
  if (!name.startsWith(build)) return name;
  name.remove(0, build.size());
  while (!name.isEmpty() && !name.front().isLetterOrNumber()) name.remove(0, 1);
  return name.isEmpty() && row.info.recording ? build : name;
}

QString when(const CaptureRow& row) {
  if (row.info.recording) return QObject::tr("● recording");
  if (row.info.interrupted) return QObject::tr("interrupted");
  return QDateTime::fromString(QString::fromStdString(row.info.started_utc), Qt::ISODateWithMs)
      .toLocalTime()
      .toString(QStringLiteral("HH:mm"));
}

}  // namespace

void CaptureDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                            const QModelIndex& index) const {
  const auto* model = qobject_cast<const CapturesModel*>(index.model());
  const CaptureRow* row = model ? model->row(index.row()) : nullptr;
  if (model && model->isHeading(index.row()))
    paintHeading(painter, option.rect, index.data().toString());
  if (!row) return;
  const Theme& t = Theme::current();
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  const QRectF box =
      QRectF(option.rect).adjusted(PxF{8}, compact_ ? 1 : 4, -PxF{8}, compact_ ? -1 : -4);
  if (option.state & QStyle::State_Selected) {
    painter->setPen(Qt::NoPen);
    painter->setBrush(t.wash());
    painter->drawRoundedRect(box, 5, 5);
    // Of several that are selected the one that is shown.
    const auto* list = qobject_cast<const QAbstractItemView*>(option.widget);
    if (list && list->currentIndex() == index && list->selectionModel()->selectedRows().size() > 1)
      painter->fillRect(QRectF(box.left(), box.top() + 4, 3, box.height() - PxF{8}),
                        t.ink(row->ink));
  }
  if (option.state & QStyle::State_HasFocus) {
    painter->setPen(QPen(t.focus(), 1.5));
    painter->setBrush(Qt::NoBrush);
    painter->drawRoundedRect(box.adjusted(0.75, 0.75, -0.75, -0.75), 5, 5);
  }
  const QRectF in = compact_ ? box.adjusted(PxF{10}, 5, -PxF{10}, -5)
                             : box.adjusted(PxF{10}, PxF{8}, -PxF{10}, -6);
  const QColor ink = t.ink(row->ink);
  const bool ticked = index.data(Qt::CheckStateRole).toInt() == Qt::Checked;
  const QRectF tick = tickRect(option.rect);
  const bool marked = row->info.recording || row->info.interrupted;
  paint_tick(*painter, tick, ink, ticked);
  const double text_left = tick.right() + 8;
  double right = in.right();
  const auto sign = [&](const QString& text, const QColor& color, QFont::Weight weight) {
    painter->setFont(Theme::baseFont(12, weight));
    painter->setPen(color);
    const double wide = QFontMetricsF(painter->font()).horizontalAdvance(text);
    painter->drawText(QRectF(right - wide, in.top(), wide, PxF{16}), Qt::AlignCenter, text);
    right -= wide + 8;
  };
  if (const auto verdict = model->verdict(index.row())) {
    sign(verdict_text(*verdict).left(1), *verdict == Verdict::outside ? t.accent() : t.muted(),
         QFont::DemiBold);
  }
  // A heading says so for all that stand under it.
  const bool headed = compact_ && model->isUnderBuild(index.row());
  if (!headed && model->isReference(index.row())) sign(QStringLiteral("R"), t.text(), QFont::Bold);
  if (compact_)
    sign(row->info.recording
             ? QStringLiteral("●")
             : QString::fromStdString(time_text(std::floor(row->info.duration_s()), 0)),
         marked ? t.accent() : t.muted(), QFont::Normal);
  painter->setFont(Theme::baseFont(13, QFont::DemiBold));
  painter->setPen(t.text());
  QString name = QString::fromStdString(row->info.name);
  if (headed) {
    name = within_build(*row);
    if (name.isEmpty()) name = when(*row);
  }
  painter->drawText(QRectF(text_left, in.top(), right - text_left, PxF{16}),
                    Qt::AlignLeft | Qt::AlignVCenter,
                    QFontMetrics(painter->font())
                        .elidedText(name, Qt::ElideRight, static_cast<int>(right - text_left)));
  if (compact_) {
    painter->restore();
    return;
  }
  const QRectF middle(in.left(), in.top() + PxF{22}, in.width(), PxF{28});
  if (row->info.typed) {
    QStringList states;
    for (const TypedReading& r : row->typed) states << QString::fromStdString(r.state);
    states.removeDuplicates();
    painter->setFont(Theme::baseFont(11));
    painter->setPen(t.text());
    painter->drawText(
        middle, Qt::AlignLeft | Qt::AlignVCenter,
        painter->fontMetrics().elidedText(states.join(QStringLiteral(", ")), Qt::ElideRight,
                                          static_cast<int>(middle.width())));
  }
  paint_sketch(*painter, middle, row->thumbnail, ink);
  paint_states(*painter, {in.left(), in.top() + PxF{54}}, in.width(), *row);
  painter->setFont(Theme::baseFont(11));
  painter->setPen(marked ? t.accent() : t.muted());
  const QString about =
      QStringLiteral("%1 · %2%3")
          .arg(when(*row),
               row->info.typed ? tr("typed")
                               : QString::fromStdString(duration(row->info.duration_s())),
               is_simulated(*row) ? tr(" · sim.") : QString());
  painter->drawText(
      QRectF(in.left(), in.top() + PxF{63}, in.width(), PxF{16}), Qt::AlignLeft | Qt::AlignVCenter,
      painter->fontMetrics().elidedText(about, Qt::ElideRight, static_cast<int>(in.width())));
  painter->restore();
}

void CaptureDelegate::paintHeading(QPainter* painter, const QRect& box, const QString& text) const {
  painter->save();
  painter->setFont(Theme::baseFont(12, QFont::DemiBold));
  painter->setPen(Theme::current().muted());
  const QRect in = box.adjusted(Px{20}, 0, -Px{10}, 0);
  painter->drawText(in, Qt::AlignLeft | Qt::AlignVCenter,
                    painter->fontMetrics().elidedText(text, Qt::ElideMiddle, in.width()));
  painter->restore();
}

QSize CaptureDelegate::sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const {
  const auto* model = qobject_cast<const CapturesModel*>(index.model());
  if (model && model->isHeading(index.row())) return {Px{180}, kHeading};
  return {Px{180}, compact_ ? kLine : kCard};
}

QRectF CaptureDelegate::tickRect(const QRect& item) {
  const double top = item.height() < kCard ? (item.height() - PxF{14}) / 2.0 : PxF{13};
  return {item.left() + PxF{18}, item.top() + top, PxF{14}, PxF{14}};
}

bool CaptureDelegate::editorEvent(QEvent* event, QAbstractItemModel* model,
                                  const QStyleOptionViewItem& option, const QModelIndex& index) {
  const auto toggle = [&] {
    const bool ticked = index.data(Qt::CheckStateRole).toInt() == Qt::Checked;
    return model->setData(index, ticked ? Qt::Unchecked : Qt::Checked, Qt::CheckStateRole);
  };
  if (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::MouseButtonRelease ||
      event->type() == QEvent::MouseButtonDblClick) {
    const auto* mouse = static_cast<QMouseEvent*>(event);
    if (mouse->button() != Qt::LeftButton ||
        !tickRect(option.rect).adjusted(-6, -6, 6, 6).contains(mouse->position()))
      return false;
    // Taken in both, so that a tick does not pick the row as well.
    return event->type() == QEvent::MouseButtonRelease ? toggle() : true;
  }
  if (event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->key() == Qt::Key_Space)
    return toggle();
  return false;
}

}  // namespace kuvio::app
