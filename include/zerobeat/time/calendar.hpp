/// Calendars of working days: which days count, and how far apart they are.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <bitset>
#include <chrono>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// The weekdays on which nobody works; Sunday is 0.
struct Weekend {
  std::bitset<7> days{0b1000001};  ///< Saturday and Sunday

  friend bool operator==(const Weekend&, const Weekend&) = default;
};

template <>
inline constexpr bool takes_lists<Weekend> = true;

/// Reads "sat,sun", or "none". Throws Error when all seven are named, or one is no weekday.
void from_text(std::string_view text, Weekend& out);
[[nodiscard]] std::string to_text(const Weekend& weekend);

/// Days that are worked and days that are not: a weekend, and holidays. A value.
/// Cost of every question: the logarithm of the number of holidays.
class Calendar {
 public:
  /// Every day is worked.
  Calendar() : Calendar(Weekend{std::bitset<7>{}}, {}) {}

  /// Holidays in any order; those on a weekend change nothing.
  Calendar(const Weekend& weekend, std::vector<std::chrono::local_days> holidays);

  [[nodiscard]] bool is_working_day(std::chrono::local_days day) const;

  /// The n-th working day after `day`, or before it when n is negative; for n = 0 the day itself
  /// when it is worked, else the next that is.
  [[nodiscard]] std::chrono::local_days nth_after(std::chrono::local_days day,
                                                  std::int64_t n) const;

  /// How many working days there are in [from, until); negative when `until` is before `from`.
  [[nodiscard]] std::int64_t working_days(std::chrono::local_days from,
                                          std::chrono::local_days until) const;

  /// How much of [from, until) lies on days that are not worked, by the zone's clocks.
  [[nodiscard]] Nanoseconds idle(Instant from, Instant until, const Zone& zone) const;

  /// True when every day is worked.
  [[nodiscard]] bool is_plain() const { return weekend_.days.none() && holidays_.empty(); }

  friend bool operator==(const Calendar&, const Calendar&) = default;

 private:
  [[nodiscard]] std::int64_t worked_before(std::chrono::local_days day) const;

  Weekend weekend_;
  std::vector<std::chrono::local_days> holidays_;  // ascending, none on a weekend
};

}  // namespace v1
}  // namespace zerobeat
