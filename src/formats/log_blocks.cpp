// SPDX-License-Identifier: GPL-3.0-or-later
#include "formats/log_blocks.h"

#include "core/error.h"
#include "formats/plain_number.h"

#include <algorithm>
#include <filesystem>

namespace kuvio::formats {
namespace {

constexpr std::size_t kBlock = 1 << 19, kLongestLine = 1 << 20;
constexpr unsigned kMostParsers = 4;
constexpr std::size_t kSlots = 12, kSlotsPerParser = 4;  // at least, and of many parsers

}  // namespace

LogBlocks::LogBlocks(const std::string& path, const std::string& at, std::int64_t offset,
                     const LogPlan& plan, std::optional<double> shunt_ohm, unsigned parsers)
    : path_(path), in_(at, std::ios::binary), given_bytes_(offset) {
  if (!in_) throw Error(Failure::io, "cannot read", path, "permission denied");
  std::error_code ignored;
  size_ = static_cast<double>(std::filesystem::file_size(at, ignored));
  in_.seekg(offset);
  if (parsers == 0) parsers = std::clamp(std::thread::hardware_concurrency(), 1U, kMostParsers);
  slots_.resize(1 + std::max<std::size_t>(kSlots, kSlotsPerParser * parsers));
  for (unsigned i = 0; i < parsers; ++i)
    parsers_.emplace_back([this, &plan, shunt_ohm](const std::stop_token& stop) {
      parse_blocks(stop, plan, shunt_ohm);
    });
}

LogBlocks::~LogBlocks() {
  for (std::jthread& parser : parsers_) parser.request_stop();
  changed_.notify_all();
}

void LogBlocks::parse_blocks(const std::stop_token& stop, const LogPlan& plan,
                             std::optional<double> shunt_ohm) {
  RowParser parser(plan, shunt_ohm);
  while (!stop.stop_requested()) {
    Slot* slot = nullptr;
    bool more = true;
    {
      const std::lock_guard reading(file_);
      if (at_end_) return;
      {
        std::unique_lock lock(mutex_);
        const auto free = [&] { return taken_ < given_ + slots_.size(); };
        if (!changed_.wait(lock, stop, free)) return;
      }
      slot = &slots_[taken_ % slots_.size()];
      try {
        more = fill(slot->block);
      } catch (...) {
        slot->failed = std::current_exception();
      }
      at_end_ = !more || slot->failed;
      if (more) ++taken_;
      const std::lock_guard lock(mutex_);
      if (at_end_) ends_at_ = taken_;
    }
    if (more && !slot->failed) {
      try {
        parser.parse(slot->block);
      } catch (...) {
        slot->failed = std::current_exception();
      }
    }
    {
      const std::lock_guard lock(mutex_);
      if (more) slot->ready = true;
    }
    changed_.notify_all();
    if (!more) return;
  }
}

/// Whole lines of about a block's size; false at the end of the file.
bool LogBlocks::fill(RowBlock& block) {
  std::vector<char>& room = block.room;
  std::size_t size = rest_.size();
  room.resize(std::max(room.size(), size + kReadBehind));
  std::copy(rest_.begin(), rest_.end(), room.begin());
  rest_.clear();
  while (true) {
    room.resize(std::max(room.size(), size + kBlock + kReadBehind));
    in_.read(room.data() + size, static_cast<std::streamsize>(kBlock));
    const auto n = static_cast<std::size_t>(in_.gcount());
    if (in_.bad()) throw Error(Failure::io, "cannot read", path_, "reading it failed half-way");
    size += n;
    const std::string_view all(room.data(), size);
    const std::size_t last = n == 0 ? std::string_view::npos : all.rfind('\n');
    // A line that is too long is said to be so by whoever takes it.
    if (last == std::string_view::npos && n > 0 && size <= kLongestLine + kBlock) continue;
    block.text = all.substr(0, last == std::string_view::npos ? size : last + 1);
    rest_ = all.substr(block.text.size());
    return size > 0;
  }
}

const RowBlock* LogBlocks::next() {
  std::unique_lock lock(mutex_);
  if (holding_) {
    Slot& done = slots_[given_ % slots_.size()];
    given_bytes_ += static_cast<std::int64_t>(done.block.text.size());
    done.ready = false;
    ++given_;
    holding_ = false;
    changed_.notify_all();
  }
  Slot& slot = slots_[given_ % slots_.size()];
  changed_.wait(lock, [&] { return slot.ready || given_ >= ends_at_; });
  if (!slot.ready) return nullptr;
  holding_ = true;
  if (slot.failed) std::rethrow_exception(slot.failed);
  return &slot.block;
}

}  // namespace kuvio::formats
