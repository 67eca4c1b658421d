// SPDX-License-Identifier: GPL-3.0-or-later
#include "book/whole_capture.h"

#include <exception>

namespace kuvio::book {

WholeCapture::WholeCapture(Book& book, const CaptureSpec& spec,
                           const std::vector<ChannelInfo>& channels)
    : book_(book), writer_(std::make_unique<CaptureWriter>(book, spec, channels)) {}

WholeCapture::~WholeCapture() {
  if (finished_) return;
  const std::int64_t id = writer_->id();
  writer_.reset();
  try {
    book_.discard(id);
  } catch (const std::exception&) {  // it stays marked as half done, and goes when next opened
  }
}

void WholeCapture::finish(const std::string& end_reason) {
  writer_->finish(end_reason, false);
  finished_ = true;
}

}  // namespace kuvio::book
