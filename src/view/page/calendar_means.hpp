/// Means by the calendar: of the readings of each year, quarter, month, day and hour, as the clocks
/// of a zone have them.

#pragma once

#include <array>
#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The days of whole years of a zone. Edges outside the range of Instant are its ends.
struct CalendarDays {
  Zone zone{};
  int first_year = 1970;
  int years = 0;
  std::vector<Instant> edges{};  ///< of each day, and the end of the last

  [[nodiscard]] std::size_t days() const { return edges.empty() ? 0 : edges.size() - 1; }
  /// The day that holds an instant of these years.
  [[nodiscard]] std::size_t day_of(Instant t) const;
  /// Hours of a day: as many as it has, the last one cut where the day ends.
  [[nodiscard]] std::size_t hours_of(std::size_t day) const;
};

/// The days of the years from that of `first` to that of `last`. Cost: a look-up for each day.
[[nodiscard]] CalendarDays calendar_days(Instant first, Instant last, const Zone& zone);

struct Mean {
  double sum = 0;
  std::int64_t count = 0;

  void add(const Mean& other) {
    sum += other.sum;
    count += other.count;
  }
  /// NaN of nothing.
  [[nodiscard]] double value() const { return sum / static_cast<double>(count); }
};

struct CalendarMeans {
  std::vector<Mean> years{}, quarters{}, months{};  ///< from the first year's start
  std::size_t first_day = 0;                        ///< of `days` and `hours`: the first reading's
  std::vector<Mean> days{};
  std::vector<Mean> hours{};        ///< of the same days, each with its hours; none unless asked
  std::array<Mean, 24 * 7> week{};  ///< by weekday, from Monday, and hour of the clock
  bool daily = true;                ///< no day has readings in two of its hours
};

/// Of the readings of a strand that are finite. Cost: one pass.
[[nodiscard]] CalendarMeans calendar_means(const Timeline& timeline, const Strand& strand,
                                           const Column& numbers, const CalendarDays& days,
                                           bool hours);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
