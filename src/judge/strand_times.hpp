/// The times of one strand, in order of time and in order of arrival, and what
/// they say of the clock that made them.

#pragma once

#include <algorithm>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/time/calendar.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One strand's times. Rows are those of the records; none given: the i-th is `first_row` + i.
struct StrandTimes {
  std::span<const Instant> sorted;
  std::span<const std::int64_t> sorted_rows;  ///< empty: in order
  std::span<const Instant> arrived;           ///< the same as `sorted` for strands in order
  std::span<const std::int64_t> arrived_rows;
  std::int64_t first_row = 0;
  bool in_order = true;

  std::size_t size() const { return sorted.size(); }
  std::int64_t sorted_row(std::size_t i) const {
    return sorted_rows.empty() ? first_row + static_cast<std::int64_t>(i) : sorted_rows[i];
  }
  std::int64_t arrived_row(std::size_t i) const {
    return arrived_rows.empty() ? first_row + static_cast<std::int64_t>(i) : arrived_rows[i];
  }
};

/// b - a, for any two instants that far apart at most; the longest there is beyond.
inline std::int64_t nanoseconds_between(Instant a, Instant b) {
  std::int64_t out;
  if (__builtin_sub_overflow(nanoseconds_of(b), nanoseconds_of(a), &out)) {
    return b > a ? std::numeric_limits<std::int64_t>::max()
                 : std::numeric_limits<std::int64_t>::min() + 1;
  }
  return out;
}

inline double in_seconds(std::int64_t nanoseconds) {
  return static_cast<double>(nanoseconds) / 1e9;
}

/// How often something was noticed, and in which row first.
struct Noticed {
  std::int64_t count = 0;
  std::int64_t first_row = std::numeric_limits<std::int64_t>::max();

  void add(std::int64_t row, std::int64_t times = 1) {
    count += times;
    first_row = std::min(first_row, row);
  }
  void add(const Noticed& other) {
    count += other.count;
    first_row = std::min(first_row, other.first_row);
  }
};

/// A gap: from one record to the next.
struct Gap {
  Instant from;
  Instant to;
  std::int64_t length = 0;  ///< nanoseconds; on working days, when there is a calendar
  std::int64_t row = 0;     ///< of the record after it
};

/// What the steps of a strand in order of time say.
struct Steps {
  std::int64_t duplicates = 0;
  std::int64_t first_duplicate_row = -1;
  std::int64_t off = 0;  ///< steps off the typical one by more than a hundredth, gaps left out
  std::int64_t first_off_row = -1;
  std::vector<Gap> gaps{};
};
Steps look_at_steps(const StrandTimes& times, Nanoseconds typical, double gap_factor,
                    const Calendar& calendar, const Zone& zone);

/// Records earlier than the latest time already seen.
struct Lateness {
  Noticed late;
  std::int64_t most_late = 0;  ///< nanoseconds
};
Lateness look_at_order(const StrandTimes& times);

/// Where the typical step changes for good.
struct RateChange {
  std::int64_t row = 0;
  std::int64_t before = 0, after = 0;  ///< typical steps in nanoseconds
};
std::vector<RateChange> rate_changes(const StrandTimes& times);

/// Jumps of the clock: set back for good, or away for some records and back again.
struct ClockJump {
  std::int64_t row = 0;
  std::int64_t by = 0;       ///< nanoseconds; negative: back
  std::int64_t records = 0;  ///< how many it was away for; 0: for good
};
std::vector<ClockJump> clock_jumps(const StrandTimes& times, Nanoseconds typical,
                                   double gap_factor);

/// Records in runs of five or more that have one time, where times hardly ever repeat.
Noticed stuck_clock(const StrandTimes& times);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
