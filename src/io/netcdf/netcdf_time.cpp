#include "io/netcdf/netcdf_time.hpp"

#include <algorithm>
#include <cmath>
#include <string>
#include <tuple>

#include "base/trim.hpp"
#include "time/civil_parts.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Days since 1970-01-01 of a date in the Gregorian calendar, or in the Julian one.
/// (Hatcher 1984: generalised equations for Julian day numbers.)
std::int64_t days_of(std::int64_t year, std::int64_t month, std::int64_t day, bool julian) {
  const std::int64_t shift = (14 - month) / 12;
  const std::int64_t y = year + 4800 - shift;
  const std::int64_t m = month + 12 * shift - 3;
  std::int64_t number = day + (153 * m + 2) / 5 + 365 * y + y / 4;
  number += julian ? -32'083 : -y / 100 + y / 400 - 32'045;
  constexpr std::int64_t epoch = 2'440'588;
  return number - epoch;
}

std::optional<std::int64_t> unit_of(std::string_view word) {
  struct Word {
    std::string_view text;
    std::int64_t ns;
  };
  static constexpr Word words[] = {
      {"microseconds", 1'000},      {"microsecond", 1'000},      {"milliseconds", 1'000'000},
      {"millisecond", 1'000'000},   {"msec", 1'000'000},         {"ms", 1'000'000},
      {"seconds", 1'000'000'000},   {"second", 1'000'000'000},   {"sec", 1'000'000'000},
      {"secs", 1'000'000'000},      {"s", 1'000'000'000},        {"minutes", 60'000'000'000},
      {"minute", 60'000'000'000},   {"min", 60'000'000'000},     {"mins", 60'000'000'000},
      {"hours", 3'600'000'000'000}, {"hour", 3'600'000'000'000}, {"hr", 3'600'000'000'000},
      {"hrs", 3'600'000'000'000},   {"h", 3'600'000'000'000},    {"days", 86'400'000'000'000},
      {"day", 86'400'000'000'000},  {"d", 86'400'000'000'000}};
  std::string lower;
  for (const char c : word) lower += static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
  const auto at = std::ranges::find(words, std::string_view(lower), &Word::text);
  return at == std::end(words) ? std::nullopt : std::optional(at->ns);
}

std::optional<std::int64_t> in_range(Wide ns) {
  if (ns > INT64_MAX || ns < INT64_MIN) return std::nullopt;
  return static_cast<std::int64_t>(ns);
}

int days_in_month(int year, int month, bool julian) {
  constexpr int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  const bool leap = year % 4 == 0 && (julian || year % 100 != 0 || year % 400 == 0);
  return days[month - 1] + (month == 2 && leap ? 1 : 0);
}

/// What stands behind "since", read piece by piece: a date, a clock or none, an offset or none.
class Origin {
 public:
  explicit Origin(std::string_view text) : at_{text} {}

  /// Years of up to four digits, with a sign or without; months and days of one or two.
  std::optional<std::tuple<int, int, int>> date() {
    const bool negative = at_.take('-');
    int year = 0, month = 0, day = 0;
    if (!at_.number(1, 4, year) || !at_.take('-') || !at_.number(1, 2, month) || !at_.take('-') ||
        !at_.number(1, 2, day) || is_digit(at_.peek())) {
      return std::nullopt;
    }
    if (month < 1 || month > 12 || day < 1) return std::nullopt;
    return std::tuple(negative ? -year : year, month, day);
  }

  /// Nanoseconds since midnight: h[h]:m[m][:s[s][.f]], behind T or spaces; 0 without one.
  std::optional<Wide> clock() {
    char mark = 0;
    if (!at_.take_any("Tt", mark)) pass_spaces();
    if (!is_digit(at_.peek())) return Wide(0);
    int hour = 0, minute = 0, second = 0;
    Civil fraction;
    if (!at_.number(1, 2, hour)) return std::nullopt;
    if (at_.take(':')) {
      if (!at_.number(1, 2, minute)) return std::nullopt;
      if (at_.take(':')) {
        if (!at_.number(1, 2, second)) return std::nullopt;
        if (at_.take('.') && is_digit(at_.peek()) && !read_fraction(at_, fraction)) {
          return std::nullopt;
        }
      }
    }
    if (is_digit(at_.peek()) || hour > 24 || minute > 59 || second > 59) return std::nullopt;
    if (hour == 24 && (minute > 0 || second > 0)) return std::nullopt;
    return (Wide(hour) * 3600 + minute * 60 + second) * 1'000'000'000 + fraction.nanoseconds;
  }

  /// Z, UTC, GMT or nothing; else ±h[h], ±hh:mm or ±hhmm, in minutes.
  std::optional<int> offset_minutes() {
    pass_spaces();
    const std::string_view zone = at_.rest;
    if (zone.empty() || zone == "Z" || zone == "UTC" || zone == "GMT") return 0;
    char sign = 0;
    int hours = 0, minutes = 0;
    if (!at_.take_any("+-", sign)) return std::nullopt;
    if (!at_.number(1, 2, hours)) return std::nullopt;
    const bool colon = at_.take(':');
    if (colon || is_digit(at_.peek())) {
      if (!at_.number(colon ? 1 : 2, 2, minutes)) return std::nullopt;
    }
    if (!at_.at_end() || hours > 23 || minutes > 59) return std::nullopt;
    const int all = hours * 60 + minutes;
    return sign == '-' ? -all : all;
  }

 private:
  void pass_spaces() {
    while (at_.take(' ')) {
    }
  }

  Cursor at_;
};

}  // namespace

std::optional<std::int64_t> TimeUnit::instant_of(std::int64_t count) const {
  return in_range(static_cast<Wide>(count) * unit + origin);
}

std::optional<std::int64_t> TimeUnit::instant_of(double count) const {
  constexpr double furthest = 1e24;  // nanoseconds
  if (!(std::abs(count) * static_cast<double>(unit) < furthest)) return std::nullopt;
  const double whole = std::floor(count);
  Wide ns = std::llroundl(static_cast<long double>(count - whole) * static_cast<long double>(unit));
  ns += static_cast<Wide>(whole) * unit;
  return in_range((ns + (ns < 0 ? -500 : 500)) / 1000 * 1000 + origin);
}

std::optional<TimeUnit> time_unit_of(std::string_view units, bool mixed_calendar) {
  const std::size_t since = units.find(" since ");
  if (since == std::string_view::npos) return std::nullopt;
  const auto unit = unit_of(trim(units.substr(0, since)));
  if (!unit) return std::nullopt;
  Origin at(trim(units.substr(since + 7)));
  const auto date = at.date();
  if (!date) return std::nullopt;
  const auto [year, month, day] = *date;
  const bool julian = mixed_calendar && *date < std::tuple(1582, 10, 15);
  if (day > days_in_month(year, month, julian)) return std::nullopt;
  Wide ns = static_cast<Wide>(days_of(year, month, day, julian)) * 86'400'000'000'000;
  const auto clock = at.clock();
  const auto offset = clock ? at.offset_minutes() : std::nullopt;
  if (!clock || !offset) return std::nullopt;
  ns += *clock - static_cast<Wide>(*offset) * 60'000'000'000;
  return TimeUnit{*unit, ns};
}

}  // namespace zerobeat::detail
