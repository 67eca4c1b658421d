// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/book.h"
#include "book/capture_writer.h"

#include <memory>
#include <string>
#include <vector>

namespace kuvio::book {

/// A capture that is written at one go: left behind unfinished it is not in the book.
class WholeCapture {
public:
  WholeCapture(Book& book, const CaptureSpec& spec, const std::vector<ChannelInfo>& channels);
  ~WholeCapture();
  WholeCapture(const WholeCapture&) = delete;
  WholeCapture& operator=(const WholeCapture&) = delete;

  CaptureWriter* operator->() { return writer_.get(); }
  std::int64_t id() const { return writer_->id(); }
  void finish(const std::string& end_reason);

private:
  Book& book_;
  std::unique_ptr<CaptureWriter> writer_;
  bool finished_ = false;
};

}  // namespace kuvio::book
