/// Which part of the calendar an instant is in.

#pragma once

#include <chrono>
#include <cstdint>
#include <zerobeat/regular/profile.hpp>

namespace zerobeat::detail {

/// Numbers of one part of the calendar, first to last.
struct PartRange {
  std::int64_t first = 0, last = 0;

  std::size_t size() const { return static_cast<std::size_t>(last - first + 1); }
};

/// The range of a part; of years and values, which have none, {0, -1}.
PartRange range_of(Part::Kind kind);

/// Parts of instants, in a zone. Remembers where it was: cheap for instants in order.
class PartReader {
 public:
  PartReader(const Zone& zone, WeekStart week_starts) : zone_(zone), week_starts_(week_starts) {}

  /// Goes to an instant.
  void go_to(Instant t);
  /// The number of its part; weekdays count from the first of the week, 0 on.
  std::int64_t number(Part::Kind kind) const;

 private:
  void read_day(std::chrono::local_days day);

  Zone zone_;
  WeekStart week_starts_;
  Zone::OffsetStretch stretch_{};
  std::chrono::local_days day_{std::chrono::days(-1'000'000'000)};
  std::int64_t second_of_day_ = 0;
  std::int64_t year_ = 0, month_ = 0, day_of_month_ = 0, weekday_ = 0, yearday_ = 0, week_ = 0;
};

}  // namespace zerobeat::detail
