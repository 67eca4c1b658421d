// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/engine/book_view.h"
#include "app/engine/trace_views.h"
#include "book/channel_trace.h"

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace kuvio::app {

/// Reads a book for the window: its list, the captures shown, frames and spans. Lives in one
/// thread, that of its connection. Throws Error.
class Reader {
public:
  /// `unclean`: what the book had to say when it was found not closed.
  explicit Reader(const QString& path, const std::string& unclean = {});

  BookViewPtr list();
  /// Opens the captures to be drawn together; those that are not there are left out.
  ShownPtr show(const std::vector<std::int64_t>& captures);
  /// Null when nothing is shown or the request is empty. Columns that are not exact after
  /// `patience_s` are left approximate; the same request again goes on with them.
  FramePtr frame(const FrameRequest& request, double patience_s);
  SpanReadingPtr span(double from_s, double to_s) const;
  /// Values of the first capture's channels.
  MomentsReadingPtr moments(const std::vector<double>& moments) const;
  /// At once: from pieces of the span where it is long, without its ripple.
  SpreadViewPtr spread(const SpreadRequest& request) const;
  LevelHistogramPtr histogram(const std::function<bool()>& going_on) const;
  /// Splits what is shown by a recipe's text, without saving it.
  RecipePreviewPtr preview(const std::string& text) const;
  /// Whether another connection has written since the last call.
  bool changed();
  const book::Book& book() const { return book_; }

private:
  static constexpr int kOverview = 1200;
  struct Open {
    CaptureViewPtr view;
    std::map<std::string, std::unique_ptr<book::ChannelTrace>> traces;
    book::ChannelTrace* current = nullptr;
  };
  /// What is known of a capture's main current as a whole, kept while it grows.
  struct CaptureThumbnail {
    std::pair<std::int64_t, book::Calibration> shown;  ///< channel, and how it was put right
    std::int64_t samples = 0;                          ///< of all channels, then
    GrowingEnvelope whole{kOverview};
    std::vector<EnvelopeColumn> thumbnail;

    void take(const Trace& trace, bool growing);
  };
  /// Columns of a trace on a grid of `width` seconds, those of the last picture used again.
  struct Columns {
    double width = 0;
    std::int64_t first = 0;
    std::vector<EnvelopeColumn> columns;
  };
  static void fill_columns(const Trace& trace, double width, std::int64_t first, std::int64_t count,
                           const WaitClock& patience, Columns& cache);
  Curve curve(const CurveSource& source, const Trace& trace, const FrameRequest& request,
              double offset_s, const WaitClock& patience);
  /// `known`: the same capture as it was open before; `axis_s`: where the first one's time 0 lies.
  Open open(const book::CaptureInfo& info, std::size_t ink, double axis_s, Open known);
  std::unique_ptr<book::ChannelTrace> trace_of(const book::ChannelInfo& channel, Open& known);
  void add_states(CaptureView& view, const book::ChannelTrace& current);
  void grow(Open& open, book::ChannelTrace& trace, const book::ChannelInfo& now);
  const CaptureThumbnail& thumbnail_of(const book::CaptureInfo& info);
  CaptureRow row(const book::CaptureInfo& info, std::size_t ink);

  book::Book book_;
  QString path_;
  std::string unclean_;
  std::int64_t version_ = 0;
  std::vector<Open> open_;
  std::map<std::int64_t, CaptureThumbnail> thumbnails_;
  /// Opened for the list, at hand for who shows them; by channel.
  std::map<std::int64_t, std::unique_ptr<book::ChannelTrace>> opened_for_list_;
  std::map<std::pair<std::int64_t, std::string>, Columns> columns_;  // by capture and channel
};

}  // namespace kuvio::app
