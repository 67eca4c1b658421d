// SPDX-License-Identifier: GPL-3.0-or-later
// What stands under the Trace desk's lanes: ledger, visits and transitions, a page each.

#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"
#include "app/style/folding_splitter.h"
#include "app/style/notebook_table.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/total_strip.h"
#include "app/style/widgets.h"
#include "app/trace/ledger_model.h"
#include "app/trace/trace_desk.h"
#include "app/trace/visits_page.h"
#include "app/trace/ways_page.h"

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
  account_tabs_->setDrawBase(false);
  account_tabs_->setExpanding(false);
  top->addWidget(account_tabs_);
  top->addStretch(1);
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
  pages->addWidget(first);
  pages->addWidget(visits_);
  pages->addWidget(ways_);
  column->addWidget(pages, 1);
  connect(account_tabs_, &QTabBar::currentChanged, pages, &QStackedWidget::setCurrentIndex);
  return account_;
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
  add("showTransitions", tr("Show transitions: what follows what, beside the reference"),
      Page::transitions);
}

}  // namespace kuvio::app
