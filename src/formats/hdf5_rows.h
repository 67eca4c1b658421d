// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <H5Cpp.h>

#include <cstddef>
#include <cstdint>

// Rows of the tables in an HDF5 file of ours, written and read alike (docs/exchange.md).

namespace kuvio::formats::hdf5 {

/// A run of samples of a channel: `count` from `first` on, in ticks. Period 0: times of their own.
struct SegmentRow {
  std::int64_t first = 0, count = 0, start = 0, period = 0, end = 0;
};
struct FlagRow {
  const char* flag = nullptr;
  double from_s = 0, to_s = 0;
  std::int64_t samples = 0;
};
struct LogRow {
  double time_s = 0;
  std::uint8_t sent = 0;
  const char* text = nullptr;
};
struct EventRow {
  const char* kind = nullptr;
  double earliest_s = 0, latest_s = 0;
  const char* text = nullptr;
};

inline H5::StrType text_type() {
  H5::StrType out(H5::PredType::C_S1, H5T_VARIABLE);
  out.setCset(H5T_CSET_UTF8);
  return out;
}
inline H5::CompType type_of(const SegmentRow*) {
  H5::CompType out(sizeof(SegmentRow));
  out.insertMember("first", offsetof(SegmentRow, first), H5::PredType::NATIVE_INT64);
  out.insertMember("count", offsetof(SegmentRow, count), H5::PredType::NATIVE_INT64);
  out.insertMember("start", offsetof(SegmentRow, start), H5::PredType::NATIVE_INT64);
  out.insertMember("period", offsetof(SegmentRow, period), H5::PredType::NATIVE_INT64);
  out.insertMember("end", offsetof(SegmentRow, end), H5::PredType::NATIVE_INT64);
  return out;
}
inline H5::CompType type_of(const FlagRow*) {
  H5::CompType out(sizeof(FlagRow));
  out.insertMember("flag", offsetof(FlagRow, flag), text_type());
  out.insertMember("from_s", offsetof(FlagRow, from_s), H5::PredType::NATIVE_DOUBLE);
  out.insertMember("to_s", offsetof(FlagRow, to_s), H5::PredType::NATIVE_DOUBLE);
  out.insertMember("samples", offsetof(FlagRow, samples), H5::PredType::NATIVE_INT64);
  return out;
}
inline H5::CompType type_of(const LogRow*) {
  H5::CompType out(sizeof(LogRow));
  out.insertMember("time_s", offsetof(LogRow, time_s), H5::PredType::NATIVE_DOUBLE);
  out.insertMember("sent", offsetof(LogRow, sent), H5::PredType::NATIVE_UINT8);
  out.insertMember("text", offsetof(LogRow, text), text_type());
  return out;
}
inline H5::CompType type_of(const EventRow*) {
  H5::CompType out(sizeof(EventRow));
  out.insertMember("kind", offsetof(EventRow, kind), text_type());
  out.insertMember("earliest_s", offsetof(EventRow, earliest_s), H5::PredType::NATIVE_DOUBLE);
  out.insertMember("latest_s", offsetof(EventRow, latest_s), H5::PredType::NATIVE_DOUBLE);
  out.insertMember("text", offsetof(EventRow, text), text_type());
  return out;
}

}  // namespace kuvio::formats::hdf5
