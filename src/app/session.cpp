// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session.h"

#include "formats/palette.h"
#include "formats/plan_files.h"

#include <algorithm>

namespace kuvio::app {
namespace {

constexpr int kThumbnail = 180, kOverview = 1200;

std::map<std::string, std::size_t> fills_for(const std::string& recipe_text,
                                             const std::vector<Visit>& visits) {
  std::vector<std::string> order;
  try {
    for (const StateRule& rule :
         formats::parse_recipe(recipe_text, "recipe in the book").recipe.states)
      order.push_back(rule.name);
  } catch (const Error&) {  // split by hand: the order of the visits serves
  }
  std::map<std::string, double> times;
  for (const Visit& v : visits) {
    times[v.state] += v.length_s();
    if (std::find(order.begin(), order.end(), v.state) == order.end()) order.push_back(v.state);
  }
  std::string longest;
  double most = -1;
  for (const auto& [state, time] : times) {
    if (!is_built_in_state(state) && time > most) {
      most = time;
      longest = state;
    }
  }
  return formats::assign_fills(order, longest);
}

}  // namespace

/// Lives in the session's thread and owns the connection to the book.
class Session::Worker : public QObject {
public:
  explicit Worker(Session& session) : session_(session) {}

  void open(const QString& path) {
    shown_.reset();
    book_.reset();
    trace_.reset();
    book_.emplace(book::Book::open(path.toStdString(), book::Book::Mode::read));
    version_ = book_->data_version();
    emit session_.bookOpened(list(path));
  }

  void show(qint64 id) {
    if (!book_) return;
    auto view = std::make_shared<CaptureView>();
    view->info = book_->capture(id);
    view->channel = book::choose_channel(view->info, "", book_->path());
    trace_ = std::make_unique<book::ChannelTrace>(*book_, view->channel);
    view->from_s = trace_->from_s();
    view->to_s = trace_->to_s();
    view->log = book_->log(id);
    if (view->to_s > view->from_s)
      view->overview = envelope(*trace_, view->from_s, view->to_s, kOverview);
    if (const auto split = book_->split(id)) {
      view->visits = measure_visits(*trace_, split->visits);
      view->fills = fills_for(split->recipe_text, split->visits);
    }
    book::SplitCapture basis;
    basis.info = view->info;
    basis.channel = view->channel;
    view->basis = basis.basis();
    if (!view->visits.empty())
      view->ledger = make_ledger({{trace_.get(), view->visits}}, view->basis);
    shown_ = view;
    emit session_.captureReady(view);
  }

  void frame() {
    const auto wish = take(wish_frame_);
    if (!wish || !trace_ || !(wish->to > wish->from)) return;
    auto out = std::make_shared<Frame>();
    out->from_s = wish->from;
    out->to_s = wish->to;
    out->averaged = trace_->kind() == SampleKind::averaged;
    if (count_samples(*trace_, wish->from, wish->to) <= 2 * wish->columns) {
      out->points = points(*trace_, wish->from, wish->to);
    } else {
      out->columns = envelope(*trace_, wish->from, wish->to, wish->columns);
    }
    if (shown_ && !shown_->visits.empty())
      out->fan = make_fan(*trace_, shown_->visits, wish->from, wish->to);
    emit session_.frameReady(out);
  }

  void span() {
    const auto wish = take(wish_span_);
    if (!wish || !trace_ || !shown_) return;
    const double from = std::clamp(wish->from, trace_->from_s(), trace_->to_s());
    const double to = std::clamp(wish->to, from, trace_->to_s());
    auto out = std::make_shared<SpanReading>();
    out->figures = measure(*trace_, from, to);
    if (const auto mean = out->figures.mean()) {
      out->mean_u = combine(accuracy_components(shown_->basis.accuracy, *mean)).U;
    }
    emit session_.spanReady(out);
  }

  void applyRecipe(const QString& file) {
    if (!shown_ || !book_) return;
    const formats::RecipeFile recipe = formats::read_recipe(file.toStdString());
    const book::StoredSplit split =
        book::split_capture(*book_, shown_->info, recipe.recipe, recipe.text);
    const book::Book writer = book::Book::open(book_->path(), book::Book::Mode::write);
    writer.save_split(shown_->info.id, split);
    emit session_.bookOpened(list(QString::fromStdString(book_->path())));
    show(shown_->info.id);
  }

