// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/message.h"
#include "app/engine/session.h"
#include "book/documents.h"

namespace kuvio::app {

/// The open book's documents, the files that people write: opened, checked, stored and saved here,
/// whichever desk shows them. What is not valid is reported, and nothing changes.
class Documents : public QObject {
  Q_OBJECT
public:
  explicit Documents(Session& session, QObject* parent = nullptr);

  /// Null where the book has none, or no book is open.
  const book::Document* find(DocumentKind kind) const;
  /// The same, or an empty one of the usual name.
  book::Document get(DocumentKind kind) const;
  /// Stores a text as the book's document, undoable as `why`. Signals `refused` where it is not
  /// valid, and returns false.
  bool put(DocumentKind kind, const std::string& text, const QString& why);
  bool put(DocumentKind kind, const book::Document& document, const QString& why);
  /// Reads a file and makes it the book's document; a what-if of its kind goes. What a budget names
  /// comes with it where the book has none of that kind.
  void open(DocumentKind kind, const QString& path);
  /// Writes a document to a file; it is then the book's, and a what-if of its kind goes. What a
  /// budget names is written beside it where it is not there yet.
  void saveAs(DocumentKind kind, book::Document document, const QString& path);
  /// "limits.budget.toml, in the book only", its path, "…, changed and not saved".
  QString whereabouts(DocumentKind kind) const;

  /// "duty plan"
  static QString words(DocumentKind kind);
  /// For file dialogs: "Duty plans (*.duty.toml)".
  static QString filter(DocumentKind kind);

signals:
  /// A text was not valid: where ("name:line") and why.
  void refused(kuvio::book::DocumentKind kind, const QString& trouble);
  void opened(kuvio::book::DocumentKind kind);
  void messageReported(const kuvio::app::Message& message);

private:
  /// Throws where it is not valid.
  static std::vector<book::Note> notesFor(DocumentKind kind, const book::Document& document);
  Session& session_;
};

}  // namespace kuvio::app
