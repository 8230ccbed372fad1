#include "kernel/window/both_ways.hpp"

#include <algorithm>

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Whether both ends move on by one from each window to the next.
ZEROBEAT_CLONES
bool move_on_by_one(const RowRange* windows, std::size_t count) {
  std::uint32_t apart = 0;
  for (std::size_t w = 1; w < count; ++w) {
    apart |= windows[w].begin - windows[w - 1].begin - 1;
    apart |= windows[w].end - windows[w - 1].end - 1;
  }
  return apart == 0;
}

/// Whether windows move on by one, asked of ones that follow each other: many are looked at at
/// once.
class EvenRun {
 public:
  explicit EvenRun(std::span<const RowRange> windows) : windows_(windows) {}

  bool holds(std::size_t first, std::size_t last) {
    if (first < from_ || first >= until_) from_ = until_ = first;
    while (until_ < last) {
      constexpr std::size_t many = 1024;
      const std::size_t next = std::min(windows_.size(), std::max(last, until_ + many));
      // With the one before, to which the first of them is the next.
      const std::size_t before = until_ == from_ ? from_ : until_ - 1;
      if (!move_on_by_one(&windows_[before], next - before)) {
        return move_on_by_one(&windows_[first], last - first);
      }
      until_ = next;
    }
    return true;
  }

 private:
  std::span<const RowRange> windows_;
  std::size_t from_ = 0, until_ = 0;  // windows that are known to do so
};

}  // namespace

std::vector<WindowStretch> stretches_of(std::span<const RowRange> windows) {
  std::vector<WindowStretch> stretches;
  EvenRun even(windows);
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
    stretches.push_back({static_cast<std::uint32_t>(first), static_cast<std::uint32_t>(last),
                         middle, even.holds(first, last)});
    first = last;
  }
  return stretches;
}

}  // namespace zerobeat::detail
