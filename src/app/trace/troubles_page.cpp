// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/troubles_page.h"

#include "app/engine/account_views.h"
#include "app/engine/session.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/notebook_table.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "app/trace/time_text.h"

#include <QHeaderView>
#include <QLabel>
#include <QStandardItemModel>
#include <QVBoxLayout>

#include <algorithm>

namespace kuvio::app {
namespace {

enum Column { When, What, State, Columns };

/// Whether troubles are the same in both: the samples, the visits and the log are.
bool same(const CaptureView& a, const CaptureView& b) {
  return a.info.id == b.info.id && a.channel.samples == b.channel.samples &&
         a.recipe_text == b.recipe_text && a.edit_list == b.edit_list &&
         a.info.conditions == b.info.conditions && a.log.size() == b.log.size() &&
         a.visits.size() == b.visits.size();
}

}  // namespace

TroublesPage::TroublesPage(ViewState& view, Session& session, QWidget* parent)
    : QWidget(parent), view_(view), session_(session) {
  setObjectName(QStringLiteral("troublesPage"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
  words_ = remark({}, this);
  words_->setObjectName(QStringLiteral("troublesWords"));
  words_->setWordWrap(true);
  words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  words_->setContentsMargins(Px{8}, 4, Px{8}, 2);
  column->addWidget(words_);
  model_ = new QStandardItemModel(0, Columns, this);
  table_ = new NotebookTable(QStringLiteral("troubles"), tr("Troubles"), 20, this);
  table_->setModel(model_);
  table_->horizontalHeader()->setSectionResizeMode(What, QHeaderView::Stretch);
  column->addWidget(table_, 1);
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (index.isValid() && table_->hasFocus()) go(index.row());
          });
  connect(table_, &QTableView::clicked, this,
          [this](const QModelIndex& index) { go(index.row()); });
  connect(table_, &QTableView::activated, this,
          [this](const QModelIndex& index) { go(index.row()); });
  connect(&view_, &ViewState::captureChanged, this, &TroublesPage::takeCapture);
  connect(&session_, &Session::troublesReady, this, &TroublesPage::takeTroubles);
}

QString TroublesPage::words() const { return words_->text(); }

/// Of a capture that is still being recorded the recorder tells by itself.
void TroublesPage::takeCapture() {
  const CaptureViewPtr& capture = view_.capture();
  const bool any = capture && !capture->visits.empty() && !capture->info.recording;
  if (any && asked_ && same(*asked_, *capture)) return;
  asked_ = any ? capture : nullptr;
  troubles_.reset();
  lay();
  if (any) session_.requestTroubles(capture->info.id);
}

void TroublesPage::takeTroubles(const TroublesViewPtr& troubles) {
  if (!asked_ || troubles->capture != asked_->info.id) return;
  troubles_ = troubles;
  lay();
}

void TroublesPage::lay() {
  model_->clear();
  model_->setHorizontalHeaderLabels({tr("at"), tr("what"), tr("in")});
  const std::size_t n = troubles_ ? troubles_->found.all.size() : 0;
  emit found(static_cast<int>(n));
  words_->show();
  if (!troubles_) {
    words_->setText(asked_ ? tr("Looking…")
                    : view_.capture() && view_.capture()->info.recording
                        ? tr("It is still being recorded: what happens is told as it happens.")
                        : tr("Not split into states yet: then it is looked through."));
    return;
  }
  if (!troubles_->error.empty()) return words_->setText(qs(troubles_->error));
  const double width = asked_->to_s - asked_->from_s;
  for (const study::Trouble& t : troubles_->found.all) {
    auto* when = new QStandardItem(moment_text(t.from_s, std::min(width, 10.0)));
    when->setData(t.from_s, RawRole);
    auto* what = new QStandardItem(qs(t.text));
    what->setToolTip(qs(t.text));
    auto* state = new QStandardItem(qs(t.state));
    if (!t.state.empty()) state->setData(Theme::current().fill(t.state, asked_->fills), FillRole);
    when->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
    for (QStandardItem* item : {what, state})
      item->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    model_->appendRow({when, what, state});
  }
  model_->setHeaderData(When, Qt::Horizontal, int(Qt::AlignRight | Qt::AlignVCenter),
                        Qt::TextAlignmentRole);
  table_->horizontalHeader()->setSectionResizeMode(What, QHeaderView::Stretch);
  table_->fitColumns();
  QStringList said;
  if (n == 0) said << tr("Nothing found that is not the device at its normal work.");
  for (const std::string& what : troubles_->found.unknown) {
    QString sentence = qs(what) + QLatin1Char('.');
    sentence[0] = sentence[0].toUpper();
    said << sentence;
  }
  words_->setText(said.join(QLatin1Char(' ')));
  words_->setVisible(!said.isEmpty());
}

/// Shows where it happened, with as much on either side.
void TroublesPage::go(int row) {
  if (!troubles_ || row < 0 || row >= static_cast<int>(troubles_->found.all.size())) return;
  const study::Trouble& t = troubles_->found.all[static_cast<std::size_t>(row)];
  const double room = std::max((t.to_s - t.from_s), 0.05);
  view_.show(t.from_s - room, t.to_s + room);
  view_.goTo(t.from_s);
}

}  // namespace kuvio::app
