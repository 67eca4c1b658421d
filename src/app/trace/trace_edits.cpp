// SPDX-License-Identifier: GPL-3.0-or-later
// The Trace desk's edits of states: menus, dialogs and what they ask of the book.

#include "app/engine/book_view.h"
#include "app/engine/state_edits.h"
#include "app/engine/text.h"
#include "app/style/folding_splitter.h"
#include "app/style/widgets.h"
#include "app/trace/fan_view.h"
#include "app/trace/rule_hints.h"
#include "app/trace/state_dialogs.h"
#include "app/trace/trace_desk.h"
#include "book/documents.h"
#include "core/error.h"
#include "formats/project_edits.h"
#include "formats/project_files.h"
#include "formats/project_text.h"
#include "formats/toml_edit.h"

#include <QMenu>

#include <algorithm>

namespace kuvio::app {
namespace {

QString band_text(const StateRule& rule) {
  const Band& b = rule.level;
  const QString high = qs(with_prefix(b.high, "A", 2));
  return std::isfinite(b.low)
             ? QObject::tr("from %1 to %2").arg(qs(with_prefix(b.low, "A", 2)), high)
             : QObject::tr("below %1").arg(high);
}

}  // namespace

const Visit* TraceDesk::pickedVisit() const {
  const auto& capture = context_.view.capture();
  const int i = context_.view.visit();
  if (!capture || i == ViewState::kNone || i >= static_cast<int>(capture->visits.size()))
    return nullptr;
  return &capture->visits[static_cast<std::size_t>(i)].visit;
}

QStringList TraceDesk::states() const {
  QStringList out;
  if (!context_.view.capture()) return out;
  for (const auto& [state, fill] : context_.view.capture()->fills) {
    if (!is_built_in_state(state)) out << qs(state);
  }
  return out;
}

void TraceDesk::spanMenu(const QPoint& at) {
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("spanMenu"));
  const auto offer = [&](const char* id) {
    menu.addAction(context_.actions.find(QLatin1String(id)));
  };
  if (context_.view.span()) {
    for (const char* id : {"zoomSpan", "nameSpan", "limitFromSpan", "copyReadOut", "clearSpan"})
      offer(id);
  } else if (pickedVisit()) {
    for (const char* id : {"zoomSpan", "spanVisit", "editVisit", "limitFromSpan"}) offer(id);
  } else {
    offer("showAll");
  }
  menu.addSeparator();
  lanesMenu(menu);
  offer("copyTrace");
  context_.actions.grey(&menu);
  menu.exec(at);
}

void TraceDesk::visitMenu(const QPoint& at) {
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("visitMenu"));
  for (const char* id : {"editVisit", "cutVisit", "joinNext", "joinPrevious", "pinVisit",
                         "zoomSpan", "spanVisit", "limitFromSpan"})
    menu.addAction(context_.actions.find(QLatin1String(id)));
  menu.addSeparator();
  connect(menu.addAction(tr("Copy picture of the fan")), &QAction::triggered, this,
          [this] { copy_picture(fan_); });
  context_.actions.grey(&menu);
  menu.exec(at);
}

void TraceDesk::nameSpan() {
  if (!context_.view.capture() || !context_.view.span()) {
    emit messageReported(
        tr("Mark a span first: drag over the trace, or use [ and ] at the pointer."));
    return;
  }
  if (!reading_ || !reading_->figures.mean()) {
    emit messageReported(tr("The span holds no samples: there is nothing to name."));
    return;
  }
  const SpanFigures span = reading_->figures;
  const StateRule sketch = rule_from_span("", span);
  QStringList known = states();
  if (const auto* recipe = context_.session.book()->document(DocumentKind::recipe)) {
    try {
      for (const StateRule& rule :
           formats::parse_recipe(recipe->text, recipe->name).recipe.states) {
        if (!known.contains(qs(rule.name))) known << qs(rule.name);
      }
    } catch (const Error&) {  // reported in the margin
    }
  }
  auto* dialog = new NameSpanDialog(known, band_text(sketch), true, this);
  const qint64 id = context_.view.capture()->info.id;
  connect(dialog, &NameSpanDialog::named, this, [this, span, id](const QString& state, bool rule) {
    if (is_built_in_state(state.toStdString()) && state != QLatin1String(kUnassigned)) {
      emit messageReported(tr("%1 is built in and cannot be assigned by hand.").arg(state));
      return;
    }
    if (!rule) {
      name_span(context_.session, id, span.from_s, span.to_s, state.toStdString());
      return;
    }
    const StateRule made = rule_from_span(state.toStdString(), span);
    book::Document recipe{"states.recipe.toml", "", "", ""};
    if (const auto* own = context_.session.book()->document(DocumentKind::recipe)) {
      recipe = *own;
      // Before the rule that would take its samples; else it would find none.
      const std::vector<StateRule> rules =
          formats::parse_recipe(recipe.text, recipe.name).recipe.states;
      const auto taker = first_to_take(rules, span.mean().value_or(0));
      recipe.text = formats::insert_rule(recipe.text, recipe.name, taker.value_or(rules.size()),
                                         formats::state_block(made));
      if (taker) {
        emit messageReported(Message::done(tr("%1 now comes before %2, which held this span.")
                                               .arg(state, qs(rules[*taker].name))));
      }
    } else {
      Recipe fresh;
      fresh.name = "States";
      fresh.states.push_back(made);
      recipe.text = formats::recipe_text(fresh);
    }
    apply_recipe(context_.session, {id}, recipe);
    showPage(1);
  });
  dialog->show();
}

