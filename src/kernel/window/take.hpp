/// A take of windows, over a part of a strand.

#pragma once

#include <atomic>
#include <cstdint>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>

#include "kernel/window/column.hpp"
#include "kernel/window/part_windows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What it writes: exact for whole numbers where it can be, unless `as_numbers`.
WindowColumn::Kind kind_of(const Take& take, const Table& values, bool as_numbers);

/// One take of one extent of windows.
struct WindowTake {
  const Timeline& timeline;
  Take take{};
  std::int64_t least = 1;             ///< readings
  std::int64_t least_for_counts = 0;  ///< the same for counts
  Nanoseconds last_stands{0};         ///< how long the strand's last reading stands
};

/// Writes the part's rows, part number `p`. False when a whole number did not fit.
bool take_windows(const WindowTake& window_take, PartWindows& part, std::size_t p,
                  WindowColumn& out);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
