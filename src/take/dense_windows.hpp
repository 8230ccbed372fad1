/// Windows over the readings that are there, and over no others.
///
/// Kernels of windows see no missing readings: they are left out beforehand, and
/// each window becomes a range of those that remain.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/table/column.hpp>

#include "take/window_rows.hpp"

namespace zerobeat::detail {

/// Windows of a strand's rows as windows of its readings.
class DenseWindows {
 public:
  /// Of windows that move ahead only. Reading i of the strand is there when `there[offset + i]`,
  /// and, when there is another, `also[offset + i]`. Cost: nothing when all are there, else a pass.
  DenseWindows(const Validity& there, std::size_t offset, std::span<const RowRange> windows,
               const Validity* also = nullptr);

  std::span<const RowRange> windows() const { return windows_; }
  std::size_t count(std::size_t w) const { return windows_[w].end - windows_[w].begin; }
  /// The strand's row of a reading.
  std::uint32_t row(std::size_t reading) const {
    return whole_ ? static_cast<std::uint32_t>(reading) : rows_[reading];
  }
  /// The strand's values that are there; the span itself when all are, else put into `room`.
  template <typename Value>
  std::span<const Value> of(std::span<const Value> strand, Buffer<Value>& room) const {
    if (whole_) return strand;
    room.resize(rows_.size());
    for (std::size_t i = 0; i < rows_.size(); ++i) room[i] = strand[rows_[i]];
    return room.span();
  }

 private:
  bool whole_ = true;
  std::span<const RowRange> windows_;
  std::vector<std::uint32_t> rows_{};  // of the readings
  std::vector<RowRange> own_{};
};

}  // namespace zerobeat::detail