void TraceDesk::limitFromSpan() {
  if (!context_.view.capture()) return;
  if (context_.view.span()) {
    if (!reading_) return;
    // A state's limit where the span lies in one of its visits, else one of the whole.
    const double grain = context_.view.capture()->basis.sample_s;
    std::string state;
    for (const VisitFigures& f : context_.view.capture()->visits) {
      if (f.visit.from_s <= reading_->figures.from_s + grain &&
          f.visit.to_s >= reading_->figures.to_s - grain)
        state = f.visit.state;
    }
    emit limitRequested(reading_->figures, qs(state));
    return;
  }
  if (const Visit* v = pickedVisit()) {
    const VisitFigures& f =
        context_.view.capture()->visits[static_cast<std::size_t>(context_.view.visit())];
    SpanFigures s;
    s.from_s = v->from_s;
    s.to_s = v->to_s;
    s.observed_s = f.observed_s;
    s.charge = f.charge;
    s.max = f.peak;
    emit limitRequested(s, qs(v->state));
    return;
  }
  emit messageReported(tr("Mark a span or pick a visit first: its figures become the limit."));
}

void TraceDesk::editVisit() {
  const Visit* picked = pickedVisit();
  if (!picked) {
    emit messageReported(tr("Select a visit first: click it, or step with the arrow keys."));
    return;
  }
  const Visit visit = *picked;
  const int index = context_.view.visit();
  const qint64 id = context_.view.capture()->info.id;
  auto* dialog = new VisitDialog(visit, states(), this);
  connect(dialog, &VisitDialog::renamed, this, [this, visit, id](const QString& state, bool all) {
    Edit e;
    e.kind = all ? Edit::Kind::rename_state : Edit::Kind::rename;
    e.at_s = (visit.from_s + visit.to_s) / 2;
    e.before = visit.state;
    e.state = state.toStdString();
    edit_states(context_.session, id, {e});
  });
  connect(dialog, &VisitDialog::edgeMoved, this,
          [this, index](bool end, double to) { moveEdge(end ? index + 1 : index, to); });
  dialog->show();
}

/// The edge at which `visit` begins goes to another moment.
void TraceDesk::moveEdge(int visit, double to_s) {
  const auto& capture = context_.view.capture();
  const bool edge = capture && visit > 0 && visit < static_cast<int>(capture->visits.size());
  moveEdges(visit, visit,
            edge ? to_s - capture->visits[static_cast<std::size_t>(visit)].visit.from_s : 0);
}

/// The edges at which these visits begin move together, the foremost first: none passes another.
void TraceDesk::moveEdges(int first, int last, double by_s) {
  const auto& capture = context_.view.capture();
  if (!capture || first <= 0 || last >= static_cast<int>(capture->visits.size())) {
    emit messageReported(tr("The capture's ends cannot be moved."));
    return;
  }
  std::vector<Edit> edits;
  for (int i = first; i <= last; ++i) {
    const Visit& right = capture->visits[static_cast<std::size_t>(i)].visit;
    Edit e;
    e.kind = Edit::Kind::move;
    e.at_s = right.from_s;
    e.to_s = right.from_s + by_s;
    e.before = capture->visits[static_cast<std::size_t>(i - 1)].visit.state;
    e.after = right.state;
    edits.push_back(e);
  }
  if (by_s > 0) std::reverse(edits.begin(), edits.end());
  edit_states(context_.session, capture->info.id, edits);
}

void TraceDesk::lineToEdge(double t) {
  const auto& capture = context_.view.capture();
  const Visit* v = pickedVisit();
  if (!capture || !v) {
    emit messageReported(tr("Select the visit whose edge this log line should set."));
    return;
  }
  const bool end = std::abs(t - v->to_s) < std::abs(t - v->from_s);
  moveEdge(end ? context_.view.visit() + 1 : context_.view.visit(), t);
}

void TraceDesk::cutHere() {
  const auto& capture = context_.view.capture();
  if (!capture || !context_.view.pointer()) {
    emit messageReported(tr("Point at where to cut the visit."));
    return;
  }
  const auto at = visit_at(capture->visits, *context_.view.pointer());
  if (at >= capture->visits.size()) return;
  Edit e;
  e.kind = Edit::Kind::cut;
  e.at_s = *context_.view.pointer();
  e.before = capture->visits[at].visit.state;
  edit_states(context_.session, capture->info.id, {e});
}

void TraceDesk::joinWith(int direction) {
  const auto& capture = context_.view.capture();
  const int right = direction > 0 ? context_.view.visit() + 1 : context_.view.visit();
  if (!capture || context_.view.visit() == ViewState::kNone || right <= 0 ||
      right >= static_cast<int>(capture->visits.size())) {
    emit messageReported(tr("Select a visit that has a neighbour on that side."));
    return;
  }
  const Visit& a = capture->visits[static_cast<std::size_t>(right - 1)].visit;
  const Visit& b = capture->visits[static_cast<std::size_t>(right)].visit;
  Edit e;
  e.kind = Edit::Kind::join;
  e.at_s = b.from_s;
  e.before = a.state;
  e.after = b.state;
  e.state = direction > 0 ? a.state : b.state;
  edit_states(context_.session, capture->info.id, {e});
}

void TraceDesk::pinVisit() {
  const Visit* v = pickedVisit();
  if (!v) {
    emit messageReported(tr("Select the visit to pin."));
    return;
  }
  name_span(context_.session, context_.view.capture()->info.id, v->from_s, v->to_s, v->state);
}

/// A page of the side panel, which opens for it.
void TraceDesk::showPage(int index) {
  across_->setSideOpen(true);
  tabs_->setCurrentIndex(index);
}

}  // namespace kuvio::app
