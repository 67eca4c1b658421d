// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/log_margin.h"

#include "app/engine/trace_views.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"

#include <QAction>
#include <QEvent>
#include <QHeaderView>
#include <QKeyEvent>
#include <QRegularExpression>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {

void LogFilter::setStretch(std::optional<std::pair<double, double>> stretch) {
  if (stretch == stretch_) return;
  stretch_ = stretch;
  invalidateFilter();
}

bool LogFilter::filterAcceptsRow(int row, const QModelIndex& parent) const {
  if (stretch_) {
    const double t = sourceModel()->index(row, 0, parent).data(LogModel::TimeRole).toDouble();
    if (t < stretch_->first || t > stretch_->second) return false;
  }
  return QSortFilterProxyModel::filterAcceptsRow(row, parent);
}

LogMargin::LogMargin(ViewState& view, QWidget* parent) : QWidget(parent), view_(view) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 6, 0, 0);
  column->addLayout(makeHead());
  column->addWidget(makeTable(), 1);
  empty_ = remark(tr("No device log in this capture. Enter the address of the device's serial port "
                     "on the Bench desk to record one."),
                  this);
  empty_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  empty_->setContentsMargins(8, 4, 12, 0);
  column->addWidget(empty_, 1);
  arrived_ = remark({}, this);
  arrived_->setContentsMargins(8, 0, 12, 6);
  column->addWidget(arrived_);

  connectParts();
  takeCapture();
}

QLayout* LogMargin::makeHead() {
  filter_ = new QLineEdit(this);
  filter_->setObjectName(QStringLiteral("logFilter"));
  filter_->setAccessibleName(tr("Filter of the device log"));
  filter_->setPlaceholderText(tr("Filter lines…"));
  filter_->setClearButtonEnabled(true);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(8, 0, 12, 0);
  head->setSpacing(4);
  head->addWidget(filter_);
  const auto toggle = [this](const char* name, const QString& text, const QString& what) {
    auto* b = new QToolButton(this);
    b->setObjectName(QLatin1String(name));
    b->setText(text);
    b->setToolTip(what);
    b->setAccessibleName(what);
    b->setCheckable(true);
    b->setAutoRaise(true);
    return b;
  };
  expression_ =
      toggle("logExpression", QStringLiteral(".*"), tr("The filter is a regular expression"));
  in_span_ = toggle("logInSpan", QStringLiteral("[ ]"), tr("Only lines in the span or view"));
  head->addWidget(expression_);
  head->addWidget(in_span_);
  return head;
}

QWidget* LogMargin::makeTable() {
  model_ = new LogModel(this);
  filtered_ = new LogFilter(this);
  filtered_->setSourceModel(model_);
  filtered_->setFilterKeyColumn(LogModel::Text);
  filtered_->setFilterCaseSensitivity(Qt::CaseInsensitive);
  table_ = new NotebookTable(QStringLiteral("log"), tr("Device log"), 21, this);
  table_->setModel(filtered_);
  table_->horizontalHeader()->hide();
  table_->horizontalHeader()->setStretchLastSection(true);
  connect(model_, &QAbstractItemModel::modelReset, this, &LogMargin::fitTimes);
  table_->viewport()->installEventFilter(this);
  auto* edge = new QAction(tr("Make this a state edge"), table_);
  connect(edge, &QAction::triggered, this, [this] {
    const QModelIndex index = table_->currentIndex();
    if (index.isValid()) emit edgeWanted(index.data(LogModel::TimeRole).toDouble());
  });
  table_->addAction(edge);
  return table_;
}

/// The column of times is as wide as the last of them, the longest.
void LogMargin::fitTimes() {
  const int last = model_->rowCount() - 1;
  const QString text = last < 0 ? QString() : model_->index(last, LogModel::Time).data().toString();
  const QFontMetricsF metrics(Theme::baseFont(12));
  table_->setColumnWidth(LogModel::Time,
                         std::max(68, static_cast<int>(figuresWidth(metrics, text)) + 18));
}

void LogMargin::connectParts() {
  connect(filter_, &QLineEdit::textChanged, this, &LogMargin::filter);
  filter_->installEventFilter(this);
  connect(expression_, &QToolButton::toggled, this, &LogMargin::filter);
  connect(in_span_, &QToolButton::toggled, this, &LogMargin::filter);
  connect(&view_, &ViewState::spanChanged, this, [this] {
    if (in_span_->isChecked()) filter();
  });
  connect(&view_, &ViewState::rangeChanged, this, [this] {
    if (in_span_->isChecked() && !view_.span()) filter();
    follow();
  });
  connect(&view_, &ViewState::captureChanged, this, &LogMargin::takeCapture);
  connect(&view_, &ViewState::visitChanged, this, &LogMargin::follow);
  connect(&view_, &ViewState::spanChanged, this, &LogMargin::follow);
  connect(table_, &QTableView::entered, this, [this](const QModelIndex& index) {
    view_.setPointer(index.data(LogModel::TimeRole).toDouble());
  });
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) { pick(index); });
}

void LogMargin::focusFilter() {
  filter_->setFocus();
  filter_->selectAll();
}

