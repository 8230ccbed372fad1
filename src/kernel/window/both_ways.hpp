/// Aggregates of windows that move along: nothing is ever taken back out.
///
/// A stretch of windows shares a middle: the end of its first one. What lies before
/// the middle is added up once, from the middle backwards, what lies after it once,
/// ahead; each window is one of the former and one of the latter put together. The
/// next stretch begins with the first window past the middle. So each reading is
/// added twice, whatever the windows' length, and no window holds a trace of another's
/// readings. (The two stacks of a queue that knows its minimum; for windows of one
/// length van Herk 1992, Gil and Werman 1993.)
///
/// Where the middles lie depends on the windows' rows alone, not on which readings are
/// there. So what a window comes to is, to the last digit, a matter of its own readings.

#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>

#include "kernel/window/rows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Windows [first, last), which all have the middle within or at an end.
struct WindowStretch {
  std::uint32_t first = 0, last = 0;
  std::uint32_t middle = 0;
  bool even = false;  ///< both ends of its windows move on by one from each to the next
};

/// The stretches of windows that move ahead only: each window that is not empty is in one, and
/// holds the row before its middle.
std::vector<WindowStretch> stretches_of(std::span<const RowRange> windows);

/// Windows of readings, with their stretches.
struct StretchedWindows {
  std::span<const RowRange> windows;
  std::span<const WindowStretch> stretches;

  std::uint32_t count(std::size_t w) const { return windows[w].end - windows[w].begin; }
};

/// Puts the state of each window of one stretch together. `begin_back(i)` and `begin_ahead(i)` make
/// the state of nothing, before reading i is added as the first; `add(state, i)` adds reading i;
/// `kept(state)` is what is kept of it; `put(w, back, n_back, ahead, n_ahead)` takes what was kept
/// of the window's readings before the middle, the state of those after it, and how many there are.
/// Readings before the middle are added from it backwards.
template <typename Kept, typename BeginBack, typename BeginAhead, typename Add, typename Keep,
          typename Put>
void both_ways_of(const StretchedWindows& in, const WindowStretch& stretch, Buffer<Kept>& back,
                  BeginBack&& begin_back, BeginAhead&& begin_ahead, Add&& add, Keep&& kept,
                  Put&& put) {
  const RowRange* const windows = in.windows.data();
  const std::size_t middle = stretch.middle;
  const std::size_t before = middle - windows[stretch.first].begin;
  back.resize(before + 1);
  Kept* const to = back.data();
  auto own = begin_back(before > 0 ? middle - 1 : middle);
  to[0] = kept(own);
  for (std::size_t i = 1; i <= before; ++i) {
    add(own, middle - i);
    to[i] = kept(own);
  }
  auto ahead = begin_ahead(middle);
  std::size_t at = middle;
  for (std::size_t w = stretch.first; w < stretch.last; ++w) {
    for (const std::size_t end = windows[w].end; at < end; ++at) add(ahead, at);
    const std::size_t n_back = middle - windows[w].begin;
    put(w, to[n_back], n_back, ahead, at - middle);
  }
}

/// The same of all stretches; `back` keeps what was kept of the readings before a middle.
template <typename Kept, typename BeginBack, typename BeginAhead, typename Add, typename Keep,
          typename Put>
void both_ways(const StretchedWindows& in, BeginBack&& begin_back, BeginAhead&& begin_ahead,
               Add&& add, Keep&& kept, Put&& put) {
  Buffer<Kept> back;  // back[i]: of the i readings before the middle
  for (const WindowStretch& stretch : in.stretches) {
    both_ways_of<Kept>(in, stretch, back, begin_back, begin_ahead, add, kept, put);
  }
}

/// The same for states that merge.
template <typename State, typename StateOf, typename Put>
void merged_both_ways(const StretchedWindows& in, StateOf&& state_of, Put&& put) {
  const auto begin = [](std::size_t) { return State{}; };
  both_ways<State>(
      in, begin, begin, [&](State& state, std::size_t i) { state.merge(state_of(i)); },
      [](const State& state) { return state; },
      [&](std::size_t w, State back, std::size_t, const State& ahead, std::size_t) {
        back.merge(ahead);
        put(w, back);
      });
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
