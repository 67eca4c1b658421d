// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/log_margin.h"

#include "app/look/parts.h"

#include <QAction>
#include <QEvent>
#include <QHeaderView>
#include <QVBoxLayout>

namespace kuvio::app {

LogMargin::LogMargin(ViewState& view, QWidget* parent) : QWidget(parent), view_(view) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(8, 6, 0, 0);
  filter_ = new QLineEdit(this);
  filter_->setObjectName(QStringLiteral("logFilter"));
  filter_->setAccessibleName(tr("Filter of the device log"));
  filter_->setPlaceholderText(tr("Lines with…"));
  filter_->setClearButtonEnabled(true);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(8, 0, 12, 0);
  head->addWidget(filter_);
  column->addLayout(head);
  model_ = new LogModel(this);
  filtered_ = new QSortFilterProxyModel(this);
  filtered_->setSourceModel(model_);
  filtered_->setFilterKeyColumn(LogModel::Text);
  filtered_->setFilterCaseSensitivity(Qt::CaseInsensitive);
  table_ = new NotebookTable(QStringLiteral("log"), tr("Device log"), 21, this);
  table_->setModel(filtered_);
  table_->horizontalHeader()->hide();
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->setColumnWidth(LogModel::Time, 68);
  table_->viewport()->installEventFilter(this);
  auto* edge = new QAction(tr("Make this a state edge"), table_);
  connect(edge, &QAction::triggered, this, [this] {
    const QModelIndex index = table_->currentIndex();
    if (index.isValid()) emit edgeWanted(index.data(LogModel::TimeRole).toDouble());
  });
  table_->addAction(edge);
  column->addWidget(table_, 1);
  empty_ = remark(tr("No device log in this capture. Give the Bench desk the address of the "
                     "device's serial line, and its own words stand here beside the trace."),
                  this);
  empty_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  empty_->setContentsMargins(8, 4, 12, 0);
  column->addWidget(empty_, 1);
  arrived_ = remark({}, this);
  arrived_->setContentsMargins(8, 0, 12, 6);
  column->addWidget(arrived_);

  connect(filter_, &QLineEdit::textChanged, filtered_,
          &QSortFilterProxyModel::setFilterFixedString);
  connect(&view_, &ViewState::captureChanged, this, &LogMargin::takeCapture);
  connect(&view_, &ViewState::visitChanged, this, &LogMargin::follow);
  connect(&view_, &ViewState::spanChanged, this, &LogMargin::follow);
  connect(table_, &QTableView::entered, this, [this](const QModelIndex& index) {
    view_.setPointer(index.data(LogModel::TimeRole).toDouble());
  });
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) { pick(index); });
  takeCapture();
}

void LogMargin::focusFilter() {
  filter_->setFocus();
  filter_->selectAll();
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
  arrived_->setText(!any      ? QString()
                    : stamped ? tr("Times by the device's own clock")
                              : tr("Times of arrival, ± 2 ms"));
  arrived_->setVisible(any);
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
  const auto at = visit_at(view_.capture()->visits, t);
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
  }
  // A line may be stamped just before the sample that shows what it tells of.
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

bool LogMargin::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::Leave) view_.setPointer(std::nullopt);
  return QWidget::eventFilter(watched, event);
}

}  // namespace kuvio::app
