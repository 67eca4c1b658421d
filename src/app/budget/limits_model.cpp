// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/budget/limits_model.h"

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/style/pixels.h"
#include "app/style/short_names.h"
#include "app/style/theme.h"
#include "app/style/verdict_text.h"
#include "core/number_text.h"
#include "formats/phrases.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace kuvio::app {
namespace {
const QString kNothing = QStringLiteral("–");
/// Characters of a build in its title: of many each has less.
int title_room(qsizetype builds) { return builds > 8 ? 9 : builds > 4 ? 14 : 24; }
QString figure(const Limit& limit, double value) {
  return qs(formats::figure_text(value, 0, info(limit.quantity).unit()));
}
}  // namespace

void LimitsModel::setView(BudgetViewPtr view) {
  beginResetModel();
  view_ = std::move(view);
  builds_.clear();
  if (view_) {
    for (const std::string& build : view_->builds) builds_ << qs(build);
    builds_ = short_names(builds_, title_room(builds_.size()));
  }
  endResetModel();
}

int LimitsModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !view_ || !view_->budget
             ? 0
             : static_cast<int>(view_->budget->limits.size());
}
int LimitsModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : FirstBuild + (view_ ? static_cast<int>(view_->builds.size()) : 0);
}

const Limit* LimitsModel::limit(int row) const {
  return row >= 0 && row < rowCount() ? &view_->budget->limits[static_cast<std::size_t>(row)]
                                      : nullptr;
}

const LimitResult* LimitsModel::result(const QModelIndex& index) const {
  if (!index.isValid() || index.column() < FirstBuild || !view_) return nullptr;
  const auto build = static_cast<std::size_t>(index.column() - FirstBuild);
  if (build >= view_->results.size()) return nullptr;
  const auto& limits = view_->results[build].limits;
  const auto row = static_cast<std::size_t>(index.row());
  return row < limits.size() ? &limits[row] : nullptr;
}

QVariant LimitsModel::data(const QModelIndex& index, int role) const {
  const Limit* l = limit(index.row());
  if (!index.isValid() || !l) return {};
  if (index.column() >= FirstBuild) {
    const auto build = static_cast<std::size_t>(index.column() - FirstBuild);
    const LimitResult* r = result(index);
    if (role == Qt::DisplayRole) {
      if (!r) return kNothing;
      return qs(formats::measured_text(*r)) + QStringLiteral("  ") + verdict_text(r->verdict);
    }
    if (role == Qt::ToolTipRole) {
      if (!r) return build < view_->troubles.size() ? qs(view_->troubles[build]) : QString();
      QStringList lines;
      if (r->headroom) lines << tr("headroom %1").arg(figure(*l, *r->headroom));
      if (r->coverage_factor > 0)
        lines << tr("coverage factor %1").arg(r->coverage_factor, 0, 'f', 2);
      if (r->needed_visits)
        lines << tr("about %1 visits would settle it")
                     .arg(static_cast<qulonglong>(*r->needed_visits));
      if (!r->note.empty()) lines << qs(r->note);
      return lines.join(QLatin1Char('\n'));
    }
    if (role == Qt::AccessibleTextRole) return data(index, Qt::DisplayRole);
    return {};
  }
  switch (role) {
    case Qt::DisplayRole:
      if (index.column() == Name) return qs(l->name());
      if (index.column() == Expect) return l->expect ? figure(*l, *l->expect) : QString();
      return qs(formats::limit_text(*l));
    case Qt::TextAlignmentRole:
      return int(index.column() == Name ? Qt::AlignLeft | Qt::AlignVCenter
                                        : Qt::AlignRight | Qt::AlignVCenter);
    case Qt::ForegroundRole:
      return index.column() == Expect ? QVariant(Theme::current().muted()) : QVariant();
    default:
      return {};
  }
}

QVariant LimitsModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::TextAlignmentRole)
    return int(section == Expect || section == Bound ? Qt::AlignRight | Qt::AlignVCenter
                                                     : Qt::AlignLeft | Qt::AlignVCenter);
  const bool of_build = view_ && section >= FirstBuild &&
                        section - FirstBuild < static_cast<int>(view_->builds.size());
  if (role == Qt::ToolTipRole && of_build)
    return qs(view_->builds[static_cast<std::size_t>(section - FirstBuild)]);
  if (role != Qt::DisplayRole) return {};
  switch (section) {
    case Name:
      return tr("quantity");
    case Expect:
      return tr("expected");
    case Bound:
      return tr("limit");
    default:
      return of_build ? builds_.value(section - FirstBuild) : QString();
  }
}

