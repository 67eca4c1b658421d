// SPDX-License-Identifier: GPL-3.0-or-later
// What stands beside the Trace desk's lanes, and in place of states that are not there.

#include "app/engine/book_view.h"
#include "app/engine/state_edits.h"
#include "app/engine/trace_views.h"
#include "app/style/pixels.h"
#include "app/style/widgets.h"
#include "app/trace/channels_margin.h"
#include "app/trace/lanes.h"
#include "app/trace/line_up_margin.h"
#include "app/trace/log_margin.h"
#include "app/trace/recipe_margin.h"
#include "app/trace/spread_margin.h"
#include "app/trace/trace_desk.h"
#include "formats/example.h"

#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {
/// Whether the simulated device that ships with Kuvio was recorded: its log says its name.
bool is_of_satchel(const CaptureView& capture) {
  return capture.channel.input.starts_with("Kuvio,") &&
         std::any_of(capture.log.begin(), capture.log.end(), [](const book::LogLine& line) {
           return line.text.find("satchel") != std::string::npos;
         });
}
}  // namespace

QWidget* TraceDesk::makeMargin() {
  auto* box = new QWidget(this);
  auto* column = new QVBoxLayout(box);
  column->setContentsMargins(0, 4, 0, 0);
  column->setSpacing(0);
  tabs_ = new QTabBar(box);
  tabs_->setObjectName(QStringLiteral("marginTabs"));
  tabs_->setAccessibleName(tr("Side panel"));
  tabs_->addTab(tr("Log"));
  tabs_->addTab(tr("Recipe"));
  tabs_->addTab(tr("Histogram"));
  tabs_->addTab(tr("Channels"));
  tabs_->addTab(tr("Line up"));
  tabs_->setDrawBase(false);
  tabs_->setExpanding(false);
  column->addWidget(tabs_);
  margin_ = new QStackedWidget(box);
  log_ = new LogMargin(context_.view, margin_);
  recipe_ = new RecipeMargin(context_.view, context_.session, context_.documents, *lanes_, margin_);
  margin_->addWidget(log_);
  margin_->addWidget(recipe_);
  spread_ = new SpreadMargin(context_.view, context_.session, *lanes_, margin_);
  line_up_ = new LineUpMargin(context_.view, context_.session, margin_);
  margin_->addWidget(spread_);
  channels_ = new ChannelsMargin(context_.view, context_.session, margin_);
  margin_->addWidget(scroll_area(channels_, margin_));
  margin_->addWidget(line_up_);
  column->addWidget(margin_, 1);
  connect(tabs_, &QTabBar::currentChanged, margin_, &QStackedWidget::setCurrentIndex);
  connect(recipe_, &RecipeMargin::messageReported, this, &Desk::messageReported);
  box->setMinimumWidth(Px{210});
  return box;
}

void TraceDesk::sayNotSplit(const CaptureView& capture) {
  if (capture.info.typed) {
    not_split_->say(tr("Readings taken by eye"),
                    tr("They have no samples. Ledger, comparison, budget and lifetime take them."),
                    {{tr("Change readings…"), [this] {
                        context_.actions.find(QStringLiteral("typeReadings"))->trigger();
                      }}});
    return;
  }
  if (!capture.shows_current() && !capture.info.recording) {
    not_split_->say(
        tr("No current yet"),
        tr("It holds %1 alone. If one is the drop over a shunt, say so under Channels.")
            .arg(capture.channel.quantity == Quantity::voltage ? tr("voltages")
                                                               : tr("other quantities")),
        {{tr("Channels"), [this] { showPage(3); }}});
    return;
  }
  if (capture.info.recording) {
    not_split_->say(tr("Recording…"),
                    tr("It can be split into states when the recording has ended."));
    return;
  }
  const auto split_by = [this](const book::Document& recipe) {
    showPage(1);
    if (context_.view.capture())
      apply_recipe(context_.session, {context_.view.capture()->info.id}, recipe);
  };
  std::vector<EmptyState::Offer> offers;
  offers.emplace_back(tr("Find states"),
                      [this] { context_.actions.find(QStringLiteral("findStates"))->trigger(); });
  if (const book::Document* own = context_.session.book()->document(DocumentKind::recipe)) {
    offers.emplace_back(tr("Split with the book's recipe"),
                        [split_by, own = *own] { split_by(own); });
  } else if (is_of_satchel(capture)) {
    offers.emplace_back(tr("Split with Satchel's recipe"),
                        [split_by] { split_by(formats::example(DocumentKind::recipe)); });
  }
  offers.emplace_back(tr("Open recipe…"),
                      [this] { context_.actions.find(QStringLiteral("openRecipe"))->trigger(); });
  if (!context_.session.book()->document(DocumentKind::recipe)) {
    offers.emplace_back(tr("New recipe"), [this] {
      showPage(1);
      recipe_->newRecipe();
    });
  }
  not_split_->say(tr("Not split into states yet"),
                  tr("Have them found, open a recipe, or mark a span and name it as a state (N)."),
                  offers);
}

}  // namespace kuvio::app
