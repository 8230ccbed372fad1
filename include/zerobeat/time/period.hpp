/// Lengths of time as people ask for them, and lengths in rows.
///
/// A period keeps months, days and nanoseconds apart: a month is not 30 days,
/// and where clocks change a day is not 24 hours.

#pragma once

#include <chrono>
#include <concepts>
#include <cstdint>
#include <initializer_list>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {

/// A length of time. Made from text ("15min", "1h30min", "1d", "PT15M") or a std::chrono
/// duration (15min, 2h), which makes a fixed one.
struct Period {
  std::int64_t months = 0;
  std::int64_t days = 0;
  Nanoseconds nanoseconds{0};
  bool in_quarters = false;  ///< written back as quarters, since it was given so
  bool in_weeks = false;     ///< given as weeks, and written back so: seven days by the calendar,
                             ///< not seven working days

  constexpr Period() = default;

  template <typename Rep, typename Ratio>
  constexpr Period(std::chrono::duration<Rep, Ratio> length)  // NOLINT: meant to convert
      : nanoseconds(std::chrono::duration_cast<Nanoseconds>(length)) {}

  static constexpr Period of_months(std::int64_t n) {
    Period p;
    p.months = n;
    return p;
  }
  static constexpr Period of_days(std::int64_t n) {
    Period p;
    p.days = n;
    return p;
  }

  /// True for a length that is the same everywhere: no months, no days.
  constexpr bool is_fixed() const { return months == 0 && days == 0; }
  constexpr bool is_zero() const { return months == 0 && days == 0 && nanoseconds.count() == 0; }

  /// Equal lengths, however they are written.
  friend constexpr bool operator==(const Period& a, const Period& b) {
    return a.months == b.months && a.days == b.days && a.nanoseconds == b.nanoseconds;
  }
};

/// Reads `250ms`, `15min`, `1h30min`, `24h` (fixed), `1d`, `1wk`, `1month`, `1quarter`, `1year` (by
/// the calendar), units as words (`12 hours`), their sums, and ISO 8601 durations. Throws Error
/// naming the unit that is wrong and the one that is meant.
void from_text(std::string_view text, Period& out);
std::string to_text(const Period& period);

/// `t` moved ahead (`times` > 0) or back (`times` < 0) by so many periods, in the zone: months
/// first (a day past the month's end becomes its last), then days, at the same local clock; a
/// clock time that the zone skips becomes the first instant after, one that it repeats the
/// earlier. Stays within the range of Instant.
Instant shift(Instant t, const Period& period, std::int64_t times, const Zone& zone);

/// A length in time or in rows: a window, a lag, the longest gap to fill.
struct Extent {
  Period period{};        ///< used when rows is 0
  std::int64_t rows = 0;  ///< 0: the extent is a period

  constexpr Extent() = default;
  constexpr Extent(std::int64_t n) : rows(n) {}     // NOLINT: meant to convert
  constexpr Extent(int n) : rows(n) {}              // NOLINT
  constexpr Extent(const Period& p) : period(p) {}  // NOLINT
  template <typename Rep, typename Ratio>
  constexpr Extent(std::chrono::duration<Rep, Ratio> length) : period(length) {}  // NOLINT

  constexpr bool in_rows() const { return rows != 0; }
  friend constexpr bool operator==(const Extent&, const Extent&) = default;
};

/// One extent, or several.
struct Extents {
  std::vector<Extent> all{};

  Extents() = default;
  Extents(std::initializer_list<Extent> several) : all(several) {}  // NOLINT: meant to convert
  template <std::convertible_to<Extent> One>
  Extents(const One& one) : all{Extent(one)} {}  // NOLINT

  bool empty() const { return all.empty(); }
  friend bool operator==(const Extents&, const Extents&) = default;
};

template <>
inline constexpr bool takes_numbers<Extent> = true;
template <>
inline constexpr bool takes_lists<Extents> = true;

/// Reads a positive whole number of rows, or a period.
void from_text(std::string_view text, Extent& out);
std::string to_text(const Extent& extent);

/// Reads extents separated by commas. Throws Error when one is given twice.
void from_text(std::string_view text, Extents& out);
std::string to_text(const Extents& extents);

}  // namespace zerobeat