namespace {

/// How much of a limit is used, with its interval: `r` has a measured value.
void paint_gauge(QPainter& painter, const QRectF& bar, const LimitResult& r, const Limit& l,
                 double limit, const QColor& fill) {
  const Theme& t = Theme::current();
  // The limit stands at two thirds, so that what goes over it can be seen; beyond the end an
  // arrow says that it goes on.
  const double full = limit * 1.5;
  const auto x = [&](double v) {
    return bar.left() + std::clamp(v / full, 0.0, 1.0) * bar.width();
  };
  painter.setPen(Qt::NoPen);
  painter.setBrush(t.ruling());
  painter.drawRect(bar);
  painter.setBrush(fill);
  painter.drawRect(QRectF(bar.left(), bar.top() + 1.5, x(*r.measured) - bar.left(), 4));
  if (r.U > 0) {
    painter.setPen(QPen(t.text(), 1));
    const double a = x(r.low.value_or(-full)), b = x(r.high.value_or(2 * full)),
                 mid = bar.center().y();
    if (b - a >= 2) {
      painter.drawLine(QLineF(a, mid, b, mid));
      painter.drawLine(QLineF(a, mid - 3, a, mid + 3));
      painter.drawLine(QLineF(b, mid - 3, b, mid + 3));
    }
  }
  if (*r.measured > full) {
    painter.setPen(Qt::NoPen);
    painter.setBrush(t.ground());
    painter.drawPolygon(QPolygonF({{bar.right() - 6, bar.top()},
                                   {bar.right() - 2, bar.center().y()},
                                   {bar.right() - 6, bar.bottom()},
                                   {bar.right() - 8, bar.bottom()},
                                   {bar.right() - 4, bar.center().y()},
                                   {bar.right() - 8, bar.top()}}));
  }
  if (l.expect) {
    painter.setPen(QPen(t.muted(), 1.5));
    painter.drawLine(QLineF(x(*l.expect), bar.top() - 1, x(*l.expect), bar.bottom() + 1));
  }
  painter.setPen(QPen(t.text(), 2));
  painter.drawLine(QLineF(x(limit), bar.top() - 3, x(limit), bar.bottom() + 3));
}

/// The figure with its uncertainty, or without where there is no room for it, or nothing: a number
/// that is cut is another one. It is whole in the tool tip.
QString figure_in(const LimitResult& r, const QFont& font, double room) {
  const QFontMetricsF metrics(font);
  QString whole = qs(formats::measured_text(r));
  if (metrics.horizontalAdvance(whole) <= room) return whole;
  LimitResult bare = r;
  bare.U = 0;
  bare.low.reset();
  bare.high.reset();
  const QString figure = qs(formats::measured_text(bare));
  return metrics.horizontalAdvance(figure) <= room ? figure : QString();
}

}  // namespace

void GaugeDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                          const QModelIndex& index) const {
  const auto* model = qobject_cast<const LimitsModel*>(index.model());
  if (!model || index.column() < LimitsModel::FirstBuild) {
    NotebookDelegate::paint(painter, option, index);
    return;
  }
  const Theme& t = Theme::current();
  painter->save();
  painter->setRenderHint(QPainter::Antialiasing);
  if (option.state & QStyle::State_Selected) painter->fillRect(option.rect, t.wash());
  if (option.state & QStyle::State_HasFocus) {
    painter->setPen(QPen(t.focus(), 1));
    painter->drawRect(QRectF(option.rect).adjusted(0.5, 0.5, -0.5, -0.5));
  }
  const QRectF box = QRectF(option.rect).adjusted(PxF{8}, 4, -PxF{8}, -5);
  const LimitResult* r = model->result(index);
  painter->setFont(Theme::baseFont(12));
  if (!r) {
    painter->setPen(t.muted());
    painter->drawText(box, Qt::AlignVCenter | Qt::AlignLeft, kNothing);
    painter->restore();
    return;
  }
  const Limit& l = *model->limit(index.row());
  const bool over = r->verdict == Verdict::outside;
  // Above: the figure and its verdict. Below: the gauge.
  const QRectF words(box.left(), box.top(), box.width(), 17);
  const QFont plain = Theme::baseFont(12),
              strong = Theme::baseFont(12, over ? QFont::DemiBold : QFont::Normal);
  const QString figure = qs(formats::measured_text(*r));
  QString verdict = verdict_text(r->verdict);
  const auto room = [&] {
    return words.width() - QFontMetricsF(strong).horizontalAdvance(verdict) - 8;
  };
  // In a narrow column of many builds the sign alone says it.
  if (QFontMetricsF(plain).horizontalAdvance(figure) > room()) verdict.truncate(1);
  painter->setFont(plain);
  painter->setPen(t.text());
  painter->drawText(words, Qt::AlignVCenter | Qt::AlignLeft, figure_in(*r, plain, room()));
  painter->setPen(over ? t.accent() : r->verdict == Verdict::within ? t.muted() : t.text());
  painter->setFont(strong);
  painter->drawText(words, Qt::AlignVCenter | Qt::AlignRight, verdict);
  const double limit = l.max ? *l.max : l.min.value_or(0);
  if (limit > 0 && r->measured) {
    paint_gauge(*painter, QRectF(box.left(), box.bottom() - PxF{9}, box.width(), PxF{7}), *r, l,
                limit,
                over ? t.accent()
                     : t.ink(static_cast<std::size_t>(index.column() - LimitsModel::FirstBuild)));
  }
  painter->restore();
}

}  // namespace kuvio::app
