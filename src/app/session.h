// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "book/analysis.h"
#include "core/envelope.h"
#include "core/fan.h"
#include "core/ledger.h"

#include <QObject>
#include <QThread>

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

namespace kuvio::app {

/// One capture as the window shows it: a plain value, made by the worker, never changed after.
struct CaptureView {
  book::CaptureInfo info;
  book::ChannelInfo channel;
  std::vector<VisitFigures> visits;  ///< empty: not split yet
  std::optional<Ledger> ledger;
  std::vector<book::LogLine> log;
  std::map<std::string, std::size_t> fills;
  std::vector<EnvelopeColumn> overview;
  Basis basis;
  double from_s = 0, to_s = 0;
};

/// A row of the captures list.
struct CaptureRow {
  book::CaptureInfo info;
  std::vector<EnvelopeColumn> thumbnail;
  std::vector<Visit> visits;
  std::map<std::string, std::size_t> fills;
  std::size_t ink = 0;  ///< of its build
};

struct BookView {
  QString path;
  std::vector<CaptureRow> rows;
};

/// What a lane needs to paint one view, and the fan that goes with it.
struct Frame {
  double from_s = 0, to_s = 0;
  std::vector<EnvelopeColumn> columns;  ///< many samples per pixel
  std::vector<TracePoint> points;       ///< few: the samples themselves
  bool averaged = true;
  Fan fan;
};

struct SpanReading {
  SpanFigures figures;
  double mean_u = 0;  ///< expanded uncertainty of the mean (A)
};

using CaptureViewPtr = std::shared_ptr<const CaptureView>;
using BookViewPtr = std::shared_ptr<const BookView>;
using FramePtr = std::shared_ptr<const Frame>;
using SpanReadingPtr = std::shared_ptr<const SpanReading>;

/// The book behind the window. All reading is done in a thread of its own; the window asks and is
/// answered by signals. Of frames and spans only the newest wish is served.
class Session : public QObject {
  Q_OBJECT
public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  void open(const QString& path);
  void showCapture(qint64 id);
  void wantFrame(double from_s, double to_s, int columns);
  void wantSpan(double from_s, double to_s);
  /// Splits the shown capture by a recipe file and saves the split.
  void applyRecipe(const QString& file);
  /// Looks whether another process has written to the book.
  void poll();

signals:
  void bookOpened(kuvio::app::BookViewPtr book);
  void captureReady(kuvio::app::CaptureViewPtr capture);
  void frameReady(kuvio::app::FramePtr frame);
  void spanReady(kuvio::app::SpanReadingPtr span);
  /// What happened, with what was kept and what to do; for people.
  void failed(const QString& message);
  void busyChanged(bool busy);

private:
  class Worker;
  template <typename Job>
  void post(Job job);

  QThread thread_;
  Worker* worker_;
};

}  // namespace kuvio::app

Q_DECLARE_METATYPE(kuvio::app::BookViewPtr)
Q_DECLARE_METATYPE(kuvio::app::CaptureViewPtr)
Q_DECLARE_METATYPE(kuvio::app::FramePtr)
Q_DECLARE_METATYPE(kuvio::app::SpanReadingPtr)
