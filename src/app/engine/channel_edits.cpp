// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/engine/channel_edits.h"

#include "app/engine/session.h"
#include "app/engine/text.h"
#include "book/calibrations.h"
#include "book/derived.h"
#include "core/error.h"

#include <exception>

namespace kuvio::app {
namespace {

ChannelsViewPtr read_channels(const book::Book& book, std::int64_t capture,
                              const std::stop_token& stop) {
  auto out = std::make_shared<ChannelsView>();
  out->capture = capture;
  const book::CaptureInfo info = book.capture(capture);
  auto calibrations = book::calibrations(book, capture);
  auto derivations = book::derivations(book, capture);
  for (const book::ChannelInfo& c : info.channels) {
    if (stop.stop_requested()) break;
    ChannelState state;
    state.info = c;
    state.recorded = book::as_recorded(c).quantity;
    state.calibration = calibrations[c.name];
    if (const auto it = derivations.find(c.name); it != derivations.end())
      state.derivation = it->second;
    try {
      state.figures = study::channel_figures(book, info, c.name);
    } catch (const std::exception& e) {  // it has no samples, or they cannot be read
      state.trouble = QString::fromUtf8(e.what());
    }
    out->channels.push_back(std::move(state));
  }
  return out;
}

book::ChangeRequest made(const book::Book& book, const study::ChannelChange& change,
                         const std::stop_token& stop) {
  book::Book own = book::Book::open(book.path(), book::Book::Mode::write);
  book::ChangeRequest out;
  out.made = study::change_channels(own, change, stop).changes;
  return out;
}

}  // namespace

void ask_channels(Session& session, std::int64_t capture,
                  std::function<void(const ChannelsViewPtr&)> done) {
  session.withFiles(
      [path = session.path().toStdString(), capture,
       done = std::move(done)](const std::stop_token& stop) -> std::function<void()> {
        const ChannelsViewPtr view =
            read_channels(book::Book::open(path, book::Book::Mode::read), capture, stop);
        return [done, view] { done(view); };
      },
      {});
}

void change_channels(Session& session, const QString& text, const study::ChannelChange& change) {
  session.change(text, [change](const book::Book& book, const std::stop_token& stop) {
    return made(book, change, stop);
  });
}

void zero_channel(Session& session, std::int64_t capture, const std::string& channel, double from_s,
                  double to_s) {
  session.change(QObject::tr("zero of %1").arg(qs(channel)), [=](const book::Book& book,
                                                                 const std::stop_token& stop) {
    study::ChannelChange change;
    change.capture = capture;
    ChannelCalibration now = book::calibrations(book, capture)[channel];
    now.zero = study::zero_in_span(book, book.capture(capture), channel, from_s, to_s);
    change.calibrations[channel] = now;
    return made(book, change, stop);
  });
}

}  // namespace kuvio::app
