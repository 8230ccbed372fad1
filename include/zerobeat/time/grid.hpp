/// Grids: regular bucket edges over the time line, by the clock or by the calendar.

#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string_view>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {

enum class WeekStart { mon, tue, wed, thu, fri, sat, sun };

constexpr auto enum_words(WeekStart) {
  return std::array<std::string_view, 7>{"mon", "tue", "wed", "thu", "fri", "sat", "sun"};
}

/// Edges numbered from the anchor, both ways: bucket n is [edge(n), edge(n + 1)).
///
/// A grid of a fixed period counts from 1970-01-01T00:00Z unless anchored. A grid of a calendar
/// period (days, weeks, months) has its edges at local midnight of its first day, or, anchored,
/// at the anchor's local clock and day; an edge that the zone skips is the first instant after,
/// one that it repeats the earlier. With a calendar a period of days counts working days, and a
/// day off belongs to the bucket of the working day before it. Edges outside the range of Instant
/// are its ends.
class Grid {
 public:
  /// Throws Error when the period is zero or mixes calendar and fixed parts, or when it is not one
  /// of days and there is a calendar.
  explicit Grid(const Period& period, const Zone& zone = {},
                std::optional<Instant> anchor = std::nullopt,
                WeekStart week_starts = WeekStart::mon, const Calendar& calendar = {});

  const Period& period() const { return period_; }

  /// The start of bucket `n`. Cost: constant; for a calendar grid a look-up in the zone.
  Instant edge(std::int64_t n) const;

  /// The number of the bucket that holds `t`.
  std::int64_t index_of(Instant t) const;

 private:
  Period period_{};
  Zone zone_{};
  Calendar calendar_{};
  Instant anchor_{};                              // fixed grids
  std::chrono::local_days first_day_{};           // calendar grids
  std::chrono::local_seconds::duration clock_{};  // calendar grids: local clock of each edge
  Nanoseconds fraction_{};
};

}  // namespace zerobeat
