// SPDX-License-Identifier: GPL-3.0-or-later
// The activities of the Lifetime desk's scenario: a row each, and the plan made by hand.

#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/lifetime/lifetime_desk.h"
#include "app/lifetime/round_dialog.h"
#include "app/lifetime/round_name.h"
#include "core/number_text.h"
#include "core/time_units.h"
#include "formats/project_edits.h"

#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace kuvio::app {

void LifetimeDesk::makeRounds(QWidget* box, QVBoxLayout* column) {
  auto* row = new QHBoxLayout;
  auto* label = remark(tr("between them in"), box);
  label->setWordWrap(false);
  rest_ = new QComboBox(box);
  rest_->setObjectName(QStringLiteral("lifeRest"));
  rest_->setAccessibleName(tr("State between the activities"));
  rest_->setSizeAdjustPolicy(QComboBox::AdjustToContents);
  connect(rest_, &QComboBox::activated, this, [this] {
    const std::string state = rest_->currentText().toStdString();
    editPlan(
        [state](const book::Document& plan) {
          return formats::set_rest(plan.text, plan.name, state);
        },
        tr("%1 between the activities").arg(qs(state)));
  });
  auto* add = button(tr("+ Activity"), QStringLiteral("addActivity"), box);
  add->setAccessibleName(tr("Add an activity"));
  add->setFlat(true);
  connect(add, &QPushButton::clicked, this, &LifetimeDesk::addActivity);
  row->addWidget(label);
  row->addWidget(rest_);
  row->addStretch(1);
  row->addWidget(add);
  column->addLayout(row);
}

void LifetimeDesk::editPlan(const std::function<std::string(const book::Document&)>& change,
                            const QString& why) {
  if (!view_) return;
  book::Document next = document(DocumentKind::duty);
  next.text = change(next);
  context_.documents.put(DocumentKind::scenario_duty, next, why);
}

/// Those of the capture but for what fills the rest.
QStringList LifetimeDesk::statesForRounds() const {
  QStringList out;
  if (!view_) return out;
  for (const auto& [state, fill] : view_->fills) {
    if (!is_built_in_state(state) && state != view_->scenario.plan.rest) out << qs(state);
  }
  return out;
}

void LifetimeDesk::addActivity() {
  auto* dialog = new RoundDialog(statesForRounds(), this);
  connect(dialog, &RoundDialog::given, this, [this](const QStringList& states, double interval_s) {
    std::vector<std::string> names;
    for (const QString& s : states) names.push_back(s.toStdString());
    editPlan(
        [names, interval_s](const book::Document& plan) {
          return formats::add_activity(plan.text, plan.name, names, interval_s);
        },
        tr("activity added"));
  });
  dialog->show();
}

void LifetimeDesk::buildActivities() {
  const auto& rounds = view_->scenario.plan.activities;
  while (activities_.size() > rounds.size()) {
    Row& row = activities_.back();
    for (QWidget* w :
         std::initializer_list<QWidget*>{row.label, row.captured, row.edit, row.reset, row.remove})
      w->deleteLater();
    activities_.pop_back();
  }
  while (activities_.size() < rounds.size()) {
    const std::size_t i = activities_.size();
    activities_.push_back(
        addRow(QStringLiteral("activity%1").arg(i), tr("Activity %1").arg(i + 1), Dimension::time));
    Row& row = activities_.back();
    connect(row.edit, &QuantityEdit::quantityEdited, this, [this, i] {
      if (i < activities_.size() && activities_[i].edit->quantity())
        putInterval(i, *activities_[i].edit->quantity());
    });
    row.remove = new QToolButton(stack_->widget(1));
    row.remove->setObjectName(QStringLiteral("removeActivity%1").arg(i));
    row.remove->setText(QStringLiteral("×"));
    row.remove->setAutoRaise(true);
    row.remove->setFocusPolicy(Qt::StrongFocus);
    int at = 0, column = 0, rows = 0, columns = 0;
    grid_->getItemPosition(grid_->indexOf(row.edit), &at, &column, &rows, &columns);
    grid_->addWidget(row.remove, at, 4);
    connect(row.remove, &QToolButton::clicked, this, [this, i] {
      editPlan(
          [i](const book::Document& plan) {
            return formats::remove_activity(plan.text, plan.name, i);
          },
          tr("activity removed"));
    });
  }
}

void LifetimeDesk::showActivities() {
  const auto& rounds = view_->scenario.plan.activities;
  for (std::size_t i = 0; i < rounds.size(); ++i) {
    const QString name = round_name(rounds[i].states), all = round_states(rounds[i].states);
    Row& row = activities_[i];
    row.label->setText(tr("%1 every").arg(name));
    row.label->setToolTip(all);
    row.edit->setAccessibleName(tr("Interval of %1 in the scenario").arg(all));
    row.remove->setAccessibleName(tr("Remove the activity %1").arg(name));
    row.remove->setToolTip(tr("Remove this activity from the scenario"));
    row.remove->setEnabled(rounds.size() > 1);
    std::optional<double> captured;
    // The same states stand beside each other, in whatever order the capture met them.
    for (const Activity& r : view_->captured.plan.activities) {
      if (r.states == rounds[i].states) captured = 1 / r.rate_hz;
    }
    setRow(row, captured, 1 / rounds[i].rate_hz,
           captured ? qs(duration(*captured)) : QStringLiteral("–"));
  }
  taking_ = true;
  rest_->clear();
  QStringList states = statesForRounds();
  for (const Activity& r : rounds) {  // what is gone through is no rest
    for (const std::string& s : r.states) states.removeAll(qs(s));
  }
  rest_->addItem(qs(view_->scenario.plan.rest));
  rest_->addItems(states);
  taking_ = false;
}

/// How often the activity of the curve may come for a wanted life, read off the curve; nothing
/// where it never, or always, lasts so long.
std::optional<double> interval_for(const study::CaptureLife& view, double wanted_s) {
  for (std::size_t i = 1; i < view.curve.size(); ++i) {
    const auto& [a, life_a] = view.curve[i - 1];
    const auto& [b, life_b] = view.curve[i];
    if (!life_a || !life_b || *life_a > wanted_s || *life_b < wanted_s) continue;
    const double share = *life_b > *life_a ? (wanted_s - *life_a) / (*life_b - *life_a) : 0;
    return a * std::pow(b / a, share);  // points lie evenly in the logarithm
  }
  return std::nullopt;
}

void LifetimeDesk::showNeeded() {
  if (!view_->wanted_s) return needed_->setText({});
  const double wanted = *view_->wanted_s;
  const QString cell =
      view_->needed_c
          ? tr("For %1 a cell of %2 mAh is needed.")
                .arg(qs(life_time(wanted)))
                .arg(*view_->needed_c / 3.6, 0, 'g', 3)
          : tr("No cell lasts %1: its self-discharge alone empties it.").arg(qs(life_time(wanted)));
  const auto interval = interval_for(*view_, wanted);
  needed_->setText(
      interval ? cell + QLatin1Char(' ') +
                     tr("Or %1 every %2, with this one.")
                         .arg(round_name(view_->scenario.plan.activities[view_->activity].states),
                              qs(duration(*interval)))
               : cell);
}

}  // namespace kuvio::app
