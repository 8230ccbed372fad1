/// Aggregates of windows that slide over a strand: the two-stacks method.
///
/// A window is split at a middle row. For the rows before it, the aggregates from
/// each row up to the middle were computed once, from the middle backwards; for
/// the rows after it, one aggregate grows as rows come. Any window is the merge
/// of two. When the window's start passes the middle, the middle moves to its
/// end. Each row is merged at most twice, and nothing is ever taken back out.

#pragma once

#include <cmath>
#include <limits>
#include <span>
#include <vector>

#include "take/window_rows.hpp"

namespace zerobeat::detail {

/// A compensated sum.
struct SumState {
  double sum = 0;
  double rest = 0;

  static SumState of(double value) { return {value, 0}; }
  void merge(const SumState& other) {
    // Two-sum: the rounding error of an addition, exactly (Knuth, TAOCP 2, 4.2.2).
    const double total = sum + other.sum;
    const double part = total - sum;
    const double error = (sum - (total - part)) + (other.sum - part);
    sum = total;
    rest += other.rest + error;
  }
  double value() const { return std::isfinite(sum) ? sum + rest : sum; }
  /// Divided before it is rounded, so that the mean of equal readings is that reading.
  double mean(double count) const {
    if (!std::isfinite(sum)) return sum;
    return static_cast<double>((static_cast<long double>(sum) + rest) / count);
  }
};

/// Count, mean and sum of squared deviations.
struct MomentState {
  double count = 0;
  double mean = 0;
  double squares = 0;

  static MomentState of(double value) { return {1, value, 0}; }
  void merge(const MomentState& other) {
    if (other.count == 0) return;
    if (count == 0) {
      *this = other;
      return;
    }
    const double delta = other.mean - mean;
    const double total = count + other.count;
    const double share = other.count / total;
    mean += delta * share;
    squares += other.squares + delta * delta * (count * share);
    count = total;
  }
};

struct MinState {
  double least = std::numeric_limits<double>::infinity();
  static MinState of(double value) { return {value}; }
  void merge(const MinState& other) { least = other.least < least ? other.least : least; }
};

struct MaxState {
  double most = -std::numeric_limits<double>::infinity();
  static MaxState of(double value) { return {value}; }
  void merge(const MaxState& other) { most = other.most > most ? other.most : most; }
};

struct RangeState {
  MinState low;
  MaxState high;
  static RangeState of(double value) { return {MinState::of(value), MaxState::of(value)}; }
  void merge(const RangeState& other) {
    low.merge(other.low);
    high.merge(other.high);
  }
};

/// Calls put(i, state) with the aggregate of each window. `there(i)` says whether reading i of
/// the strand is; windows move ahead only.
template <typename State, typename There, typename Put>
void slide(std::span<const double> values, There&& there, std::span<const RowRange> windows,
           Put&& put) {
  if (windows.empty()) return;
  std::vector<State> back;  // back[middle - 1 - i]: rows i to middle - 1
  std::size_t middle = windows[0].begin;
  std::size_t end = middle;
  State front{};
  for (std::size_t w = 0; w < windows.size(); ++w) {
    const RowRange window = windows[w];
    // Rows that no window holds any more are passed over.
    if (window.begin > end) {
      middle = end = window.begin;
      front = State{};
    }
    for (; end < window.end; ++end) {
      if (there(end)) front.merge(State::of(values[end]));
    }
    if (window.begin > middle) {
      back.resize(end - window.begin);
      State suffix{};
      for (std::size_t i = end; i > window.begin; --i) {
        if (there(i - 1)) {
          State own = State::of(values[i - 1]);
          own.merge(suffix);
          suffix = own;
        }
        back[end - i] = suffix;
      }
      middle = end;
      front = State{};
    }
    if (window.begin < middle) {
      State whole = back[middle - 1 - window.begin];
      whole.merge(front);
      put(w, whole);
    } else {
      put(w, front);
    }
  }
}

}  // namespace zerobeat::detail
