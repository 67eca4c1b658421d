// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/edits.h"

#include "core/measure.h"
#include "core/number_text.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <utility>

namespace kuvio {
namespace {

constexpr std::array<std::pair<Edit::Kind, std::string_view>, 6> kWords{
    {{Edit::Kind::move, "move"},
     {Edit::Kind::rename, "rename"},
     {Edit::Kind::rename_state, "rename state"},
     {Edit::Kind::cut, "cut"},
     {Edit::Kind::join, "join"},
     {Edit::Kind::assign, "assign"}}};

/// Visits being edited: knows where they are and keeps them whole.
class Ribbon {
public:
  Ribbon(Visits visits, double reach) : visits_(std::move(visits)), reach_(reach) {}

  /// Index of the visit right of the edge nearest to t between these states.
  std::optional<std::size_t> edge(double t, const std::string& before,
                                  const std::string& after) const {
    std::optional<std::size_t> best;
    for (std::size_t i = 1; i < visits_.size(); ++i) {
      const double off = std::fabs(visits_[i].from_s - t);
      if (off > reach_ || visits_[i - 1].state != before || visits_[i].state != after) continue;
      if (!best || off < std::fabs(visits_[*best].from_s - t)) best = i;
    }
    return best;
  }
  std::optional<std::size_t> visit(double t) const {
    for (std::size_t i = 0; i < visits_.size(); ++i) {
      if (t >= visits_[i].from_s && t < visits_[i].to_s) return i;
    }
    return std::nullopt;
  }

  /// Nothing when it was done, else why not.
  std::string apply(const Edit& e) {
    switch (e.kind) {
      case Edit::Kind::move:
        return move(e);
      case Edit::Kind::rename:
        return rename(e);
      case Edit::Kind::rename_state:
        return rename_state(e);
      case Edit::Kind::cut:
        return cut(e);
      case Edit::Kind::join:
        return join(e);
      case Edit::Kind::assign:
        return assign(e);
    }
    return "an unknown kind of edit";
  }

  Visits take() {
    settle_whole();
    settle_cells();
    return std::move(visits_);
  }

private:
  std::string move(const Edit& e) {
    const auto i = edge(e.at_s, e.before, e.after);
    if (!i) return "there is no longer an edge from " + e.before + " to " + e.after;
    Visit &left = visits_[*i - 1], &right = visits_[*i];
    if (left.state == kMissing || right.state == kMissing) return "missing time has no state";
    if (e.to_s <= left.from_s || e.to_s >= right.to_s) return "a neighbour is in the way";
    left.to_s = right.from_s = e.to_s;
    left.ends = right.begins = {};
    left.narrow = right.narrow = false;
    touched(*i - 1);
    touched(*i);
    return {};
  }
  std::string rename(const Edit& e) {
    const auto i = visit(e.at_s);
    if (!i || visits_[*i].state != e.before) return "there is no longer a visit to " + e.before;
    visits_[*i].state = e.state;
    touched(*i);
    join_with_neighbours(*i);
    return {};
  }
  std::string rename_state(const Edit& e) {
    bool any = false;
    for (Visit& v : visits_) {
      if (v.state != e.before) continue;
      v.state = e.state;
      any = true;
    }
    if (!any) return "there is no longer a visit to " + e.before;
    for (std::size_t i = visits_.size(); i-- > 1;) {
      if (visits_[i].state == e.state) join_with_neighbours(i);
    }
    return {};
  }
  std::string cut(const Edit& e) {
    const auto i = visit(e.at_s);
    if (!i || visits_[*i].state != e.before) return "there is no longer a visit to " + e.before;
    if (e.at_s <= visits_[*i].from_s) return "a visit begins there already";
    Visit right = visits_[*i];
    right.from_s = visits_[*i].to_s = e.at_s;
    right.begins = visits_[*i].ends = {};
    right.continues = false;
    visits_.insert(visits_.begin() + static_cast<std::ptrdiff_t>(*i) + 1, right);
    touched(*i);
    touched(*i + 1);
    return {};
  }
  std::string join(const Edit& e) {
    const auto i = edge(e.at_s, e.before, e.after);
    if (!i) return "there is no longer an edge from " + e.before + " to " + e.after;
    if (e.before == kMissing || e.after == kMissing) return "missing time has no state";
    visits_[*i - 1].to_s = visits_[*i].to_s;
    visits_[*i - 1].ends = visits_[*i].ends;
    visits_[*i - 1].narrow = false;
    visits_[*i - 1].state = e.state;
    visits_.erase(visits_.begin() + static_cast<std::ptrdiff_t>(*i));
    touched(*i - 1);
    return {};
  }
  std::string assign(const Edit& e) {
    if (!(e.to_s > e.at_s)) return "it has no length";
    // A visit that was cut off from its neighbours stays so when it is pinned.
    const bool begins = cut_at(e.at_s, e.state), ends = cut_at(e.to_s, e.state);
    Visits out;
    bool any = false;
    for (const Visit& v : visits_) {
      const double a = std::max(v.from_s, e.at_s), b = std::min(v.to_s, e.to_s);
      if (!(b > a) || v.state == kMissing) {
        out.push_back(v);
        continue;
      }
      any = true;
      if (a > v.from_s) {
        out.push_back(v);
        out.back().to_s = a;
        out.back().ends = {};
        touched_.push_back((v.from_s + a) / 2);
      }
      // Pieces that follow each other without missing time between are one visit.
      if (!out.empty() && out.back().state == e.state && out.back().to_s == a &&
          !(begins && a == e.at_s)) {
        out.back().to_s = b;
      } else {
        out.push_back({e.state, a, b, true});
        if (a == v.from_s) out.back().begins = v.begins;
      }
      out.back().ends = b == v.to_s ? v.ends : Cell{};
      touched_.push_back((a + b) / 2);
      if (b < v.to_s) {
        if (v.state == e.state) {
          out.back().to_s = v.to_s;
          out.back().ends = v.ends;
        } else {
          out.push_back(v);
          out.back().from_s = b;
          out.back().begins = {};
          out.back().continues = false;
          touched_.push_back((b + v.to_s) / 2);
        }
      }
    }
    if (!any) return "no data there";
    visits_ = std::move(out);
    if (const auto right = visit(e.to_s); right && !ends) join_with_left(*right);
    return {};
  }
  /// Whether two visits to a state meet there.
  bool cut_at(double t, const std::string& state) const {
    const auto right = visit(t);
    return right && *right > 0 && visits_[*right].from_s == t && visits_[*right].state == state &&
           visits_[*right - 1].state == state && visits_[*right - 1].to_s == t;
  }

