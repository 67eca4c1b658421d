// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/typed_edits.h"

#include "app/engine/session.h"
#include "book/notes.h"
#include "book/typed.h"

namespace kuvio::app {

void type_readings(Session& session, const TypedReadings& what) {
  session.change(
      QObject::tr("readings typed"), [what](const book::Book& book, const std::stop_token&) {
        if (what.capture)
          return book::ChangeRequest{{book::typed_note(*what.capture, what.readings)}};
        book::Book own = book::Book::open(book.path(), book::Book::Mode::write);
        const std::int64_t id = book::typed_capture(own, what.build, {}, what.conditions);
        std::vector<TypedReading> readings = book::typed_readings(own, id);
        const bool fresh = readings.empty();
        readings.insert(readings.end(), what.readings.begin(), what.readings.end());
        book::ChangeRequest out{{book::typed_note(id, readings)}};
        if (fresh) {  // undone, it is one that was deleted
          book::put(own, {book::deleted_note(id, true)});
          out.notes.push_back(book::deleted_note(id, false));
        }
        return out;
      });
}

}  // namespace kuvio::app
