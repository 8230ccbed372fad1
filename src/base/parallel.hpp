/// Loops whose turns run side by side, and that a run which is stopped leaves at once.

#pragma once

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/task_group.h>

#include <zerobeat/base/export.hpp>
#include <zerobeat/base/threads.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Throws Stopped when the run that this is part of was stopped. For loops that take long by
/// themselves.
inline void check_stopped() {
  if (tbb::is_current_task_group_canceling()) throw Stopped();
}

/// Calls body(i) for each i from `from` on and before `until`. Throws what a turn throws, and
/// Stopped, with some turns not made, when the run was stopped.
template <typename Index, typename Body>
void parallel_for(Index from, Index until, const Body& body) {
  tbb::parallel_for(from, until, body);
  check_stopped();
}

/// Calls body(part) for parts of a range (tbb::blocked_range).
template <typename Range, typename Body>
void parallel_for(const Range& range, const Body& body) {
  tbb::parallel_for(range, body);
  check_stopped();
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
