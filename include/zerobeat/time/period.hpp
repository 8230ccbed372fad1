/// Lengths of time as people ask for them, and lengths in rows.
///
/// A period keeps months, days and nanoseconds apart: a month is not 30 days,
/// and where clocks change a day is not 24 hours.

#pragma once

#include <chrono>
#include <concepts>
#include <cstdint>
#include <initializer_list>
#include <ratio>
#include <string>
#include <string_view>
#include <type_traits>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

namespace detail {
[[noreturn]] void fail_long_period();
}

/// A length of time. Made from text ("15min", "1h30min", "1d", "PT15M") or a std::chrono duration:
/// 15min and hours(24) are fixed; days, weeks, months and years are by the calendar, as in text.
/// A value; threads may read one at the same time.
struct Period {
  std::int64_t months = 0;
  std::int64_t days = 0;
  Nanoseconds nanoseconds{0};
  bool in_quarters = false;  ///< written back as quarters, since it was given so
  bool in_weeks = false;     ///< given as weeks, and written back so: seven days by the calendar,
                             ///< not seven working days

  constexpr Period() = default;

  /// Throws Error of kind usage when it is longer than 292 years of nanoseconds.
  template <typename Rep, typename Ratio>
  constexpr Period(std::chrono::duration<Rep, Ratio> length) {  // NOLINT: meant to convert
    constexpr bool calendar = std::ratio_equal_v<Ratio, std::chrono::days::period> ||
                              std::ratio_equal_v<Ratio, std::chrono::weeks::period> ||
                              std::ratio_equal_v<Ratio, std::chrono::months::period> ||
                              std::ratio_equal_v<Ratio, std::chrono::years::period>;
    if constexpr (calendar) {
      static_assert(std::is_integral_v<Rep>,
                    "days and longer are by the calendar, in whole numbers");
      const auto number = static_cast<std::int64_t>(length.count());
      if constexpr (std::ratio_equal_v<Ratio, std::chrono::days::period>) days = number;
      if constexpr (std::ratio_equal_v<Ratio, std::chrono::weeks::period>) days = 7 * number;
      if constexpr (std::ratio_equal_v<Ratio, std::chrono::months::period>) months = number;
      if constexpr (std::ratio_equal_v<Ratio, std::chrono::years::period>) months = 12 * number;
      in_weeks = std::ratio_equal_v<Ratio, std::chrono::weeks::period>;
    } else {
      constexpr auto most = static_cast<long double>(Nanoseconds::max().count());
      const auto exact = std::chrono::duration<long double, std::nano>(length).count();
      if (!(exact <= most && exact >= -most - 1)) detail::fail_long_period();
      nanoseconds = std::chrono::duration_cast<Nanoseconds>(length);
    }
  }

  /// Reads text as from_text() does. Throws Error when it is no length of time.
  Period(const char* text);         // NOLINT: meant to convert
  Period(const std::string& text);  // NOLINT

  [[nodiscard]] static constexpr Period of_months(std::int64_t n) {
    Period p;
    p.months = n;
    return p;
  }
  [[nodiscard]] static constexpr Period of_days(std::int64_t n) {
    Period p;
    p.days = n;
    return p;
  }

  /// True for a length that is the same everywhere: no months, no days.
  [[nodiscard]] constexpr bool is_fixed() const { return months == 0 && days == 0; }
  [[nodiscard]] constexpr bool is_zero() const {
    return months == 0 && days == 0 && nanoseconds.count() == 0;
  }

  /// Equal lengths, however they are written.
  friend constexpr bool operator==(const Period& a, const Period& b) {
    return a.months == b.months && a.days == b.days && a.nanoseconds == b.nanoseconds;
  }
};

/// Reads `250ms`, `15min`, `1h30min`, `24h` (fixed), `1d`, `1wk`, `1month`, `1quarter`, `1year` (by
/// the calendar), units as words (`12 hours`), their sums, and ISO 8601 durations. Throws Error
/// naming the unit that is wrong and the one that is meant.
void from_text(std::string_view text, Period& out);
[[nodiscard]] std::string to_text(const Period& period);

/// `t` moved ahead (`times` > 0) or back (`times` < 0) by so many periods, in the zone: months
/// first (a day past the month's end becomes its last), then days, at the same local clock; a
/// clock time that the zone skips becomes the first instant after, one that it repeats the
/// earlier. Stays within the range of Instant.
[[nodiscard]] Instant shift(Instant t, const Period& period, std::int64_t times, const Zone& zone);

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
  /// Reads text as from_text() does.
  Extent(const char* text);         // NOLINT
  Extent(const std::string& text);  // NOLINT

  [[nodiscard]] constexpr bool in_rows() const { return rows != 0; }
  friend constexpr bool operator==(const Extent&, const Extent&) = default;
};

/// One extent, or several.
struct Extents {
  std::vector<Extent> all{};

  Extents() = default;
  Extents(std::initializer_list<Extent> several) : all(several) {}  // NOLINT: meant to convert
  template <std::convertible_to<Extent> One>
  requires(!std::convertible_to<One, std::string_view>) Extents(const One& one)
      : all{Extent(one)} {}  // NOLINT
  /// Reads text as from_text() does: one, or several with commas.
  Extents(const char* text);         // NOLINT
  Extents(const std::string& text);  // NOLINT

  [[nodiscard]] bool empty() const { return all.empty(); }
  friend bool operator==(const Extents&, const Extents&) = default;
};

template <>
inline constexpr bool takes_numbers<Extent> = true;
template <>
inline constexpr bool takes_lists<Extents> = true;

/// Reads a positive whole number of rows, or a period.
void from_text(std::string_view text, Extent& out);
[[nodiscard]] std::string to_text(const Extent& extent);

/// Reads extents separated by commas. Throws Error when one is given twice.
void from_text(std::string_view text, Extents& out);
[[nodiscard]] std::string to_text(const Extents& extents);

/// A std::chrono duration as an option: read as a period is, and written so. Throws Error when the
/// text is no whole number of it, or of the calendar where it is not.
template <typename Rep, typename Ratio>
struct OptionText<std::chrono::duration<Rep, Ratio>> {
  using Duration = std::chrono::duration<Rep, Ratio>;

  static void read(std::string_view text, Duration& out) {
    Period period;
    from_text(text, period);
    const Duration number = period.is_fixed()
                                ? std::chrono::duration_cast<Duration>(period.nanoseconds)
                                : by_calendar(period);
    if (Period(number) != period) {
      throw Error(Error::Kind::usage, '"' + std::string(text) + "\" is not a whole number of " +
                                          to_text(Period(Duration(1))));
    }
    out = number;
  }
  [[nodiscard]] static std::string write(const Duration& value) {
    return value == Duration::zero() ? std::string() : to_text(Period(value));
  }

 private:
  static Duration by_calendar(const Period& period) {
    if constexpr (std::ratio_equal_v<Ratio, std::chrono::days::period>) {
      return Duration(static_cast<Rep>(period.days));
    } else if constexpr (std::ratio_equal_v<Ratio, std::chrono::weeks::period>) {
      return Duration(static_cast<Rep>(period.days / 7));
    } else if constexpr (std::ratio_equal_v<Ratio, std::chrono::months::period>) {
      return Duration(static_cast<Rep>(period.months));
    } else if constexpr (std::ratio_equal_v<Ratio, std::chrono::years::period>) {
      return Duration(static_cast<Rep>(period.months / 12));
    } else {
      return Duration::zero();
    }
  }
};

}  // namespace v1
}  // namespace zerobeat
