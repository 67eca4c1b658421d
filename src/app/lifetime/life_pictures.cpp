// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lifetime/life_pictures.h"

#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/lifetime/round_name.h"
#include "app/style/widgets.h"

#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {

LifePictures::LifePictures(QWidget* parent) : QWidget(parent) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  auto* head = new QHBoxLayout;
  which_ = new QTabBar(this);
  which_->setObjectName(QStringLiteral("lifePictures"));
  which_->setAccessibleName(tr("Picture of the lifetime"));
  which_->addTab(tr("By interval"));
  which_->addTab(tr("By build"));
  which_->setDrawBase(false);
  which_->setExpanding(false);
  head->addWidget(which_);
  head->addSpacing(8);
  activity_ = new QComboBox(this);
  activity_->setObjectName(QStringLiteral("curveRound"));
  activity_->setAccessibleName(tr("Activity whose interval is plotted"));
  activity_->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  QSizePolicy keep = activity_->sizePolicy();
  keep.setRetainSizeWhenHidden(true);
  activity_->setSizePolicy(keep);
  head->addWidget(activity_, 0);
  head->addStretch(1);
  column->addLayout(head);
  stack_ = new QStackedWidget(this);
  curve_ = new LifeCurve(this);
  builds_ = new BuildLives(this);
  stack_->addWidget(curve_);
  stack_->addWidget(builds_);
  column->addWidget(stack_, 1);
  column->addSpacing(8);
  column->addWidget(heading(tr("WHERE THE CAPACITY GOES · scenario"), this));
  bar_ = new CapacityBar(this);
  column->addWidget(bar_);
  for (QWidget* picture : std::initializer_list<QWidget*>{curve_, builds_, bar_})
    offer_picture(picture);
  connect(activity_, &QComboBox::activated, this, &LifePictures::activityChosen);
  connect(which_, &QTabBar::currentChanged, this, [this](int picture) {
    stack_->setCurrentIndex(picture);
    activity_->setVisible(picture == 0);
  });
  connect(curve_, &LifeCurve::intervalDragged, this, &LifePictures::intervalDragged);
}

void LifePictures::setView(const LifeViewPtr& view, const BookViewPtr& book) {
  activity_->clear();
  for (const Activity& a : view->scenario.plan.activities) activity_->addItem(round_name(a.states));
  activity_->setCurrentIndex(static_cast<int>(view->activity));
  curve_->setView(view);
  builds_->setView(
      view, book ? book->reference() : std::string(),
      [book](const std::string& build) { return book ? book->ink_of(build) : std::size_t{0}; });
  bar_->setView(view);
}

std::size_t LifePictures::activity() const {
  return static_cast<std::size_t>(std::max(0, activity_->currentIndex()));
}

void LifePictures::repaintAll() {
  for (QWidget* picture : std::initializer_list<QWidget*>{curve_, builds_, bar_}) picture->update();
}

}  // namespace kuvio::app
