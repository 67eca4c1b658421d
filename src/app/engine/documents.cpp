// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/documents.h"

#include "app/engine/book_view.h"
#include "app/engine/text.h"
#include "app/engine/trusted_files.h"
#include "book/notes.h"
#include "core/error.h"
#include "formats/output_file.h"
#include "formats/project_files.h"
#include "formats/toml_file.h"

#include <filesystem>
#include <set>

namespace kuvio::app {
namespace fs = std::filesystem;

Documents::Documents(Session& session, QObject* parent) : QObject(parent), session_(session) {}

QString Documents::words(DocumentKind kind) { return qs(std::string(book::info(kind).words)); }

QString Documents::filter(DocumentKind kind) {
  QString name = words(kind);
  name[0] = name[0].toUpper();
  return QStringLiteral("%1 (*%2)").arg(name, qs(std::string(book::info(kind).ending)));
}

const book::Document* Documents::find(DocumentKind kind) const {
  return session_.book() ? session_.book()->document(kind) : nullptr;
}

book::Document Documents::get(DocumentKind kind) const {
  if (const auto* own = find(kind)) return *own;
  return {std::string(book::info(kind).usual_name), "", "", ""};
}

bool Documents::put(DocumentKind kind, const std::string& text, const QString& why) {
  book::Document next = get(kind);
  next.text = text;
  return put(kind, next, why);
}

bool Documents::put(DocumentKind kind, const book::Document& document, const QString& why) {
  if (!session_.book()) return false;
  try {
    formats::check_document(kind, document.text, document.name);
  } catch (const Error& e) {
    QString name = words(kind);
    name[0] = name[0].toUpper();
    emit refused(kind, qs(e.where() + ": " + e.why()));
    emit messageReported(
        Message::trouble(tr("%1: %2. %3 unchanged.").arg(qs(e.where()), qs(e.why()), name)));
    return false;
  }
  session_.put(why, {book::document_note(kind, document)});
  return true;
}

/// The document, and that no what-if of its kind stands before it any longer.
std::vector<book::Note> Documents::notesFor(DocumentKind kind, const book::Document& document) {
  std::vector<book::Note> out{book::document_note(kind, document)};
  if (const auto scenario = book::info(kind).scenario) out.push_back(book::no_document(*scenario));
  return out;
}

void Documents::open(DocumentKind kind, const QString& path) {
  const auto book = session_.book();
  if (!book) return;
  session_.withFiles(
      [this, kind, book, path](const std::stop_token&) -> std::function<void()> {
        const std::string file = path.toStdString(), text = formats::read_text_file(file);
        const std::string name = fs::path(file).filename().string();
        formats::check_document(kind, text, name);
        auto notes = notesFor(kind, {name, file, text, text});
        if (kind == DocumentKind::budget) {
          std::set<DocumentKind> taken;
          for (const formats::NamedFile& named : formats::files_named(text, name)) {
            const std::string beside = (fs::path(file).parent_path() / named.name).string();
            const std::string content = formats::read_text_file(beside);
            formats::check_document(named.kind, content, named.name);
            if (book->document(named.kind) || !taken.insert(named.kind).second) continue;
            notes.push_back(book::document_note(
                named.kind, {fs::path(named.name).filename().string(), beside, content, content}));
          }
        }
        trust_file(path);  // a person picked it
        return [this, kind, notes, name] {
          session_.put(QStringLiteral("%1 %2").arg(words(kind), qs(name)), notes);
          emit opened(kind);
        };
      },
      tr("Reading %1").arg(file_name(path)));
}

void Documents::saveAs(DocumentKind kind, book::Document document, const QString& path) {
  const auto book = session_.book();
  if (!book) return;
  document.path = path.toStdString();
  document.name = file_name(path).toStdString();
  document.saved = document.text;
  std::vector<book::Document> beside;
  if (kind == DocumentKind::budget) {
    try {
      for (const formats::NamedFile& named : formats::files_named(document.text, document.name)) {
        const auto* d = book->document(named.kind);
        // A book's names are file names, and of their kind, or nothing is written by them.
        if (d && d->name == named.name && book::is_plain_name(named.kind, d->name))
          beside.push_back(*d);
      }
    } catch (const Error&) {  // a budget that is not valid is saved as it is, alone
    }
  }
  session_.withFiles(
      [this, kind, document, beside](const std::stop_token&) -> std::function<void()> {
        formats::write_file(document.path, document.text);
        trust_file(qs(document.path));
        QStringList more;
        for (const book::Document& d : beside) {
          const fs::path file = fs::path(document.path).parent_path() / d.name;
          std::error_code ignored;
          if (fs::exists(fs::symlink_status(file, ignored))) continue;
          formats::write_file(file.string(), d.text);
          more << qs(d.name);
        }
        return [this, kind, document, more] {
          session_.put(tr("%1 saved").arg(words(kind)), notesFor(kind, document));
          if (!more.isEmpty())
            emit messageReported(
                tr("Beside it, because it names them: %1").arg(more.join(QStringLiteral(", "))));
        };
      },
      tr("Writing %1").arg(qs(document.name)));
}

QString Documents::whereabouts(DocumentKind kind) const {
  const book::Document own = get(kind);
  if (own.path.empty()) return tr("%1, in the book only").arg(qs(own.name));
  return own.text == own.saved ? qs(own.path) : tr("%1, changed and not saved").arg(qs(own.path));
}

}  // namespace kuvio::app
