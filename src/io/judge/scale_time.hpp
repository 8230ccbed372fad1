/// Times of any unit as nanoseconds, in range or marked as not.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/judge/row_source.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Multiplies a column's times by the nanoseconds of their unit. What is past the range of instants
/// is marked so; what is missing is left alone.
inline void scale_times(RowBatch::Cells& cells, std::int64_t unit) {
  if (unit == 1) return;
  auto missing = cells.missing.begin();
  for (std::size_t i = 0; i < cells.bits.size(); ++i) {
    if (missing != cells.missing.end() && *missing == i) {
      ++missing;
      cells.bits[i] = 0;
      continue;
    }
    std::int64_t t = 0;
    if (__builtin_mul_overflow(static_cast<std::int64_t>(cells.bits[i]), unit, &t)) {
      cells.out_of_range.push_back(static_cast<std::uint32_t>(i));
      t = 0;
    }
    cells.bits[i] = static_cast<std::uint64_t>(t);
  }
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