  /// Joins a visit with neighbours of the same state.
  void join_with_neighbours(std::size_t i) {
    if (i + 1 < visits_.size()) join_with_left(i + 1);
    join_with_left(i);
  }
  void join_with_left(std::size_t right) {
    if (right == 0 || right >= visits_.size()) return;
    Visit& left = visits_[right - 1];
    if (left.state != visits_[right].state || left.to_s != visits_[right].from_s) return;
    left.to_s = visits_[right].to_s;
    left.ends = visits_[right].ends;
    left.narrow = false;
    visits_.erase(visits_.begin() + static_cast<std::ptrdiff_t>(right));
    touched(right - 1);
  }
  void touched(std::size_t i) { touched_.push_back((visits_[i].from_s + visits_[i].to_s) / 2); }
  void settle_whole() {
    for (const double t : touched_) {
      const auto i = visit(t);
      if (!i) continue;
      visits_[*i].whole = is_whole(visits_, *i);
    }
  }
  /// A cell stays only where both visits still know it, with room beside it.
  void settle_cells() {
    for (std::size_t i = 1; i < visits_.size(); ++i) {
      Visit &left = visits_[i - 1], &right = visits_[i];
      const Cell& cell = right.begins;
      const bool kept = left.ends == cell && cell.from_s > left.from_s && cell.to_s < right.to_s &&
                        cell.from_s <= right.from_s && right.from_s <= cell.to_s;
      if (!kept) left.ends = right.begins = {};
    }
    if (!visits_.empty()) visits_.front().begins = visits_.back().ends = {};
  }

  Visits visits_;
  double reach_;
  std::vector<double> touched_;  // moments inside visits whose `whole` is to be worked out anew
};

}  // namespace

std::string_view to_string(Edit::Kind kind) {
  for (const auto& [k, word] : kWords) {
    if (k == kind) return word;
  }
  return "";
}

Edit::Kind edit_kind(std::string_view word) {
  for (const auto& [k, w] : kWords) {
    if (w == word) return k;
  }
  throw std::invalid_argument("\"" + std::string(word) + "\" is not a kind of edit");
}

std::string describe(const Edit& e, const std::function<std::string(double)>& moment) {
  const auto text = [&](double t) { return moment ? moment(t) : with_prefix(t, "s", 6); };
  const std::string at = text(e.at_s);
  switch (e.kind) {
    case Edit::Kind::move:
      return "edge from " + e.before + " to " + e.after + " moved from " + at + " to " +
             text(e.to_s);
    case Edit::Kind::rename:
      return "visit to " + e.before + " at " + at + " is to " + e.state;
    case Edit::Kind::rename_state:
      return "every visit to " + e.before + " is to " + e.state;
    case Edit::Kind::cut:
      return "visit to " + e.before + " cut at " + at;
    case Edit::Kind::join:
      return e.before + " and " + e.after + " at " + at + " joined as " + e.state;
    case Edit::Kind::assign:
      return at + " to " + text(e.to_s) + " is " + e.state;
  }
  return {};
}

EditResult apply_edits(Visits visits, const std::vector<Edit>& edits, double reach_s) {
  EditResult out;
  Ribbon ribbon(std::move(visits), reach_s);
  for (std::size_t i = 0; i < edits.size(); ++i) {
    if (const std::string why = ribbon.apply(edits[i]); !why.empty())
      out.conflicts.push_back({i, why});
  }
  out.visits = ribbon.take();
  return out;
}

double nearest_edge(const Trace& trace, double t) {
  const TimeBase base = trace.time_base();
  for (const Block& block : trace.blocks()) {
    const double from = base.seconds(block.start), to = base.seconds(block.end);
    if (t < from || t > to) continue;
    const std::int64_t cell = cell_at(trace, block, base.ticks(t));
    const double left = base.seconds(tick_of(trace, block, cell));
    const double right = base.seconds(tick_of(trace, block, cell + 1));
    return t - left <= right - t ? left : right;
  }
  return t;
}

}  // namespace kuvio
