/// What the clocks and the calendar of a zone show at instants that are mostly in order.

#pragma once

#include <algorithm>
#include <chrono>
#include <cstdint>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Remembers the stretch of one offset and the day that it was in: cheap for instants in order.
class CivilReader {
 public:
  explicit CivilReader(const Zone& zone) : zone_(zone) {}

  /// Goes to an instant.
  void go_to(Instant t) {
    const std::chrono::sys_seconds whole = std::chrono::floor<std::chrono::seconds>(t);
    if (whole < stretch_.from || whole >= stretch_.until) stretch_ = zone_.offset_stretch(whole);
    const std::int64_t local = (whole + stretch_.offset).time_since_epoch().count();
    second_of_day_ = local - day_start_;
    if (second_of_day_ < 0 || second_of_day_ >= 86'400) read_day(local);
    fraction_ = (t - whole).count();
  }

  /// The instants around the one it is at for which the clocks show the same but for what is
  /// smaller than `unit` seconds (1, 60, 3600 or 86,400): from the first on, until before the
  /// other.
  struct Same {
    Instant from{}, until{};
  };
  Same same(std::int64_t unit) const {
    using std::chrono::seconds;
    const std::int64_t offset = stretch_.offset.count();
    const std::int64_t first = day_start_ + second_of_day_ / unit * unit - offset;
    const auto bounded = [](std::int64_t second) {
      constexpr std::int64_t most = 9'223'372'036;
      return Instant(seconds(second < -most ? -most : (second > most ? most : second)));
    };
    return {bounded(std::max(first, stretch_.from.time_since_epoch().count())),
            bounded(std::min(first + unit, stretch_.until.time_since_epoch().count()))};
  }

  std::int64_t year() const { return year_; }
  std::int64_t month() const { return month_; }  ///< 1 to 12
  std::int64_t day() const { return day_; }      ///< 1 to 31
  std::int64_t hour() const { return second_of_day_ / 3600; }
  std::int64_t minute() const { return second_of_day_ / 60 % 60; }
  std::int64_t second() const { return second_of_day_ % 60; }
  std::int64_t nanosecond() const { return fraction_; }  ///< of the second
  std::int64_t second_of_day() const { return second_of_day_; }
  std::int64_t weekday() const { return weekday_; }  ///< 1 Monday … 7, as ISO 8601
  std::int64_t yearday() const { return yearday_; }  ///< 1 to 366
  std::int64_t week() const { return week_; }        ///< of ISO 8601
  std::chrono::local_days date() const {
    return std::chrono::local_days(std::chrono::days(day_start_ / 86'400));
  }

 private:
  void read_day(std::int64_t local_second);

  Zone zone_;
  Zone::OffsetStretch stretch_{};
  std::int64_t day_start_ = std::int64_t{-1} << 60;  // local seconds; none yet
  std::int64_t second_of_day_ = 0, fraction_ = 0;
  std::int64_t year_ = 0, month_ = 0, day_ = 0, weekday_ = 0, yearday_ = 0, week_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
