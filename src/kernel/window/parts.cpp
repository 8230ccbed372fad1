#include "kernel/window/parts.hpp"

#include <algorithm>

namespace zerobeat::inline v1::detail {

namespace {

/// About how many rows of a strand a window holds.
std::size_t rows_in_window(std::span<const Instant> strand, const Extent& window) {
  if (window.in_rows()) return static_cast<std::size_t>(window.rows);
  const double span = static_cast<double>(nanoseconds_of(strand.back())) -
                      static_cast<double>(nanoseconds_of(strand.front()));
  const Instant end = shift(strand.front(), window.period, 1, Zone());
  const double length = static_cast<double>(nanoseconds_of(end)) -
                        static_cast<double>(nanoseconds_of(strand.front()));
  if (length >= span) return strand.size();
  return static_cast<std::size_t>(static_cast<double>(strand.size()) * (length / span));
}

}  // namespace

std::vector<WindowPart> window_parts(const Timeline& timeline, std::span<const Extent> windows) {
  constexpr std::size_t least = std::size_t{1} << 16;
  std::vector<WindowPart> parts;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    const std::size_t size = strand.size();
    if (size == 0) continue;
    std::size_t held = 1;
    for (const Extent& window : windows) {
      const auto times = timeline.times().subspan(strand.begin, size);
      held = std::max(held, std::min(size, rows_in_window(times, window)));
    }
    const std::size_t rows = std::max(least, 8 * held);
    for (std::size_t from = 0; from < size; from += rows) {
      parts.push_back({s, from, std::min(size, from + rows)});
    }
  }
  return parts;
}

}  // namespace zerobeat::detail
