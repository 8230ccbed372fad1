#include "io/netcdf_time.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <string>
#include <tuple>

#include "base/trim.hpp"

namespace zerobeat::detail {

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
  const std::string date(trim(units.substr(since + 7)));
  long long year = 0, month = 0, day = 0;
  int read = 0;
  if (std::sscanf(date.c_str(), "%lld-%lld-%lld%n", &year, &month, &day, &read) != 3) {
    return std::nullopt;
  }
  if (month < 1 || month > 12 || day < 1 || day > 31) return std::nullopt;
  const bool julian =
      mixed_calendar && std::tuple(year, month, day) < std::tuple(1582LL, 10LL, 15LL);
  Wide ns = static_cast<Wide>(days_of(year, month, day, julian)) * 86'400'000'000'000;
  std::string rest = date.substr(static_cast<std::size_t>(read));
  if (!rest.empty() && (rest[0] == 'T' || rest[0] == 't')) rest[0] = ' ';
  int hour = 0, minute = 0;
  double second = 0;
  int used = 0;
  if (std::sscanf(rest.c_str(), " %d:%d:%lf%n", &hour, &minute, &second, &used) == 3 ||
      (second = 0, std::sscanf(rest.c_str(), " %d:%d%n", &hour, &minute, &used) == 2)) {
    rest = rest.substr(static_cast<std::size_t>(used));
    ns +=
        (static_cast<Wide>(hour) * 3600 + minute * 60) * 1'000'000'000 + std::llround(second * 1e9);
  }
  const std::string_view zone = trim(rest);
  int offset_hours = 0, offset_minutes = 0;
  const bool none = zone.empty() || zone == "Z" || zone == "UTC" || zone == "GMT";
  if (!none) {
    const std::string text(zone.substr(1));
    if (zone[0] != '+' && zone[0] != '-') return std::nullopt;
    if (std::sscanf(text.c_str(), "%2d:%2d", &offset_hours, &offset_minutes) < 1)
      return std::nullopt;
    const int minutes = offset_hours * 60 + offset_minutes;
    ns -= static_cast<Wide>(zone[0] == '-' ? -minutes : minutes) * 60'000'000'000;
  }
  return TimeUnit{*unit, ns};
}

}  // namespace zerobeat::detail
