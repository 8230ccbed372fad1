#include "kernel/window/dense_windows.hpp"

#include <algorithm>

#include "table/reading_search.hpp"

namespace zerobeat::inline v1::detail {

DenseWindows::DenseWindows(const Validity& there, std::size_t offset, std::size_t size,
                           std::span<const RowRange> windows, const Validity* also, bool compact) {
  if (windows.empty()) return;
  const bool all = there.all() && (also == nullptr || also->all());
  if (all && !compact) {
    as_given_ = windows;
    size_ = size;
    return;
  }
  std::size_t first = windows.front().begin, last = windows.front().end;
  for (const RowRange& window : windows) {
    first = std::min<std::size_t>(first, window.begin);
    last = std::max<std::size_t>(last, window.end);
  }
  windows_.resize(windows.size());
  if (all) {
    first_ = first > 0 ? first - 1 : 0;
    size_ = std::min(size, last + 1) - first_;
    const auto base = static_cast<std::uint32_t>(first_);
    for (std::size_t w = 0; w < windows.size(); ++w) {
      windows_[w] = {windows[w].begin - base, windows[w].end - base};
    }
    return;
  }
  whole_ = false;
  const auto is_there = [&](std::size_t row) {
    return there[offset + row] && (also == nullptr || (*also)[offset + row]);
  };
  before_.resize(last - first + 1);
  rows_.reserve(last - first + 2);
  const std::uint64_t* const other = also == nullptr ? nullptr : also->bits();
  if (const std::size_t past = past_last_row(there.bits(), other, offset, offset + first);
      past > offset) {
    rows_.push_back(static_cast<std::uint32_t>(past - 1 - offset));
  }
  first_row_ = first;
  for (std::size_t row = first; row < last; ++row) {
    before_[row - first] = static_cast<std::uint32_t>(rows_.size());
    if (is_there(row)) rows_.push_back(static_cast<std::uint32_t>(row));
  }
  before_[last - first] = static_cast<std::uint32_t>(rows_.size());
  if (const std::size_t next = next_row_of_both(there.bits(), other, offset + last, offset + size);
      next < offset + size) {
    rows_.push_back(static_cast<std::uint32_t>(next - offset));
  }
  size_ = rows_.size();
  for (std::size_t w = 0; w < windows.size(); ++w) {
    windows_[w] = {before_[windows[w].begin - first], before_[windows[w].end - first]};
  }
}

std::vector<WindowStretch> DenseWindows::dense(std::vector<WindowStretch> of_rows) const {
  for (WindowStretch& stretch : of_rows) {
    stretch.middle = whole_ ? stretch.middle - static_cast<std::uint32_t>(first_)
                            : before_[stretch.middle - first_row_];
    stretch.even &= whole_;
  }
  return of_rows;
}

std::int64_t DenseWindows::reading_of(std::size_t row) const {
  if (whole_) {
    const bool within = row >= first_ && row < first_ + size_;
    return within ? static_cast<std::int64_t>(row - first_) : -1;
  }
  const auto at = std::ranges::lower_bound(rows_, static_cast<std::uint32_t>(row));
  return at != rows_.end() && *at == row ? at - rows_.begin() : -1;
}

}  // namespace zerobeat::detail
