#include "take/dense_windows.hpp"

namespace zerobeat::detail {

DenseWindows::DenseWindows(const Validity& there, std::size_t offset,
                           std::span<const RowRange> windows, const Validity* also)
    : windows_(windows) {
  if ((there.all() && (also == nullptr || also->all())) || windows.empty()) return;
  whole_ = false;
  const std::size_t first = windows.front().begin, last = windows.back().end;
  // How many readings there are before each row.
  std::vector<std::uint32_t> before(last - first + 1);
  rows_.resize(last - first + 1);
  std::uint32_t count = 0;
  for (std::size_t row = first; row < last; ++row) {
    before[row - first] = count;
    rows_[count] = static_cast<std::uint32_t>(row);
    count += there[offset + row] && (also == nullptr || (*also)[offset + row]);
  }
  before[last - first] = count;
  rows_.resize(count);
  own_.resize(windows.size());
  for (std::size_t w = 0; w < windows.size(); ++w) {
    own_[w] = {before[windows[w].begin - first], before[windows[w].end - first]};
  }
  windows_ = own_;
}

}  // namespace zerobeat::detail
