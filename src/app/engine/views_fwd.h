// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <map>
#include <memory>
#include <string>

// What the window shows: plain values, made by the session's threads, never changed after.

namespace kuvio::book {
enum class DocumentKind;
}

namespace kuvio::app {

struct ImportPreview;

using book::DocumentKind;

/// Which fill each state has.
using Fills = std::map<std::string, std::size_t>;

struct BookView;
struct BudgetView;
struct BuildsView;
struct CaptureView;
struct FitView;
struct Frame;
struct LedgerView;
struct LevelHistogram;
struct LifeView;
struct MomentsReading;
struct RecipePreview;
struct ShownCaptures;
struct SpanReading;
struct SpreadView;
struct TroublesView;
struct TypicalView;
struct WaitsView;
struct WaysView;

using BookViewPtr = std::shared_ptr<const BookView>;
using BudgetViewPtr = std::shared_ptr<const BudgetView>;
using BuildsViewPtr = std::shared_ptr<const BuildsView>;
using CaptureViewPtr = std::shared_ptr<const CaptureView>;
using FitViewPtr = std::shared_ptr<const FitView>;
using FramePtr = std::shared_ptr<const Frame>;
using LedgerViewPtr = std::shared_ptr<const LedgerView>;
using LevelHistogramPtr = std::shared_ptr<const LevelHistogram>;
using LifeViewPtr = std::shared_ptr<const LifeView>;
using MomentsReadingPtr = std::shared_ptr<const MomentsReading>;
using RecipePreviewPtr = std::shared_ptr<const RecipePreview>;
using ShownPtr = std::shared_ptr<const ShownCaptures>;
using SpanReadingPtr = std::shared_ptr<const SpanReading>;
using SpreadViewPtr = std::shared_ptr<const SpreadView>;
using TroublesViewPtr = std::shared_ptr<const TroublesView>;
using TypicalViewPtr = std::shared_ptr<const TypicalView>;
using WaitsViewPtr = std::shared_ptr<const WaitsView>;
using WaysViewPtr = std::shared_ptr<const WaysView>;

struct BuildsRequest;
struct FrameRequest;
struct LedgerRequest;
struct LifeRequest;
struct SpreadRequest;
struct TypicalRequest;
struct WaitsRequest;

}  // namespace kuvio::app
