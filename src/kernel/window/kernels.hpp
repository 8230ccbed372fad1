/// Statistics of windows that move along, besides sums, moments and quantiles.
///
/// Readings are those that are there, windows ranges of them that move ahead only.
/// Each kernel puts its value for window w into out[w]; windows without readings
/// are left as they were, unless it says otherwise.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/column.hpp>

#include "kernel/bucket/standing.hpp"
#include "kernel/window/both_ways.hpp"
#include "kernel/window/rows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The place of the least or greatest reading, of equals the first. Cost: constant.
void window_least_place(std::span<const double> readings, const StretchedWindows& windows,
                        std::int64_t* out);
void window_greatest_place(std::span<const double> readings, const StretchedWindows& windows,
                           std::int64_t* out);

/// Readings as places among the distinct ones, in their order; texts in that of the alphabet.
struct ReadingCodes {
  std::vector<std::uint32_t> codes{};
  std::uint32_t distinct = 0;
};
/// Of the readings of a column in these rows. Cost: sorting them.
ReadingCodes codes_of(const Column& column, std::span<const std::uint32_t> rows);

/// How many different readings each window has. Cost: constant.
void window_distinct(const ReadingCodes& readings, std::span<const RowRange> windows,
                     std::int64_t* out);

/// A place in the readings of the one that stands most often, of equals the smallest. Cost: the
/// logarithm of the number of different readings.
void window_mode_place(const ReadingCodes& readings, std::span<const RowRange> windows,
                       std::int64_t* out);

/// The rank of reading own[w] within window w, which need not hold it: (those below + (equal ones +
/// 1) / 2) / n. Cost: the logarithm of the number of different readings.
void window_ranks(const ReadingCodes& readings, std::span<const RowRange> windows,
                  std::span<const std::int64_t> own, double* out);

/// How many readings of each window count against the reading before them.
void window_changes(std::span<const double> readings, ChangeCounted counts,
                    std::span<const RowRange> windows, std::int64_t* out);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
