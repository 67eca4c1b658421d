// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/session.h"

#include "app/engine/text.h"
#include "app/engine/trusted_files.h"
#include "book/book_file.h"
#include "book/copy.h"
#include "core/error.h"
#include "formats/output_file.h"
#include "formats/toml_file.h"

#include <QUndoCommand>

#include <atomic>
#include <utility>

namespace kuvio::app {
namespace {
// How long a frame may take for columns to be exact: first while the hand moves, then at rest.
constexpr double kFrameS = 0.004, kTighterS = 0.012;
}  // namespace

/// The newest request of a kind; taken once.
template <typename T>
class Session::Latest {
public:
  void set(T request) {
    const std::lock_guard lock(mutex_);
    request_ = std::move(request);
  }
  std::optional<T> take() {
    const std::lock_guard lock(mutex_);
    return std::exchange(request_, std::nullopt);
  }

private:
  std::mutex mutex_;  // held for moments only
  std::optional<T> request_;
};

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

Session::Session(QObject* parent)
    : QObject(parent),
      courier_(this),
      reader_(std::make_shared<std::unique_ptr<Reader>>()),
      analyst_(std::make_shared<std::unique_ptr<Analyst>>()),
      frame_request_(std::make_shared<Latest<FrameRequest>>()),
      span_request_(std::make_shared<Latest<std::pair<double, double>>>()),
      moments_request_(std::make_shared<Latest<std::vector<double>>>()),
      spread_request_(std::make_shared<Latest<SpreadRequest>>()),
      whole_spread_request_(std::make_shared<Latest<SpreadRequest>>()),
      spreads_wanted_(std::make_shared<std::atomic<std::uint64_t>>(0)),
      preview_request_(std::make_shared<Latest<std::string>>()),
      life_request_(std::make_shared<Latest<LifeRequest>>()),
      builds_request_(std::make_shared<Latest<BuildsRequest>>()),
      typical_request_(std::make_shared<Latest<TypicalRequest>>()),
      budget_requests_(std::make_shared<std::atomic<int>>(0)),
      view_(std::make_unique<Strand>()),
      desks_(std::make_unique<Strand>()),
      writer_(std::make_unique<Strand>()),
      files_(std::make_unique<Strand>()) {
  // Connections are closed in the threads they belong to.
  view_->at_end([reader = reader_] { reader->reset(); });
  desks_->at_end([analyst = analyst_] { analyst->reset(); });
}

Session::~Session() {
  courier_.retire();
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
      [this, courier = courier_, job = std::move(job), title](const std::stop_token& stop) {
        QString trouble;
        try {
          job(stop);
        } catch (const std::exception& e) {
          trouble = QString::fromUtf8(e.what());
        }
        if (trouble.isEmpty() && title.isEmpty()) return;
        courier.deliver([this, trouble, title] {
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
  if (!book::misses_log(path)) return {};
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
      [this, courier = courier_, reader = reader_, path, create, mine](const std::stop_token&) {
        reader->reset();
        if (create) book::Book::open(path.toStdString(), book::Book::Mode::create);
        const std::string unclean = create ? "" : adopted(path.toStdString());
        *reader = std::make_unique<Reader>(path, unclean);
        const BookViewPtr book = (*reader)->list();
        courier.deliver([this, book, path, mine] {
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
  post(Who::view,
       [this, courier = courier_, reader = reader_, mine = generation_](const std::stop_token&) {
         if (!*reader) return;
         const BookViewPtr book = (*reader)->list();
         courier.deliver([this, book, mine] {
           if (mine != generation_) return;
           book_ = book;
           emit bookOpened(book);
         });
       });
}

void Session::show(const std::vector<std::int64_t>& captures) {
  wanted_ = captures;
  post(Who::view, [this, courier = courier_, reader = reader_, captures,
                   mine = generation_](const std::stop_token&) {
    if (!*reader) return;
    const ShownPtr all = (*reader)->show(captures);
    courier.deliver([this, all, captures, mine] {
      if (mine == generation_ && captures == wanted_) emit shown(all);
    });
  });
}

void Session::refresh() {
  list();
  if (!wanted_.empty()) show(wanted_);
}

void Session::poll() {
  post(Who::view, [this, courier = courier_, reader = reader_](const std::stop_token&) {
    if (*reader && (*reader)->changed()) courier.deliver([this] { refresh(); });
  });
}

void Session::requestFrame(const FrameRequest& request) {
  ++frames_wanted_;
  frame_request_->set(request);
  postFrame(kFrameS);
}

/// A frame that is not exact yet is followed by another, unless something else is wanted by then.
void Session::postFrame(double patience_s) {
  post(Who::view, [this, courier = courier_, reader = reader_, requests = frame_request_,
                   patience_s, mine = frames_wanted_](const std::stop_token&) {
    const auto newest = requests->take();
    if (!newest || !*reader) return;
    const FramePtr frame = (*reader)->frame(*newest, patience_s);
    if (!frame) return;
    courier.deliver([this, frame, request = *newest, mine] {
      emit frameReady(frame);
      if (!frame->loose || mine != frames_wanted_) return;
      frame_request_->set(request);
      postFrame(kTighterS);
    });
  });
}

void Session::requestSpan(double from_s, double to_s) {
  span_request_->set({from_s, to_s});
  post(Who::view, [this, courier = courier_, reader = reader_,
                   requests = span_request_](const std::stop_token&) {
    const auto newest = requests->take();
    if (!newest || !*reader) return;
    if (const SpanReadingPtr reading = (*reader)->span(newest->first, newest->second))
      courier.deliver([this, reading] { emit spanReady(reading); });
  });
}

void Session::requestMoments(const std::vector<double>& moments) {
  moments_request_->set(moments);
  post(Who::view, [this, courier = courier_, reader = reader_,
                   requests = moments_request_](const std::stop_token&) {
    const auto newest = requests->take();
    if (!newest || !*reader) return;
    if (const MomentsReadingPtr reading = (*reader)->moments(*newest))
      courier.deliver([this, reading] { emit momentsReady(reading); });
  });
}

void Session::requestSpread(const SpreadRequest& request) {
  const std::uint64_t mine = ++*spreads_wanted_;
  spread_request_->set(request);
  whole_spread_request_->set(request);
  post(Who::view, [this, courier = courier_, reader = reader_,
                   requests = spread_request_](const std::stop_token&) {
    const auto newest = requests->take();
    if (!newest || !*reader) return;
    if (const SpreadViewPtr view = (*reader)->spread(*newest))
      courier.deliver([this, view] { emit spreadReady(view); });
  });
  post(Who::desks, [this, courier = courier_, analyst = analyst_, requests = whole_spread_request_,
                    wanted = spreads_wanted_, mine](const std::stop_token& stop) {
    if (*wanted != mine) return;  // a newer request waits behind this one
    const auto newest = requests->take();
    if (!newest || !*analyst) return;
    const auto going_on = [&] { return *wanted == mine && !stop.stop_requested(); };
    if (const SpreadViewPtr view = (*analyst)->spread(*newest, going_on))
      courier.deliver([this, view] { emit spreadReady(view); });
  });
}

void Session::wantLineUp(std::int64_t reference, std::int64_t other) {
  post(
      Who::desks,
      [this, courier = courier_, analyst = analyst_, reference,
       other](const std::stop_token& stop) {
        if (!*analyst) return;
        const LineUp result = (*analyst)->lineUp(reference, other, stop);
        courier.deliver(
            [this, reference, other, result] { emit linedUp(reference, other, result); });
      },
      tr("Lining up"));
}

void Session::requestPreview(const std::string& recipe_text) {
  preview_request_->set(recipe_text);
  post(Who::view, [this, courier = courier_, reader = reader_,
                   requests = preview_request_](const std::stop_token&) {
    const auto newest = requests->take();
    if (!newest || !*reader) return;
    const RecipePreviewPtr preview = (*reader)->preview(*newest);
    courier.deliver([this, preview] { emit previewReady(preview); });
  });
}

void Session::requestHistogram() {
  post(Who::view, [this, courier = courier_, reader = reader_](const std::stop_token& stop) {
    if (!*reader) return;
    if (const LevelHistogramPtr histogram = (*reader)->histogram(stop))
      courier.deliver([this, histogram] { emit histogramReady(histogram); });
  });
}

void Session::change(const QString& text, MakeChange make) {
  if (path_.isEmpty()) return;
  post(
      Who::writer,
      [this, courier = courier_, path = path_.toStdString(), text, make = std::move(make),
       mine = generation_](const std::stop_token& stop) {
        const book::Book book = book::Book::open(path, book::Book::Mode::write);
        const book::ChangeRequest change = make(book, stop);
        if (stop.stop_requested()) return;
        std::vector<book::Change> changes = book::put(book, change);
        std::erase_if(changes, [](const book::Change& c) { return c.before == c.after; });
        courier.deliver([this, text, changes, mine] {
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

void Session::keep(const std::string& key, const std::string& value) {
  post(Who::writer, [path = path_.toStdString(), key, value](const std::stop_token&) {
    book::put(book::Book::open(path, book::Book::Mode::write), {{0, key, value}});
  });
}

void Session::putBack(const std::vector<book::Change>& changes, bool after) {
  post(Who::writer, [this, courier = courier_, path = path_.toStdString(), changes,
                     after](const std::stop_token&) {
    const book::Book book = book::Book::open(path, book::Book::Mode::write);
    std::vector<book::Note> notes;
    for (const book::Change& c : changes) notes.push_back(after ? c.after : c.before);
    book::put(book, notes);
    courier.deliver([this] {
      refresh();
      emit changed();
    });
  });
}

void Session::requestBuilds(const BuildsRequest& request) {
  builds_request_->set(request);
  post(
      Who::desks,
      [this, courier = courier_, analyst = analyst_,
       requests = builds_request_](const std::stop_token& stop) {
        const auto newest = requests->take();
        if (!newest || !*analyst) return;
        const BuildsViewPtr view = (*analyst)->builds(*newest, stop);
        if (!stop.stop_requested()) courier.deliver([this, view] { emit buildsReady(view); });
      },
      tr("Comparing builds"));
}

void Session::requestTypical(const TypicalRequest& request) {
  typical_request_->set(request);
  post(Who::desks, [this, courier = courier_, analyst = analyst_,
                    requests = typical_request_](const std::stop_token& stop) {
    const auto newest = requests->take();
    if (!newest || !*analyst) return;
    const TypicalViewPtr view = (*analyst)->typical(*newest, stop);
    if (!stop.stop_requested()) courier.deliver([this, view] { emit typicalReady(view); });
  });
}

void Session::requestBudget() {
  ++*budget_requests_;
  post(
      Who::desks,
      [this, courier = courier_, analyst = analyst_,
       requests = budget_requests_](const std::stop_token& stop) {
        if (--*requests > 0 || !*analyst) return;  // a newer request waits behind this one
        const BudgetViewPtr view = (*analyst)->budget(stop);
        if (!stop.stop_requested()) courier.deliver([this, view] { emit budgetReady(view); });
      },
      tr("Checking the budget"));
}

void Session::requestLife(const LifeRequest& request) {
  life_request_->set(request);
  post(Who::desks, [this, courier = courier_, analyst = analyst_,
                    requests = life_request_](const std::stop_token& stop) {
    const auto newest = requests->take();
    if (!newest || !*analyst) return;
    const LifeViewPtr view = (*analyst)->life(*newest, stop);
    if (!stop.stop_requested()) courier.deliver([this, view] { emit lifeReady(view); });
  });
}

void Session::writeFile(const QString& path, std::string text, std::function<void()> done) {
  post(
      Who::files,
      [courier = courier_, path, text = std::move(text),
       done = std::move(done)](const std::stop_token&) {
        formats::write_file(path.toStdString(), text);
        trust_file(path);
        courier.deliver(done);
      },
      tr("Writing %1").arg(file_name(path)));
}

void Session::copyBook(const QString& to, std::function<void()> done) {
  withFiles(
      [from = path_.toStdString(), to = to.toStdString(),
       done = std::move(done)](const std::stop_token& stop) -> std::function<void()> {
        book::copy(book::Book::open(from, book::Book::Mode::read), to,
                   [&](double) { return !stop.stop_requested(); });
        return done;
      },
      tr("Copying the book"));
}

void Session::withFiles(std::function<std::function<void()>(const std::stop_token&)> job,
                        const QString& title) {
  post(
      Who::files,
      [courier = courier_, job = std::move(job)](const std::stop_token& stop) {
        if (const auto done = job(stop)) courier.deliver(done);
      },
      title);
}

}  // namespace kuvio::app
