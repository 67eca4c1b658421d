// SPDX-License-Identifier: GPL-3.0-or-later
// Logs on their way from files into the book.

#include "app/engine/book_view.h"
#include "app/engine/text.h"
#include "app/shell/captures_panel.h"
#include "app/shell/import_page.h"
#include "app/shell/main_window.h"
#include "app/shell/message_row.h"

#include <QFileDialog>
#include <QStackedWidget>

namespace kuvio::app {

void MainWindow::makeImport() {
  actions_.add(QStringLiteral("importLogs"), tr("Import…"), QKeySequence(tr("Ctrl+Shift+I")),
               [this] { chooseImport(); });
}

/// Made when it is first wanted: most days begin without.
ImportPage& MainWindow::importPage() {
  if (import_) return *import_;
  import_ = new ImportPage(session_, desks_);
  import_area_ = scroll_area(import_, desks_);
  desks_->addWidget(import_area_);
  connect(import_, &ImportPage::cancelled, this, [this] {
    setDesk(desk_);
    setFocus();  // the page that had it is gone
  });
  connect(import_, &ImportPage::importRequested, this, &MainWindow::runImport);
  connect(import_, &ImportPage::layoutsChanged, this, [this](const QStringList& layouts) {
    preferences_.layouts = layouts;
    keeper_.save(preferences_);
  });
  import_->remember(preferences_.layouts);
  return *import_;
}

void MainWindow::chooseImport() {
  const QStringList files =
      QFileDialog::getOpenFileNames(this, tr("Import"), {},
                                    tr("Logs and captures (*.csv *.tsv *.txt *.log *.dat *.asc "
                                       "*.h5 *.hdf5 *.vcd);;All files (*)"));
  if (!files.isEmpty()) importFiles(files);
}

void MainWindow::importFiles(const QStringList& files) {
  if (bench_.recording()) return report(tr("Stop the recording first, then import."));
  message_->dismiss();
  importPage().begin(files);
  desks_->setCurrentWidget(import_area_);
}

void MainWindow::runImport(const std::vector<Session::ImportJob>& jobs) {
  const auto run = [this, jobs] {
    session_.importLogs(jobs, [this](const auto& made) { reportImported(made); });
  };
  if (session_.book()) return run();
  newBookIn(tr("Imported"), tr("Importing into %1, a new book."), run);
}

void MainWindow::reportImported(const std::vector<formats::ImportResult>& made) {
  std::size_t captures = 0, skipped = 0;
  for (const formats::ImportResult& one : made) {
    captures += one.captures.size();
    skipped += one.skipped.size();
  }
  if (captures == 0) return;
  captures_->setCurrent(made.front().capture);  // shown as soon as the list has it
  setDesk(DeskId::trace);
  setFocus();
  QString said =
      captures == 1 ? tr("Imported 1 capture") : tr("Imported %1 captures").arg(captures);
  if (made.size() > 1) said += tr(" from %1 files").arg(made.size());
  if (skipped == 1) said += tr("; one line was skipped");
  if (skipped > 1) said += tr("; %n lines were skipped", nullptr, static_cast<int>(skipped));
  report(Message::done(said + QLatin1Char('.')));
}

}  // namespace kuvio::app
