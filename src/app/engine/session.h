// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/query.h"
#include "app/engine/strand.h"
#include "app/engine/views_fwd.h"
#include "formats/text_import.h"

#include <QObject>
#include <QUndoStack>

#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <variant>
#include <vector>

namespace kuvio {
struct LineUp;
}

namespace kuvio::book {
class Book;
struct Change;
struct ChangeRequest;
struct Note;
}  // namespace kuvio::book

namespace kuvio::formats {
struct Exported;
struct ExportFormat;
}  // namespace kuvio::formats

namespace kuvio::app {

class Analyst;
class Reader;

/// The book behind the window.
///
/// All reading and writing is done in strands of their own: one for the view (frames, spans, the
/// list), one for the desks' figures, one that writes, one for files that people choose. The window
/// asks and is answered by signals; nothing here makes it wait. Of frames, spans and each desk's
/// figures only the newest request is served.
class Session : public QObject {
  Q_OBJECT
public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  /// Opens a book; with `create` makes it when it is not there.
  void open(const QString& path, bool create = false);
  const QString& path() const { return path_; }
  const BookViewPtr& book() const { return book_; }
  /// Draws these captures together; the first is accounted for.
  void show(const std::vector<std::int64_t>& captures);
  void requestFrame(const FrameRequest& request);
  void requestSpan(double from_s, double to_s);
  void requestMoments(const std::vector<double>& moments);
  /// Answered twice: at once from pieces, then from every sample.
  void requestSpread(const SpreadRequest& request);
  /// It is no longer looked at: what is being read for it is given up.
  void dropSpread();
  /// Lays a capture beside another by what both show; answered by `linedUp`.
  void requestLineUp(std::int64_t reference, std::int64_t other);
  /// Looks whether another connection has written to the book.
  void poll();

  // --- what people change; each answered by `bookOpened` (and `shown`), undoable ----------------
  /// Runs `make` beside the book and puts what it returns, in one transaction. `text` names the
  /// change in the undo list. What `make` throws is reported and nothing is changed; nor is it when
  /// it was asked to stop.
  using MakeChange = std::function<book::ChangeRequest(const book::Book&, const std::stop_token&)>;
  void change(const QString& text, MakeChange make);
  void put(const QString& text, std::vector<book::Note> notes);
  QUndoStack* history() { return &history_; }
  /// Keeps something of the view with the book; no edit, so not undoable.
  void storeQuietly(const std::string& key, const std::string& value);

  // --- the desks' figures -----------------------------------------------------------------------
  void requestBuilds(const BuildsRequest& request);
  void requestTypical(const TypicalRequest& request);
  /// What follows what in a build.
  void requestWays(const std::string& build);
  /// Where the recipe that a capture is split by may no longer fit it.
  void requestFit(std::int64_t capture);
  void requestTroubles(std::int64_t capture);
  void requestWaits(const WaitsRequest& request);
  /// Another current in a capture's visits.
  void requestLedger(const LedgerRequest& request);
  void requestBudget();
  void requestLife(const LifeRequest& request);
  void requestPreview(const std::string& recipe_text);
  void requestHistogram();

  // --- files
  // --------------------------------------------------------------------------------------
  /// Reads or writes text files and then calls `done` in the interface thread; failures are
  /// reported.
  void writeFile(const QString& path, std::string text, std::function<void()> done);
  /// Writes what lies between two moments of a capture, in a format of formats/export_formats.h.
  void exportCapture(std::int64_t capture, const formats::ExportFormat& format, const QString& path,
                     double from_s, double to_s,
                     std::function<void(const formats::Exported&)> done);
  /// Reads what a log would be imported as; `done` is called in the interface thread.
  void previewImport(const QString& file, const formats::ImportSettings& settings,
                     std::function<void(const ImportPreview&)> done);
  struct ImportJob {
    QString file;
    formats::ImportSettings settings;
  };
  /// Imports logs into the open book, all or none; `done` gets the captures.
  void importLogs(const std::vector<ImportJob>& jobs,
                  std::function<void(const std::vector<formats::ImportResult>&)> done);
  /// Writes a copy of the open book, in the helper's thread.
  void copyBook(const QString& to, bool without_deleted, std::function<void()> done);
  /// Runs a job beside the files; what it throws is reported.
  void withFiles(std::function<std::function<void()>(const std::stop_token&)> job,
                 const QString& title);

