#include "kernel/window/both_ways.hpp"

namespace zerobeat::inline v1::detail {

std::vector<WindowStretch> stretches_of(std::span<const RowRange> windows) {
  std::vector<WindowStretch> stretches;
  for (std::size_t first = 0; first < windows.size();) {
    const RowRange range = windows[first];
    if (range.begin >= range.end) {
      ++first;
      continue;
    }
    const std::uint32_t middle = range.end;
    // As many as the first has rows, when windows move on by one.
    std::size_t last = std::min<std::size_t>(windows.size(), first + (middle - range.begin));
    while (last < windows.size() && windows[last].begin < middle) ++last;
    while (windows[last - 1].begin >= middle) --last;
    stretches.push_back(
        {static_cast<std::uint32_t>(first), static_cast<std::uint32_t>(last), middle});
    first = last;
  }
  return stretches;
}

}  // namespace zerobeat::detail
