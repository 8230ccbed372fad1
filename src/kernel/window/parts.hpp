/// Strands in parts whose windows are computed side by side.

#pragma once

#include <cstddef>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A part of a strand that is computed by itself. Parts do not depend on the number of threads.
struct WindowPart {
  std::size_t strand = 0;
  std::size_t from = 0, until = 0;  ///< rows of the strand
};

/// The parts of every strand, in order. Each begins with a window's worth of rows of its own, so a
/// part is at least eight times the longest of these windows.
std::vector<WindowPart> window_parts(const Timeline& timeline, std::span<const Extent> windows);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
