/// Windows over the readings that are there, and over no others.
///
/// Kernels of windows see no missing readings: they are left out beforehand, and
/// each window becomes a range of those that remain.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/column.hpp>

#include "kernel/window/both_ways.hpp"
#include "kernel/window/rows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Windows of a strand's rows as windows of its readings: of those in the windows, one before them
/// and one after them, where there are such.
class DenseWindows {
 public:
  /// Of windows within `size` rows of a strand. Reading i is there when `there[offset + i]`, and,
  /// when there is another, `also[offset + i]`. When all are there and it need not be `compact`,
  /// the readings are the whole strand's, and the windows are used as they are. Cost: nothing then,
  /// else a pass over the windows, and where some are missing over their rows.
  DenseWindows(const Validity& there, std::size_t offset, std::size_t size,
               std::span<const RowRange> windows, const Validity* also = nullptr,
               bool compact = false);

  std::span<const RowRange> windows() const {
    return windows_.empty() ? as_given_ : windows_.span();
  }
  std::size_t count(std::size_t w) const {
    const RowRange& range = windows()[w];
    return range.end - range.begin;
  }
  bool whole() const { return whole_; }
  /// How many readings there are.
  std::size_t size() const { return size_; }
  /// The strand's row of a reading.
  std::size_t row(std::size_t reading) const { return whole_ ? first_ + reading : rows_[reading]; }
  /// Stretches of the windows' rows as stretches of these readings.
  std::vector<WindowStretch> dense(std::vector<WindowStretch> of_rows) const;
  /// The reading of a row of the windows; -1 when it is not there.
  std::int64_t reading_of(std::size_t row) const;

  /// The strand's values that are there; a part of the span when all are, else put into `room`.
  template <typename Value>
  std::span<const Value> of(std::span<const Value> strand, Buffer<Value>& room) const {
    if (whole_) return strand.subspan(first_, size_);
    room.resize(size_);
    for (std::size_t i = 0; i < size_; ++i) room[i] = strand[rows_[i]];
    return room.span();
  }

 private:
  bool whole_ = true;
  std::size_t first_ = 0, size_ = 0;  // when whole: rows
  std::span<const RowRange> as_given_{};
  Buffer<RowRange> windows_{};
  std::vector<std::uint32_t> rows_{};    // of the readings
  std::size_t first_row_ = 0;            // that before_ is of
  std::vector<std::uint32_t> before_{};  // how many readings there are before a row
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
