/// The names of months and weekdays, and the weeks of ISO 8601: each once for reading, writing,
/// parts of the calendar and axes of pictures.

#pragma once

#include <array>
#include <chrono>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr std::array<std::string_view, 12> month_names{
    "January", "February", "March",     "April",   "May",      "June",
    "July",    "August",   "September", "October", "November", "December"};

/// From Sunday, as std::chrono::weekday counts them.
inline constexpr std::array<std::string_view, 7> weekday_names{
    "Sunday", "Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday"};

/// "Jan", "Mon".
constexpr std::string_view short_name(std::string_view name) { return name.substr(0, 3); }

struct IsoWeek {
  int year = 0;
  int week = 0;
};

/// The week of a day. It belongs to the year that its Thursday is in.
constexpr IsoWeek iso_week_of(std::chrono::local_days day) {
  using namespace std::chrono;
  const local_days thursday = day - (weekday(day) - Monday) + days(3);
  const year_month_day date(thursday);
  const auto first = local_days(date.year() / January / 1);
  return {static_cast<int>(date.year()), static_cast<int>((thursday - first).count() / 7 + 1)};
}

/// The Monday of a year's first week, which holds 4 January.
constexpr std::chrono::local_days first_iso_monday(int of_year) {
  using namespace std::chrono;
  const local_days fourth(year(of_year) / January / 4);
  return fourth - (weekday(fourth) - Monday);
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
