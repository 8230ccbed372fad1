/// Aggregates of windows that slide over a strand: the two-stacks method.
///
/// A window is split at a middle row. For the rows before it, the aggregates from
/// each row up to the middle were computed once, from the middle backwards; for
/// the rows after it, one aggregate grows as rows come. Any window is the merge
/// of two. When the window's start passes the middle, the middle moves to its
/// end. Each row is merged at most twice, and nothing is ever taken back out.

#pragma once

#include <span>
#include <vector>

#include "take/window_rows.hpp"

namespace zerobeat::detail {

/// Calls put(i, state) with the aggregate of each window. `there(i)` says whether reading i of
/// the strand is, `state_of(i)` what it is by itself; windows move ahead only.
template <typename State, typename StateOf, typename There, typename Put>
void slide(StateOf&& state_of, There&& there, std::span<const RowRange> windows, Put&& put) {
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
      if (there(end)) front.merge(state_of(end));
    }
    if (window.begin > middle) {
      back.resize(end - window.begin);
      State suffix{};
      for (std::size_t i = end; i > window.begin; --i) {
        if (there(i - 1)) {
          State own = state_of(i - 1);
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
