// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/trace/visits_page.h"

#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/style/cut_label.h"
#include "app/style/notebook_table.h"
#include "app/style/pixels.h"
#include "app/style/theme.h"
#include "app/style/widgets.h"
#include "app/trace/time_text.h"
#include "app/trace/visit_plot.h"
#include "app/trace/visits_model.h"
#include "book/anchors.h"

#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QVBoxLayout>

#include <algorithm>
#include <stdexcept>

namespace kuvio::app {
namespace {

/// The states that a capture visits, by falling charge as its ledger has them.
std::vector<std::string> states_of(const CaptureView& capture) {
  std::vector<std::string> out;
  for (const LedgerRow& row : capture.ledger->rows) {
    if (row.visits > 0 && row.state != kMissing) out.push_back(row.state);
  }
  return out;
}

}  // namespace

VisitsPage::VisitsPage(ViewState& view, QWidget* parent) : QWidget(parent), view_(view) {
  setObjectName(QStringLiteral("visitsPage"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(2);
  auto* top = new QHBoxLayout;
  top->setContentsMargins(8, 2, 8, 0);
  states_ = new QComboBox(this);
  states_->setObjectName(QStringLiteral("visitsOf"));
  states_->setAccessibleName(tr("State whose visits are listed"));
  states_->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  words_ = remark({}, this);
  words_->setObjectName(QStringLiteral("visitWords"));
  words_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  top->addWidget(states_);
  top->addWidget(words_, 1);
  column->addLayout(top);

  auto* across = beside_or_below();
  across->setSpacing(4);
  model_ = new VisitsModel(this);
  table_ = new NotebookTable(QStringLiteral("visits"), tr("Visits"), 20, this);
  table_->setModel(model_);
  table_->setItemDelegate(new VisitsDelegate(table_));
  auto* header = table_->horizontalHeader();
  header->setSectionResizeMode(VisitsModel::Place, QHeaderView::Stretch);
  header->setSortIndicator(VisitsModel::Begins, Qt::AscendingOrder);
  table_->setSortingEnabled(true);
  across->addWidget(table_, 1);
  auto* side = new QVBoxLayout;
  side->setContentsMargins(0, 0, 8, 4);
  side->setSpacing(2);
  plot_ = new VisitPlot(this);
  offer_picture(plot_);
  side->addWidget(plot_, 1);
  per_ = new QLineEdit(this);
  per_->setObjectName(QStringLiteral("chargePer"));
  per_->setAccessibleName(tr("Charge per what log lines count: an expression"));
  per_->setPlaceholderText(tr("Charge per, e.g. done (\\d+) B"));
  per_->setClearButtonEnabled(true);
  side->addWidget(per_);
  cost_ = remark({}, this);
  cost_->setObjectName(QStringLiteral("chargePerWords"));
  cost_->setWordWrap(true);
  cost_->setTextInteractionFlags(Qt::TextSelectableByMouse);
  cost_->hide();
  side->addWidget(cost_);
  auto* box = new QWidget(this);
  box->setLayout(side);
  if (is_cramped()) {
    box->setMinimumHeight(Px{150});
  } else {
    box->setFixedWidth(Px{250});
  }
  across->addWidget(box);
  column->addLayout(across, 1);

  connect(states_, &QComboBox::activated, this, [this](int at) {
    const std::string state = states_->itemData(at).toString().toStdString();
    showState(state);
    view_.pickState(state);
  });
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& index) {
            if (!following_ && index.isValid()) pick(model_->visitOf(index.row()));
          });
  connect(table_, &QTableView::doubleClicked, this, [this](const QModelIndex& index) {
    const int visit = model_->visitOf(index.row());
    if (visit < 0) return;
    const Visit& v = capture_->visits[static_cast<std::size_t>(visit)].visit;
    view_.show(v.from_s - v.length_s() / 4, v.to_s + v.length_s() / 4);
  });
  connect(plot_, &VisitPlot::picked, this, &VisitsPage::pick);
  connect(per_, &QLineEdit::textChanged, this, &VisitsPage::fit);
  connect(&view_, &ViewState::captureChanged, this, &VisitsPage::takeCapture);
  connect(&view_, &ViewState::visitChanged, this, &VisitsPage::follow);
}

QString VisitsPage::words() const {
  return cost_->text().isEmpty() ? words_->text()
                                 : words_->text() + QLatin1Char(' ') + cost_->text();
}

void VisitsPage::setUnit(ChargeUnit unit) {
  model_->setUnit(unit);
  plot_->setUnit(unit);
  table_->fitColumns({VisitsModel::Peak, VisitsModel::Mean});
  follow();
}

void VisitsPage::showEvent(QShowEvent* event) {
  QWidget::showEvent(event);
  takeCapture();
}

/// What is not seen is not worked out.
void VisitsPage::takeCapture() {
  if (!isVisible()) return;
  capture_ = view_.capture();
  const bool any = capture_ && capture_->ledger && !capture_->visits.empty();
  const std::vector<std::string> states = any ? states_of(*capture_) : std::vector<std::string>();
  states_->clear();
  for (const std::string& s : states) states_->addItem(qs(s), qs(s));
  std::string wanted = view_.pickedState();
  if (wanted.empty()) wanted = state_;
  if (std::find(states.begin(), states.end(), wanted) == states.end())
    wanted = states.empty() ? "" : states.front();
  showState(wanted);
}

void VisitsPage::showState(const std::string& state) {
  state_ = state;
  following_ = true;
  states_->setCurrentIndex(states_->findData(qs(state)));
  model_->setVisits(state.empty() ? nullptr : capture_, state);
  plot_->setSurvey(state.empty() ? nullptr : capture_, model_->survey());
  following_ = false;
  table_->fitColumns({VisitsModel::Peak, VisitsModel::Mean});
  say();
  fit();
  follow();
}

/// Goes where the picked visit is: another state's are listed then.
void VisitsPage::follow() {
  if (!isVisible() || !capture_) return;
  const std::string picked = view_.pickedState();
  if (!picked.empty() && picked != state_ && states_->findData(qs(picked)) >= 0)
    return showState(picked);
  following_ = true;
  plot_->setPicked(view_.visit());
  const int row = model_->rowOf(view_.visit());
  if (row >= 0) {
    table_->setCurrentIndex(model_->index(row, 0));
    table_->scrollTo(model_->index(row, 0));
  } else {
    table_->clearSelection();
    table_->setCurrentIndex({});
  }
  following_ = false;
}

void VisitsPage::pick(int visit) {
  if (visit < 0) return;
  view_.pickVisit(visit);
  view_.stepVisit(0);  // brings it into view
}

void VisitsPage::say() {
  const VisitSurvey& survey = model_->survey();
  const UsualVisit* u = survey.of(VisitMeasure::charge);
  if (survey.visits.empty()) {
    words_->setText({});
    return;
  }
  QStringList parts;
  const auto whole = static_cast<std::size_t>(
      std::count_if(survey.visits.begin(), survey.visits.end(),
                    [&](std::size_t i) { return capture_->visits[i].visit.whole; }));
  parts << (survey.visits.size() == 1 ? tr("1 visit") : tr("%1 visits").arg(survey.visits.size())) +
               (whole == survey.visits.size() ? QString() : tr(", %1 whole").arg(whole));
  std::vector<std::size_t> odd;
  for (const OddVisit& o : survey.odd) {
    if (odd.empty() || odd.back() != o.visit) odd.push_back(o.visit);
  }
  if (!u || u->visits < kNeededForOdd) {
    parts << tr("too few to tell which is unlike the others");
  } else if (odd.empty()) {
    parts << tr("none is unlike the others");
  } else {
    const QString first = tr("%1 (%2 the usual)")
                              .arg(moment_text(capture_->visits[odd.front()].visit.from_s, 1),
                                   model_->oddText(odd.front()));
    parts << (odd.size() == 1
                  ? tr("one is unlike the others: %1").arg(first)
                  : tr("%1 are unlike the others, first %2").arg(odd.size()).arg(first));
  }
  words_->setText(parts.join(QStringLiteral("; ")));
  words_->setToolTip(words_->text());
  plot_->setAccessibleDescription(words_->text());
}

/// Charge per what the log counts, as it is typed.
void VisitsPage::fit() {
  const QString typed = per_->text().trimmed();
  cost_->setVisible(!typed.isEmpty());
  if (typed.isEmpty() || !capture_ || state_.empty()) {
    cost_->setText({});
    plot_->clearCounts();
    return;
  }
  book::LogCounts lines;
  try {
    lines = book::log_counts(capture_->log, typed.toStdString());
  } catch (const std::invalid_argument& e) {
    plot_->clearCounts();
    cost_->setText(tr("No expression: %1").arg(QString::fromUtf8(e.what())));
    return;
  }
  if (lines.counts.empty()) {
    plot_->clearCounts();
    cost_->setText(tr("No log line holds it."));
    return;
  }
  const VisitCounts counts =
      count_in_visits(capture_->visits, state_, lines.counts, kLogSlack,
                      lines.numbers ? WithoutLine::unknown : WithoutLine::zero);
  const auto line = fit_line(counts.points);
  if (!line) {
    plot_->clearCounts();
    cost_->setText(
        counts.points.size() < 2
            ? tr("%1 whole visits have such a line; two are needed.").arg(counts.points.size())
            : tr("All of them count the same: no telling what one costs."));
    return;
  }
  plot_->setCounts(counts, line);
  const FittedU u = fitted_u(*line, counts, capture_->visits, capture_->basis.accuracy);
  QString text = tr("%1 each, %2 with none")
                     .arg(qs(with_uncertainty(line->slope, u.slope.value_or(0), "C")),
                          qs(with_uncertainty(line->base, u.base.value_or(0), "C")));
  if (!line->straight()) text += tr("; no straight line");
  if (!line->straight_p) text += tr("; too few to tell whether it is straight");
  cost_->setText(text);
}

}  // namespace kuvio::app