  void poll() {
    if (!book_) return;
    const auto version = book_->data_version();
    if (version == version_) return;
    version_ = version;
    emit session_.bookOpened(list(QString::fromStdString(book_->path())));
    if (shown_) show(shown_->info.id);
  }

  struct Wish {
    double from = 0, to = 0;
    int columns = 0;
  };
  void wish_frame(const Wish& wish) {
    const std::lock_guard lock(mutex_);
    wish_frame_ = wish;
  }
  void wish_span(const Wish& wish) {
    const std::lock_guard lock(mutex_);
    wish_span_ = wish;
  }

private:
  std::optional<Wish> take(std::optional<Wish>& wish) {
    const std::lock_guard lock(mutex_);
    return std::exchange(wish, std::nullopt);
  }

  BookViewPtr list(const QString& path) {
    auto out = std::make_shared<BookView>();
    out->path = path;
    const auto builds = book_->builds();
    for (const book::CaptureInfo& info : book_->captures()) {
      CaptureRow row;
      row.info = info;
      row.ink = static_cast<std::size_t>(std::find(builds.begin(), builds.end(), info.build) -
                                         builds.begin());
      try {
        const book::ChannelTrace trace(*book_, book::choose_channel(info, "", book_->path()));
        if (trace.to_s() > trace.from_s())
          row.thumbnail = envelope(trace, trace.from_s(), trace.to_s(), kThumbnail);
      } catch (const Error&) {  // a capture without a current, or damaged: told when it is opened
      }
      if (const auto split = book_->split(info.id)) {
        row.visits = split->visits;
        row.fills = fills_for(split->recipe_text, split->visits);
      }
      out->rows.push_back(std::move(row));
    }
    return out;
  }

  Session& session_;
  std::optional<book::Book> book_;
  std::unique_ptr<book::ChannelTrace> trace_;
  CaptureViewPtr shown_;
  std::int64_t version_ = 0;
  std::mutex mutex_;  // guards the wishes; held for moments only
  std::optional<Wish> wish_frame_, wish_span_;
};

Session::Session(QObject* parent) : QObject(parent), worker_(new Worker(*this)) {
  qRegisterMetaType<BookViewPtr>();
  qRegisterMetaType<CaptureViewPtr>();
  qRegisterMetaType<FramePtr>();
  qRegisterMetaType<SpanReadingPtr>();
  worker_->moveToThread(&thread_);
  connect(&thread_, &QThread::finished, worker_, &QObject::deleteLater);
  thread_.setObjectName(QStringLiteral("book"));
  thread_.start();
}

Session::~Session() {
  thread_.quit();
  thread_.wait();
}

template <typename Job>
void Session::post(Job job) {
  QMetaObject::invokeMethod(
      worker_,
      [this, job] {
        try {
          job(*worker_);
        } catch (const Error& e) {
          emit failed(QString::fromUtf8(e.what()));
        } catch (const std::exception& e) {
          emit failed(QString::fromUtf8(e.what()));
        }
      },
      Qt::QueuedConnection);
}

void Session::open(const QString& path) {
  emit busyChanged(true);
  QMetaObject::invokeMethod(
      worker_,
      [this, path] {
        try {
          worker_->open(path);
        } catch (const std::exception& e) {
          emit failed(QString::fromUtf8(e.what()));
        }
        emit busyChanged(false);
      },
      Qt::QueuedConnection);
}
void Session::showCapture(qint64 id) {
  post([id](Worker& w) { w.show(id); });
}
void Session::wantFrame(double from_s, double to_s, int columns) {
  worker_->wish_frame({from_s, to_s, columns});
  post([](Worker& w) { w.frame(); });
}
void Session::wantSpan(double from_s, double to_s) {
  worker_->wish_span({from_s, to_s, 0});
  post([](Worker& w) { w.span(); });
}
void Session::applyRecipe(const QString& file) {
  emit busyChanged(true);
  QMetaObject::invokeMethod(
      worker_,
      [this, file] {
        try {
          worker_->applyRecipe(file);
        } catch (const std::exception& e) {
          emit failed(QString::fromUtf8(e.what()));
        }
        emit busyChanged(false);
      },
      Qt::QueuedConnection);
}
void Session::poll() {
  post([](Worker& w) { w.poll(); });
}

}  // namespace kuvio::app
