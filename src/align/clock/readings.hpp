/// What one clock's source read: the readings that there are, spikes left out.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/column.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Times ascend, in seconds from some instant.
struct ClockReadings {
  std::vector<double> at;
  std::vector<double> values;
  double step = 0;          ///< the typical one; 0: there is none
  std::int64_t spikes = 0;  ///< readings that were left out

  std::size_t size() const { return at.size(); }
};

/// The readings of rows [begin, end) of a numeric column, in seconds from `zero`; those of one
/// instant as their mean when `once`. A reading is a spike, and left out, when it is further from
/// the median of the five around it than ten times what is usual and than three times the spread of
/// the whole (both 1.4826 times a median deviation; Hampel 1974).
ClockReadings clock_readings(std::span<const Instant> times, const Column& numbers,
                             std::size_t begin, std::size_t end, Instant zero, bool once);

/// Those with times in [from, to].
ClockReadings between(const ClockReadings& readings, double from, double to);

/// The same about their mean, in units of their standard deviation.
ClockReadings standardised(const ClockReadings& readings);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