/// What cannot be an expression is outlined in words and filters nothing.
void LogMargin::filter() {
  const QString text = filter_->text();
  const QRegularExpression what(expression_->isChecked() ? text : QRegularExpression::escape(text),
                                QRegularExpression::CaseInsensitiveOption);
  arrived_->setText(what.isValid()
                        ? arrived_text_
                        : tr("Not a valid regular expression: %1").arg(what.errorString()));
  filtered_->setFilterRegularExpression(what.isValid() ? what : QRegularExpression());
  filtered_->setStretch(in_span_->isChecked() ? std::optional(view_.span().value_or(
                                                    std::pair(view_.from(), view_.to())))
                                              : std::nullopt);
  std::vector<double> matches;
  if (!text.isEmpty() && what.isValid()) {
    for (int row = 0; row < filtered_->rowCount(); ++row)
      matches.push_back(filtered_->index(row, 0).data(LogModel::TimeRole).toDouble());
  }
  view_.setLogMatches(std::move(matches));
}

void LogMargin::takeCapture() {
  const CaptureViewPtr& capture = view_.capture();
  following_ = true;
  model_->setCapture(capture);
  following_ = false;
  const bool any = capture && !capture->log.empty();
  table_->setVisible(any);
  filter_->setVisible(any);
  empty_->setVisible(!any);
  const bool stamped = capture && capture->info.conditions.count("time_scale") > 0;
  arrived_text_ = !any      ? QString()
                  : stamped ? tr("Device timestamps")
                            : tr("Arrival times, ± 2 ms");
  arrived_->setVisible(any);
  for (QToolButton* b : {expression_, in_span_}) b->setVisible(any);
  filter();
  follow();
}

void LogMargin::pick(const QModelIndex& index) {
  if (following_ || !index.isValid() || !view_.capture()) return;
  const double t = index.data(LogModel::TimeRole).toDouble();
  if (t < view_.from() || t > view_.to()) {
    const double half = (view_.to() - view_.from()) / 2;
    view_.show(t - half, t + half);
  }
  view_.setPointer(t);
  const auto at = visit_spoken_of(view_.capture()->visits, t);
  if (at < view_.capture()->visits.size()) view_.pickVisit(static_cast<int>(at));
}

void LogMargin::follow() {
  double from = 1, to = 0;
  if (view_.span()) {
    from = view_.span()->first;
    to = view_.span()->second;
  } else if (view_.capture() && view_.visit() != ViewState::kNone) {
    const Visit& v = view_.capture()->visits[static_cast<std::size_t>(view_.visit())].visit;
    from = v.from_s;
    to = v.to_s;
  } else if (view_.capture() && !table_->underMouse() && !table_->hasFocus()) {
    followView();
  }
  // A line may be stamped just before the sample that shows what it reports.
  const double grain = view_.capture() ? 2 * view_.capture()->basis.sample_s : 0;
  model_->setInside(from - grain, to);
  if (!(to > from) || table_->underMouse()) return;
  const int line = model_->firstAt(from - grain);
  if (line >= model_->rowCount()) return;
  const QModelIndex index = filtered_->mapFromSource(model_->index(line, 0));
  following_ = true;
  if (index.isValid()) table_->scrollTo(index, QAbstractItemView::PositionAtCenter);
  following_ = false;
}

/// Nothing is marked: the list goes with what is shown, or with the end while that is live.
void LogMargin::followView() {
  const bool live = view_.recording() && !view_.held();
  // Of those the filter leaves, in order of time.
  int low = 0, high = filtered_->rowCount();
  if (high == 0) return;
  while (low < high) {
    const int middle = (low + high) / 2;
    const double t = filtered_->index(middle, 0).data(LogModel::TimeRole).toDouble();
    (t < view_.from() ? low : high) = t < view_.from() ? middle + 1 : middle;
  }
  const int row = live ? filtered_->rowCount() - 1 : std::min(low, filtered_->rowCount() - 1);
  const QModelIndex index = filtered_->index(row, 0);
  following_ = true;
  table_->scrollTo(index,
                   live ? QAbstractItemView::PositionAtBottom : QAbstractItemView::PositionAtTop);
  following_ = false;
}

bool LogMargin::eventFilter(QObject* watched, QEvent* event) {
  if (watched == filter_) {
    const bool before = event->type() == QEvent::ShortcutOverride;
    if (event->type() != QEvent::KeyPress && !before) return false;
    const auto* key = static_cast<QKeyEvent*>(event);
    if (before) {  // Escape is the filter's while the keyboard is here
      if (key->key() == Qt::Key_Escape) event->accept();
      return false;
    }
    if (key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter) {
      emit matchWanted(key->modifiers() & Qt::ShiftModifier ? -1 : 1);
      return true;
    }
    if (key->key() != Qt::Key_Escape) return false;
    if (filter_->text().isEmpty()) {
      emit left();
    } else {
      filter_->clear();
    }
    return true;
  }
  if (event->type() == QEvent::Leave) view_.setPointer(std::nullopt);
  return QWidget::eventFilter(watched, event);
}

}  // namespace kuvio::app
