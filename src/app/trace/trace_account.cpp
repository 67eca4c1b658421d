// SPDX-License-Identifier: GPL-3.0-or-later
// What stands under the Trace desk's lanes: the ledger, its visits, and what happens in time, a
// page each.

#include "app/engine/account_views.h"
#include "app/engine/book_view.h"
#include "app/engine/session.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/folding_splitter.h"
#include "app/style/notebook_table.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/total_strip.h"
#include "app/style/widgets.h"
#include "app/trace/ledger_model.h"
#include "app/trace/trace_desk.h"
#include "app/trace/troubles_page.h"
#include "app/trace/visits_page.h"
#include "app/trace/waits_page.h"
#include "app/trace/ways_page.h"

#include <QComboBox>
#include <QPushButton>
#include <QStackedWidget>
#include <QTabBar>
#include <QVBoxLayout>

namespace kuvio::app {

QWidget* TraceDesk::makeAccount(QWidget* parent) {
  account_ = new QWidget(parent);
  auto* column = new QVBoxLayout(account_);
  column->setContentsMargins(12, 0, 8, 0);
  column->setSpacing(0);
  column->addWidget(ruling(account_));
  auto* top = new QHBoxLayout;
  account_tabs_ = new QTabBar(account_);
  account_tabs_->setObjectName(QStringLiteral("accountTabs"));
  account_tabs_->setAccessibleName(tr("Under the traces"));
  account_tabs_->addTab(tr("Ledger"));
  account_tabs_->addTab(tr("Visits"));
  account_tabs_->addTab(tr("Transitions"));
  account_tabs_->addTab(tr("Waits"));
  account_tabs_->addTab(tr("Troubles"));
  account_tabs_->setDrawBase(false);
  account_tabs_->setExpanding(false);
  top->addWidget(account_tabs_);
  top->addStretch(1);
  ledger_of_ = new QComboBox(account_);
  ledger_of_->setObjectName(QStringLiteral("ledgerOf"));
  ledger_of_->setAccessibleName(tr("Current that is accounted for"));
  ledger_of_->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  ledger_of_->hide();
  top->addWidget(ledger_of_);
  edits_ = button({}, QStringLiteral("edits"), account_);
  edits_->setFlat(true);
  edits_->hide();
  top->addWidget(edits_);
  column->addLayout(top);

  auto* pages = new QStackedWidget(account_);
  auto* first = new QWidget(pages);
  auto* ledger = new QVBoxLayout(first);
  ledger->setContentsMargins(0, 0, 0, 0);
  ledger->setSpacing(0);
  ledger_model_ = new LedgerModel(this);
  ledger_ = new NotebookTable(QStringLiteral("ledger"), tr("Ledger"), 22, first);
  ledger_->setModel(ledger_model_);
  auto* header = ledger_->horizontalHeader();
  header->setMinimumSectionSize(40);
  for (int i = 0; i < LedgerModel::Columns; ++i)
    header->setSectionResizeMode(i, QHeaderView::Interactive);
  header->setSectionResizeMode(LedgerModel::Share, QHeaderView::Stretch);
  header->setSortIndicator(LedgerModel::Charge, Qt::DescendingOrder);
  ledger_->setSortingEnabled(true);
  connect(header, &QHeaderView::sortIndicatorChanged, this, &TraceDesk::fitLedger,
          Qt::QueuedConnection);
  ledger_->setMinimumHeight(Px{96});
  ledger->addWidget(ledger_);
  ledger->addWidget(new TotalStrip(ledger_, first));
  visits_ = new VisitsPage(context_.view, pages);
  ways_ = new WaysPage(context_.view, context_.session, pages);
  waits_ = new WaitsPage(context_.view, context_.session, pages);
  troubles_ = new TroublesPage(context_.view, context_.session, pages);
  for (QWidget* page : std::initializer_list<QWidget*>{first, visits_, ways_, waits_, troubles_})
    pages->addWidget(page);
  column->addWidget(pages, 1);
  connect(account_tabs_, &QTabBar::currentChanged, pages, &QStackedWidget::setCurrentIndex);
  connect(account_tabs_, &QTabBar::currentChanged, this, &TraceDesk::offerCurrents);
  connect(troubles_, &TroublesPage::found, this, [this](int count) {
    account_tabs_->setTabText(static_cast<int>(Page::troubles),
                              count == 0 ? tr("Troubles") : tr("Troubles: %1").arg(count));
  });
  connect(ledger_of_, &QComboBox::activated, this, &TraceDesk::askLedger);
  connect(&context_.session, &Session::ledgerReady, this, &TraceDesk::takeLedger);
  connect(&context_.view, &ViewState::captureChanged, this, &TraceDesk::offerCurrents);
  return account_;
}

/// Where a capture has several currents each can be accounted for in the visits of the one that was
/// split.
void TraceDesk::offerCurrents() {
  const CaptureViewPtr& capture = context_.view.capture();
  QStringList currents;
  if (capture && !capture->visits.empty()) {
    for (const book::ChannelInfo& c : capture->info.channels) {
      if (c.quantity == Quantity::current && c.sampled()) currents << qs(c.name);
    }
    // The one that was split stands first.
    currents.removeAll(qs(capture->channel.name));
    currents.prepend(qs(capture->channel.name));
  }
  QStringList offered;
  for (int i = 0; i < ledger_of_->count(); ++i) offered << ledger_of_->itemData(i).toString();
  if (offered != currents) {
    ledger_of_->clear();
    for (const QString& name : currents) ledger_of_->addItem(tr("Charge of %1").arg(name), name);
  }
  ledger_of_->setVisible(currents.size() > 1 &&
                         account_tabs_->currentIndex() == static_cast<int>(Page::ledger));
  askLedger();
}

void TraceDesk::askLedger() {
  const CaptureViewPtr& capture = context_.view.capture();
  if (!capture || ledger_of_->currentIndex() <= 0) return takeLedger(nullptr);
  if (!ledger_model_->showsOther(capture->info.id)) takeLedger(nullptr);
  context_.session.requestLedger(
      {capture->info.id, ledger_of_->currentData().toString().toStdString()});
}

void TraceDesk::takeLedger(const LedgerViewPtr& ledger) {
  const CaptureViewPtr& capture = context_.view.capture();
  const bool wanted = ledger && ledger->error.empty() && capture &&
                      ledger->asked.capture == capture->info.id &&
                      qs(ledger->asked.channel) == ledger_of_->currentData().toString();
  if (ledger && !ledger->error.empty()) emit context_.session.failed(qs(ledger->error));
  following_ = true;
  ledger_model_->setOther(wanted ? ledger : nullptr);
  following_ = false;
  ledger_->setColumnHidden(LedgerModel::OfAll, !wanted);
  fitLedger();
  follow();
}

void TraceDesk::showAccount(Page page) { account_tabs_->setCurrentIndex(static_cast<int>(page)); }

void TraceDesk::makeAccountActions() {
  const auto add = [&](const char* id, const QString& text, Page page) {
    context_.actions.add(
        QLatin1String(id), text, {}, [this, page] { showAccount(page); }, DeskId::trace);
  };
  add("showLedger", tr("Show ledger"), Page::ledger);
  add("showVisits", tr("Show visits: those unlike the others, charge per log number"),
      Page::visits);
  add("showWaits", tr("Show waits: from a log line, mark or logic edge to a state"), Page::waits);
  add("showTroubles", tr("Show troubles: limit, dips, restarts, hangs"), Page::troubles);
  add("showTransitions", tr("Show transitions: what follows what, beside the reference"),
      Page::transitions);
}

}  // namespace kuvio::app