  /// Asks everything that takes long to give up.
  void cancel();

signals:
  void bookOpened(kuvio::app::BookViewPtr book);
  void shown(kuvio::app::ShownPtr captures);
  void frameReady(kuvio::app::FramePtr frame);
  void spanReady(kuvio::app::SpanReadingPtr span);
  void momentsReady(kuvio::app::MomentsReadingPtr moments);
  void spreadReady(kuvio::app::SpreadViewPtr spread);
  void linedUp(std::int64_t reference, std::int64_t other, const kuvio::LineUp& result);
  void buildsReady(kuvio::app::BuildsViewPtr view);
  void typicalReady(kuvio::app::TypicalViewPtr view);
  void waysReady(kuvio::app::WaysViewPtr view);
  void fitReady(kuvio::app::FitViewPtr view);
  void troublesReady(kuvio::app::TroublesViewPtr view);
  void waitsReady(kuvio::app::WaitsViewPtr view);
  void ledgerReady(kuvio::app::LedgerViewPtr view);
  void budgetReady(kuvio::app::BudgetViewPtr view);
  void lifeReady(kuvio::app::LifeViewPtr view);
  void previewReady(kuvio::app::RecipePreviewPtr preview);
  void histogramReady(kuvio::app::LevelHistogramPtr histogram);
  /// What happened, with what was kept and what to do; for people.
  void failed(const QString& message);
  /// A change was made, undone or redone.
  void changed();
  /// What is under way, for people; empty when nothing is.
  void busyChanged(const QString& what);

private:
  friend class ChangeCommand;
  struct FrameWithin {  // and how long it may take to be exact (s)
    std::shared_ptr<const FrameRequest> request;
    double patience_s = 0;
  };
  using Span = std::pair<double, double>;
  using Nothing = std::monostate;
  enum class Who { view, desks, writer, files };
  using Job = std::function<void(const std::stop_token&)>;
  void post(Who who, Job job, const QString& title = {});
  void finished(const QString& title);
  void putBack(const std::vector<book::Change>& changes, bool after);
  void refresh();
  void list();
  /// A query answered by what reads the view, or by what works out the desks' figures.
  /// Answers of a kind leave as this signal.
  template <auto signal>
  auto sends() {
    return [this](const auto& answer, auto&&...) { emit(this->*signal)(answer); };
  }
  template <typename Request, typename Answer, typename Ask, typename Arrived>
  Query<Request, Answer> view_query(Ask ask, Arrived arrived);
  template <typename Request, typename Answer, typename Ask, typename Arrived>
  Query<Request, Answer> desk_query(const QString& title, Ask ask, Arrived arrived,
                                    OlderAnswers older = OlderAnswers::delivered);

  QString path_;
  BookViewPtr book_;
  std::vector<std::int64_t> wanted_;
  std::uint64_t generation_ = 0;  // of the open book: answers to older ones are dropped
  QUndoStack history_;
  QStringList busy_;
  std::vector<std::stop_source> long_work_;
  MainThread main_thread_;
  std::shared_ptr<std::unique_ptr<Reader>> reader_;    // of the view strand alone
  std::shared_ptr<std::unique_ptr<Analyst>> analyst_;  // of the desks' strand alone
  std::unique_ptr<Strand> view_, desks_, writer_, files_;
  Query<FrameWithin, FramePtr> frames_;
  Query<Span, SpanReadingPtr> spans_;
  Query<std::vector<double>, MomentsReadingPtr> moments_;
  Query<SpreadRequest, SpreadViewPtr> spreads_, whole_spreads_;
  Query<std::string, RecipePreviewPtr> previews_;
  Query<Nothing, LevelHistogramPtr> histograms_;
  Query<BuildsRequest, BuildsViewPtr> builds_;
  Query<TypicalRequest, TypicalViewPtr> typical_;
  Query<std::string, WaysViewPtr> ways_;
  Query<std::int64_t, FitViewPtr> fits_;
  Query<std::int64_t, TroublesViewPtr> troubles_;
  Query<WaitsRequest, WaitsViewPtr> waits_;
  Query<LedgerRequest, LedgerViewPtr> ledgers_;
  Query<Nothing, BudgetViewPtr> budgets_;
  Query<LifeRequest, LifeViewPtr> lives_;
};

}  // namespace kuvio::app
