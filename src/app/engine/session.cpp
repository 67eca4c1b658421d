// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/session.h"

#include "app/engine/account_views.h"
#include "app/engine/analyst.h"
#include "app/engine/book_view.h"
#include "app/engine/desk_views.h"
#include "app/engine/import_preview.h"
#include "app/engine/reader.h"
#include "app/engine/text.h"
#include "app/engine/trace_views.h"
#include "app/engine/trusted_files.h"
#include "book/book_file.h"
#include "book/copy.h"
#include "book/door.h"
#include "book/notes.h"
#include "core/error.h"
#include "formats/capture_files.h"
#include "formats/output_file.h"
#include "formats/toml_file.h"

#include <QUndoCommand>

#include <atomic>
#include <functional>
#include <utility>

namespace kuvio::app {
namespace {
// How long a frame may take for columns to be exact: first while the hand moves, then at rest.
constexpr double kFrameS = 0.004, kTighterS = 0.012;
}  // namespace

/// One change of the book in the undo list. It has been made when it is pushed.
class ChangeCommand : public QUndoCommand {
public:
  ChangeCommand(Session& session, const QString& text, std::vector<book::Change> changes)
      : QUndoCommand(text), session_(session), changes_(std::move(changes)) {}
  void undo() override { session_.putBack(changes_, false); }
  void redo() override {
    if (std::exchange(made_, true)) session_.putBack(changes_, true);
  }

private:
  Session& session_;
  std::vector<book::Change> changes_;
  bool made_ = false;
};

template <typename Request, typename Answer, typename Ask, typename Arrived>
Query<Request, Answer> Session::view_query(Ask ask, Arrived arrived) {
  using Q = Query<Request, Answer>;
  return Q([this](Job job) { post(Who::view, std::move(job)); }, main_thread_,
           OlderAnswers::delivered,
           [reader = reader_, ask](const Request& request, const auto& wanted) {
             return *reader ? ask(**reader, request, wanted) : Answer();
           },
           std::move(arrived));
}

template <typename Request, typename Answer, typename Ask, typename Arrived>
Query<Request, Answer> Session::desk_query(const QString& title, Ask ask, Arrived arrived,
                                           OlderAnswers older) {
  using Q = Query<Request, Answer>;
  return Q([this, title](Job job) { post(Who::desks, std::move(job), title); }, main_thread_, older,
           [analyst = analyst_, ask](const Request& request, const auto& wanted) {
             return *analyst ? ask(**analyst, request, wanted) : Answer();
           },
           [arrived](const Answer& answer, const Request&, bool) { arrived(answer); });
}

Session::Session(QObject* parent)
    : QObject(parent),
      main_thread_(this),
      reader_(std::make_shared<std::unique_ptr<Reader>>()),
      analyst_(std::make_shared<std::unique_ptr<Analyst>>()),
      view_(std::make_unique<Strand>()),
      desks_(std::make_unique<Strand>()),
      writer_(std::make_unique<Strand>()),
      files_(std::make_unique<Strand>()),
      frames_(view_query<FrameWithin, FramePtr>(
          [](Reader& r, const FrameWithin& f, const auto&) {
            return r.frame(*f.request, f.patience_s);
          },
          [this](const FramePtr& frame, const FrameWithin& asked, bool newest) {
            emit frameReady(frame);
            // One that is not exact yet is followed by another, unless something else is wanted.
            if (frame->approximate && newest) frames_.ask({asked.request, kTighterS});
          })),
      spans_(view_query<Span, SpanReadingPtr>(
          [](Reader& r, const Span& span, const auto&) { return r.span(span.first, span.second); },
          sends<&Session::spanReady>())),
      moments_(view_query<std::vector<double>, MomentsReadingPtr>(
          [](Reader& r, const std::vector<double>& at, const auto&) { return r.moments(at); },
          sends<&Session::momentsReady>())),
      spreads_(view_query<SpreadRequest, SpreadViewPtr>(
          [](Reader& r, const SpreadRequest& request, const auto&) { return r.spread(request); },
          sends<&Session::spreadReady>())),
      whole_spreads_(desk_query<SpreadRequest, SpreadViewPtr>({}, std::mem_fn(&Analyst::spread),
                                                              sends<&Session::spreadReady>(),
                                                              OlderAnswers::dropped)),
      previews_(view_query<std::string, RecipePreviewPtr>(
          [](Reader& r, const std::string& text, const auto&) { return r.preview(text); },
          sends<&Session::previewReady>())),
      histograms_(view_query<Nothing, LevelHistogramPtr>(
          [](Reader& r, Nothing, const auto& wanted) { return r.histogram(wanted); },
          sends<&Session::histogramReady>())),
      builds_(desk_query<BuildsRequest, BuildsViewPtr>(
          tr("Comparing builds"), std::mem_fn(&Analyst::builds), sends<&Session::buildsReady>())),
      typical_(desk_query<TypicalRequest, TypicalViewPtr>({}, std::mem_fn(&Analyst::typical),
                                                          sends<&Session::typicalReady>())),
      ways_(desk_query<std::string, WaysViewPtr>({}, std::mem_fn(&Analyst::ways),
                                                 sends<&Session::waysReady>())),
      fits_(desk_query<std::int64_t, FitViewPtr>({}, std::mem_fn(&Analyst::fit),
                                                 sends<&Session::fitReady>())),
      troubles_(desk_query<std::int64_t, TroublesViewPtr>({}, std::mem_fn(&Analyst::troubles),
                                                          sends<&Session::troublesReady>())),
      waits_(desk_query<WaitsRequest, WaitsViewPtr>({}, std::mem_fn(&Analyst::waits),
                                                    sends<&Session::waitsReady>())),
      ledgers_(desk_query<LedgerRequest, LedgerViewPtr>({}, std::mem_fn(&Analyst::ledger),
                                                        sends<&Session::ledgerReady>())),
      budgets_(desk_query<Nothing, BudgetViewPtr>(
          tr("Checking the budget"),
          [](Analyst& a, Nothing, const auto& wanted) { return a.budget(wanted); },
          sends<&Session::budgetReady>())),
      lives_(desk_query<LifeRequest, LifeViewPtr>({}, std::mem_fn(&Analyst::life),
                                                  sends<&Session::lifeReady>())) {
  // Connections are closed in the threads they belong to.
  view_->at_end([reader = reader_] { reader->reset(); });
  desks_->at_end([analyst = analyst_] { analyst->reset(); });
}

Session::~Session() {
  main_thread_.detach();
  files_.reset();
  writer_.reset();
  desks_.reset();
  view_.reset();
}

void Session::post(Who who, Job job, const QString& title) {
  Strand& strand = who == Who::view     ? *view_
                   : who == Who::desks  ? *desks_
                   : who == Who::writer ? *writer_
                                        : *files_;
  if (!title.isEmpty()) {
    busy_ << title;
    emit busyChanged(busy_.last());
  }
  const std::stop_source source = strand.post(
      [this, main_thread = main_thread_, job = std::move(job), title](const std::stop_token& stop) {
        QString trouble;
        try {
          job(stop);
        } catch (const std::exception& e) {
          trouble = QString::fromUtf8(e.what());
        }
        if (trouble.isEmpty() && title.isEmpty()) return;
        main_thread.deliver([this, trouble, title] {
          if (!title.isEmpty()) finished(title);
          if (!trouble.isEmpty()) emit failed(trouble);
        });
      });
  if (!title.isEmpty()) long_work_.push_back(source);
}

void Session::finished(const QString& title) {
  busy_.removeOne(title);
  if (busy_.isEmpty()) long_work_.clear();
  emit busyChanged(busy_.isEmpty() ? QString() : busy_.last());
}

void Session::cancel() {
  for (std::stop_source& source : long_work_) source.request_stop();
}

namespace {
/// A book that was not closed, and whose log is not here, is put in order before several read and
/// write it; what it had to say. One that cannot be written to is read as it is.
std::string adopted(const std::string& path) {
  if (!book::misses_log(book::Door(path))) return {};
  try {
    return book::Book::open(path, book::Book::Mode::write).unclean();
  } catch (const Error&) {
    return {};
  }
}
}  // namespace

void Session::open(const QString& path, bool create) {
  const std::uint64_t mine = ++generation_;
  post(
      Who::view,
      [this, main_thread = main_thread_, reader = reader_, path, create,
       mine](const std::stop_token&) {
        reader->reset();
        if (create) book::Book::open(path.toStdString(), book::Book::Mode::create);
        const std::string unclean = create ? "" : adopted(path.toStdString());
        *reader = std::make_unique<Reader>(path, unclean);
        const BookViewPtr book = (*reader)->list();
        main_thread.deliver([this, book, path, mine] {
          if (mine != generation_) return;
          path_ = path;
          book_ = book;
          wanted_.clear();
          history_.clear();
          post(Who::desks, [analyst = analyst_, path](const std::stop_token&) {
            analyst->reset();
            *analyst = std::make_unique<Analyst>(path);
          });
          emit bookOpened(book);
        });
      },
      tr("Opening the book"));
}

void Session::list() {
  post(Who::view, [this, main_thread = main_thread_, reader = reader_,
                   mine = generation_](const std::stop_token&) {
    if (!*reader) return;
    const BookViewPtr book = (*reader)->list();
    main_thread.deliver([this, book, mine] {
      if (mine != generation_) return;
      book_ = book;
      emit bookOpened(book);
    });
  });
}

void Session::show(const std::vector<std::int64_t>& captures) {
  wanted_ = captures;
  post(Who::view, [this, main_thread = main_thread_, reader = reader_, captures,
                   mine = generation_](const std::stop_token&) {
    if (!*reader) return;
    const ShownPtr all = (*reader)->show(captures);
    main_thread.deliver([this, all, captures, mine] {
      if (mine == generation_ && captures == wanted_) emit shown(all);
    });
  });
}

void Session::refresh() {
  list();
  if (!wanted_.empty()) show(wanted_);
}

void Session::poll() {
  post(Who::view, [this, main_thread = main_thread_, reader = reader_](const std::stop_token&) {
    if (*reader && (*reader)->changed()) main_thread.deliver([this] { refresh(); });
  });
}

void Session::requestFrame(const FrameRequest& request) {
  frames_.ask({std::make_shared<const FrameRequest>(request), kFrameS});
}
void Session::requestSpan(double from_s, double to_s) { spans_.ask({from_s, to_s}); }
void Session::requestMoments(const std::vector<double>& moments) { moments_.ask(moments); }
void Session::requestSpread(const SpreadRequest& request) {
  spreads_.ask(request);
  whole_spreads_.ask(request);
}
void Session::dropSpread() { whole_spreads_.drop(); }
void Session::requestPreview(const std::string& recipe_text) { previews_.ask(recipe_text); }
void Session::requestHistogram() { histograms_.ask({}); }
void Session::requestBuilds(const BuildsRequest& request) { builds_.ask(request); }
void Session::requestTypical(const TypicalRequest& request) { typical_.ask(request); }
void Session::requestWays(const std::string& build) { ways_.ask(build); }
void Session::requestFit(std::int64_t capture) { fits_.ask(capture); }
void Session::requestTroubles(std::int64_t capture) { troubles_.ask(capture); }
void Session::requestWaits(const WaitsRequest& request) { waits_.ask(request); }
void Session::requestLedger(const LedgerRequest& request) { ledgers_.ask(request); }
void Session::requestBudget() { budgets_.ask({}); }
void Session::requestLife(const LifeRequest& request) { lives_.ask(request); }

void Session::requestLineUp(std::int64_t reference, std::int64_t other) {
  post(
      Who::desks,
      [this, main_thread = main_thread_, analyst = analyst_, reference,
       other](const std::stop_token& stop) {
        if (!*analyst) return;
        const LineUp result =
            (*analyst)->lineUp(reference, other, [&] { return !stop.stop_requested(); });
        main_thread.deliver(
            [this, reference, other, result] { emit linedUp(reference, other, result); });
      },
      tr("Lining up"));
}

void Session::change(const QString& text, MakeChange make) {
  if (path_.isEmpty()) return;
  post(
      Who::writer,
      [this, main_thread = main_thread_, path = path_.toStdString(), text, make = std::move(make),
       mine = generation_](const std::stop_token& stop) {
        const book::Book book = book::Book::open(path, book::Book::Mode::write);
        const book::ChangeRequest change = make(book, stop);
        if (stop.stop_requested() && change.made.empty()) return;
        std::vector<book::Change> changes = book::put(book, change);
        std::erase_if(changes, [](const book::Change& c) { return c.before == c.after; });
        main_thread.deliver([this, text, changes, mine] {
          if (mine != generation_ || changes.empty()) return;
          history_.push(new ChangeCommand(*this, text, changes));
          refresh();
          emit changed();
        });
      },
      text);
}

void Session::put(const QString& text, std::vector<book::Note> notes) {
  change(text, [notes = std::move(notes)](const book::Book&, const std::stop_token&) {
    return book::ChangeRequest{notes};
  });
}

void Session::storeQuietly(const std::string& key, const std::string& value) {
  post(Who::writer, [path = path_.toStdString(), key, value](const std::stop_token&) {
    book::put(book::Book::open(path, book::Book::Mode::write), {{0, key, value}});
  });
}

void Session::putBack(const std::vector<book::Change>& changes, bool after) {
  post(Who::writer, [this, main_thread = main_thread_, path = path_.toStdString(), changes,
                     after](const std::stop_token&) {
    const book::Book book = book::Book::open(path, book::Book::Mode::write);
    std::vector<book::Note> notes;
    for (const book::Change& c : changes) notes.push_back(after ? c.after : c.before);
    book::put(book, notes);
    main_thread.deliver([this] {
      refresh();
      emit changed();
    });
  });
}

void Session::writeFile(const QString& path, std::string text, std::function<void()> done) {
  post(
      Who::files,
      [main_thread = main_thread_, path, text = std::move(text),
       done = std::move(done)](const std::stop_token&) {
        formats::write_file(path.toStdString(), text);
        trust_file(path);
        main_thread.deliver(done);
      },
      tr("Writing %1").arg(file_name(path)));
}

void Session::copyBook(const QString& to, bool without_deleted, std::function<void()> done) {
  withFiles(
      [from = path_.toStdString(), to = to.toStdString(), without_deleted,
       done = std::move(done)](const std::stop_token& stop) -> std::function<void()> {
        book::copy(
            book::Book::open(from, book::Book::Mode::read), to,
            [&](double) { return !stop.stop_requested(); }, without_deleted);
        return done;
      },
      tr("Copying the book"));
}

void Session::previewImport(const QString& file, const formats::ImportSettings& settings,
                            std::function<void(const ImportPreview&)> done) {
  withFiles(
      [file, settings,
       done = std::move(done)](const std::stop_token& stop) -> std::function<void()> {
        ImportPreview preview;
        try {
          preview = preview_import(file, settings, stop);
        } catch (const std::exception& e) {
          preview.file = file;
          preview.trouble = QString::fromUtf8(e.what());
        }
        return [done, preview] { done(preview); };
      },
      tr("Reading %1").arg(file_name(file)));
}

void Session::importLogs(const std::vector<ImportJob>& jobs,
                         std::function<void(const std::vector<formats::ImportResult>&)> done) {
  if (path_.isEmpty() || jobs.empty()) return;
  withFiles(
      [path = path_.toStdString(), jobs, done = std::move(done),
       this](const std::stop_token& stop) -> std::function<void()> {
        book::Book book = book::Book::open(path, book::Book::Mode::write);
        std::vector<formats::ImportResult> made;
        try {
          for (const ImportJob& job : jobs)
            made.push_back(formats::import_file(book, job.file.toStdString(), job.settings, stop));
        } catch (...) {
          for (const formats::ImportResult& one : made) {
            for (const std::int64_t id : one.captures) book.discard(id);
          }
          throw;
        }
        return [this, done, made] {
          refresh();
          done(made);
        };
      },
      jobs.size() == 1 ? tr("Importing %1").arg(file_name(jobs.front().file))
                       : tr("Importing %1 files").arg(jobs.size()));
}

void Session::withFiles(std::function<std::function<void()>(const std::stop_token&)> job,
                        const QString& title) {
  post(
      Who::files,
      [main_thread = main_thread_, job = std::move(job)](const std::stop_token& stop) {
        if (const auto done = job(stop)) main_thread.deliver(done);
      },
      title);
}

}  // namespace kuvio::app
