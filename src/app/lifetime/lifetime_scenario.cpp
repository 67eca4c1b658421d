// SPDX-License-Identifier: GPL-3.0-or-later
// What the Lifetime desk puts into the book: the what-if, the plan and the battery.

#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/text.h"
#include "app/lifetime/lifetime_desk.h"
#include "book/notes.h"
#include "core/lifetime.h"
#include "formats/project_edits.h"
#include "formats/project_files.h"
#include "formats/project_text.h"

#include <QFileDialog>

namespace kuvio::app {

book::Document LifetimeDesk::document(DocumentKind kind) const {
  if (const auto* what_if = context_.documents.find(*book::info(kind).scenario)) return *what_if;
  book::Document out = context_.documents.get(kind);
  if (out.text.empty() && view_) {
    out.text = kind == DocumentKind::duty ? formats::duty_text(view_->captured.plan)
                                          : formats::battery_text(view_->captured.battery);
    out.saved = out.text;
  }
  return out;
}

void LifetimeDesk::putBattery(const char* key, const std::string& value, const QString& why) {
  if (!view_) return;
  book::Document next = document(DocumentKind::battery);
  next.text = formats::set_battery_value(next.text, next.name, key, value);
  if (!context_.documents.put(DocumentKind::scenario_battery, next,
                              tr("%1 of the scenario's battery").arg(why)))
    take(view_);
}

void LifetimeDesk::putInterval(std::size_t activity, double interval_s) {
  if (!view_) return;
  if (!(interval_s > 0)) {
    emit messageReported(tr("An interval must be greater than zero. Value unchanged."));
    take(view_);
    return;
  }
  book::Document next = document(DocumentKind::duty);
  next.text = formats::set_activity_interval(next.text, next.name, activity, interval_s);
  context_.documents.put(DocumentKind::scenario_duty, next,
                         tr("interval of activity %1").arg(activity + 1));
}

/// The activities as captured, the battery as it is. The plan stays what it is.
void LifetimeDesk::resetScenario() {
  if (!view_) return;
  std::vector<book::Note> notes{book::no_document(DocumentKind::scenario_duty),
                                book::no_document(DocumentKind::scenario_battery),
                                {0, "harvest", std::nullopt}};
  if (view_->has_plan) {
    const std::string text = formats::duty_text(view_->captured.plan);
    notes.front() =
        book::document_note(DocumentKind::scenario_duty, {"field.duty.toml", "", text, text});
  }
  context_.session.put(tr("scenario back to as captured"), notes);
}

/// From here on verdicts are by it.
void LifetimeDesk::makeThePlan() {
  if (!view_ || !view_->is_what_if) return;
  std::vector<book::Note> notes;
  const BookView& book = *context_.session.book();
  for (const auto& [from, to] :
       {std::pair{DocumentKind::scenario_duty, DocumentKind::duty},
        std::pair{DocumentKind::scenario_battery, DocumentKind::battery}}) {
    const auto* what_if = book.document(from);
    if (!what_if) continue;
    book::Document next = *what_if;
    if (const auto* own = book.document(to)) {
      next.name = own->name;
      next.path = own->path;
      next.saved = own->saved;
    }
    notes.push_back(book::document_note(to, next));
    notes.push_back(book::no_document(from));
  }
  context_.session.put(tr("scenario made the duty plan"), notes);
}

void LifetimeDesk::openFile(DocumentKind kind) {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open %1").arg(Documents::words(kind)),
                                                    {}, Documents::filter(kind));
  if (!path.isEmpty()) context_.documents.open(kind, path);
}

/// What was saved as the plan is the plan.
void LifetimeDesk::saveAs(DocumentKind kind) {
  const book::Document own = document(kind);
  const QString path = QFileDialog::getSaveFileName(this, tr("Save"), file_name(qs(own.name)),
                                                    Documents::filter(kind));
  if (!path.isEmpty()) context_.documents.saveAs(kind, own, path);
}

}  // namespace kuvio::app
