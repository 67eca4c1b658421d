// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/ways_page.h"

#include "app/engine/account_views.h"
#include "app/engine/book_view.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/notebook_table.h"
#include "app/style/pixels.h"
#include "app/style/widgets.h"
#include "app/trace/ways_fan.h"
#include "app/trace/ways_model.h"
#include "formats/account_results.h"

#include <QHeaderView>
#include <QLabel>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {

WaysPage::WaysPage(ViewState& view, Session& session, QWidget* parent)
    : QWidget(parent), view_(view), session_(session) {
  setObjectName(QStringLiteral("waysPage"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
  words_ = remark({}, this);
  words_->setObjectName(QStringLiteral("waysWords"));
  words_->setWordWrap(true);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  words_->setContentsMargins(Px{8}, 4, Px{8}, 2);
  column->addWidget(words_);
  auto* across = beside_or_below();
  across->setSpacing(8);
  fan_ = new WaysFan(this);
  offer_picture(fan_);
  auto* room = scroll_area(fan_, this);
  room->setObjectName(QStringLiteral("waysRoom"));
  across->addWidget(room, 5);
  model_ = new WaysModel(this);
  table_ = new NotebookTable(QStringLiteral("ways"), tr("What follows what"), 20, this);
  table_->setModel(model_);
  table_->horizontalHeader()->setSectionResizeMode(WaysModel::Remark, QHeaderView::Stretch);
  across->addWidget(table_, 6);
  column->addLayout(across, 1);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (following_ || !index.isValid()) return;
            const WaysModel::Row& row = model_->rows()[static_cast<std::size_t>(index.row())];
            pick(row.from, row.to);
          });
  connect(table_, &QTableView::activated, this, [this](const QModelIndex& index) {
    const WaysModel::Row& row = model_->rows()[static_cast<std::size_t>(index.row())];
    pick(row.from, row.to);
  });
  connect(fan_, &WaysFan::picked, this, [this](const std::string& from, const std::string& to) {
    following_ = true;
    const int at = model_->rowOf(from, to);
    if (at >= 0) table_->setCurrentIndex(model_->index(at, 0));
    following_ = false;
    pick(from, to);
  });
  connect(&view_, &ViewState::captureChanged, this, &WaysPage::takeCapture);
  connect(&session_, &Session::bookOpened, this, &WaysPage::takeCapture);
  connect(&session_, &Session::waysReady, this, &WaysPage::takeReference);
}

QString WaysPage::words() const { return words_->text(); }

void WaysPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  takeCapture();
}

/// What is not seen is not worked out.
void WaysPage::takeCapture() {
  if (!isVisible()) return;
  lay();
  const std::string reference = session_.book() ? session_.book()->reference() : "";
  if (view_.capture() && !reference.empty() && reference != view_.capture()->info.build)
    session_.requestWays(reference);
}

void WaysPage::takeReference(const WaysViewPtr& ways) {
  reference_ = ways;
  if (isVisible()) lay();
}

void WaysPage::lay() {
  const CaptureViewPtr& capture = view_.capture();
  const std::string wanted = session_.book() ? session_.book()->reference() : "";
  const bool beside = capture && reference_ && reference_->captures > 0 &&
                      reference_->build == wanted && wanted != capture->info.build;
  const Visits visits = capture ? visits_of(capture->visits) : Visits();
  const Transitions here = transitions_of({&visits});
  following_ = true;
  model_->setWays(here, beside ? reference_ : nullptr, capture ? capture->fills : Fills());
  following_ = false;
  table_->setColumnHidden(WaysModel::There, !beside);
  fan_->setWays(here, beside ? reference_->ways : Transitions(),
                capture ? capture->fills : Fills());
  table_->fitColumns({WaysModel::Stay});
  if (!beside) table_->setColumnHidden(WaysModel::There, true);
  say(beside ? reference_ : nullptr);
}

void WaysPage::say(const WaysViewPtr& reference) {
  const CaptureViewPtr& capture = view_.capture();
  if (!capture || model_->rows().empty()) {
    words_->setText(capture ? tr("No state was left for another.") : QString());
    return;
  }
  if (!reference) {
    const std::string wanted = session_.book() ? session_.book()->reference() : "";
    words_->setText(
        wanted == capture->info.build
            ? tr("%1 is the reference: what the others do otherwise is said there.").arg(qs(wanted))
            : tr("No reference that is split to hold this against."));
    return;
  }
  const WayComparison& ways = model_->ways();
  QStringList said;
  for (const std::string& state : ways.new_states)
    said << tr("%1 is never a state of %2").arg(qs(state), qs(reference->build));
  // What is sure comes first, then what may be chance and says so.
  qsizetype sure = said.size();
  for (const WayDifference& d : ways.pairs) {
    const std::string sentence = formats::way_sentence(d, reference->build);
    if (sentence.empty()) continue;
    said << qs(sentence);
    sure += d.way == Way::unsure ? 0 : 1;
  }
  constexpr int kSaid = 3;
  QString text = said.mid(0, kSaid).join(QStringLiteral("; "));
  if (sure == 0)
    text = tr("No state is followed by another than in %1, as far as can be told")
               .arg(qs(reference->build)) +
           (said.isEmpty() ? QString() : QStringLiteral(". ") + text);
  if (said.size() > kSaid) text += tr("; %1 more").arg(said.size() - kSaid);
  words_->setText(text + QLatin1Char('.'));
}

/// Goes to the next moment at which it happened, behind the visit that is picked; round again at
/// the end.
void WaysPage::pick(const std::string& from, const std::string& to) {
  fan_->setPicked(from, to);
  const Transition* t = model_->here().find(from, to);
  if (!t || t->entered.empty()) return;
  const auto picked = static_cast<std::size_t>(std::max(0, view_.visit() + 1));
  auto next = std::lower_bound(t->entered.begin(), t->entered.end(), picked);
  if (next == t->entered.end()) next = t->entered.begin();
  view_.pickVisit(static_cast<int>(*next));
  view_.stepVisit(0);  // brings it into view
}

}  // namespace kuvio::app
