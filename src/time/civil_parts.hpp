/// What the plain readers of timestamps share: a cursor over the text, and the
/// parts that all layouts are made of.

#pragma once

#include <algorithm>
#include <chrono>
#include <optional>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

using Civil = TimestampReader::Civil;

inline bool is_digit(char c) { return c >= '0' && c <= '9'; }
inline bool is_letter(char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z'); }

/// A position in a text that is read from left to right.
struct Cursor {
  std::string_view rest;

  bool at_end() const { return rest.empty(); }
  char peek() const { return rest.empty() ? '\0' : rest.front(); }

  bool take(char c) {
    if (peek() != c || rest.empty()) return false;
    rest.remove_prefix(1);
    return true;
  }

  bool take_any(std::string_view set, char& taken) {
    if (rest.empty() || set.find(rest.front()) == std::string_view::npos) return false;
    taken = rest.front();
    rest.remove_prefix(1);
    return true;
  }

  /// Passes over spaces and tabs; true when there was one.
  bool spaces() {
    const std::size_t before = rest.size();
    while (peek() == ' ' || peek() == '\t') rest.remove_prefix(1);
    return rest.size() != before;
  }

  std::size_t digits_ahead() const {
    std::size_t n = 0;
    while (n < rest.size() && is_digit(rest[n])) ++n;
    return n;
  }

  /// Reads `least` to `most` digits.
  bool number(std::size_t least, std::size_t most, int& out) {
    const std::size_t n = std::min(digits_ahead(), most);
    if (n < least) return false;
    out = 0;
    for (std::size_t i = 0; i < n; ++i) out = out * 10 + (rest[i] - '0');
    rest.remove_prefix(n);
    return true;
  }
};

/// The day, or nullopt when there is none such: 30 February.
std::optional<std::chrono::sys_days> day_of(int year, int month, int day);

std::int64_t seconds_of(std::chrono::sys_days day);

TimeVerdict set_date(int year, int month, int day, Civil& civil);
TimeVerdict set_ordinal(int year, int day_number, Civil& civil);
TimeVerdict set_week(int year, int week, int weekday, Civil& civil);

/// Adds the clock to the date. 24:00:00 is the next midnight; there is no second 60.
TimeVerdict add_clock(int hour, int minute, int second, Civil& civil);

/// Digits of the second after the separator. More than nine are cut.
bool read_fraction(Cursor& at, Civil& civil);

/// Z, ±hh, ±hhmm or ±hh:mm.
TimeVerdict read_offset(Cursor& at, Civil& civil);

/// h[:mm[:ss[.f]]] of 24 hours, or of 12 with am or pm, then an offset or a zone that RFC 2822
/// names; nothing when the text is at its end.
TimeVerdict read_free_clock(Cursor& at, Civil& civil);

/// 69 to 99 are 19xx, as POSIX %y has it.
constexpr int full_year(int two_digits) { return two_digits + (two_digits >= 69 ? 1900 : 2000); }

/// The number of the month (0 to 11) or weekday (0: Sunday) whose name stands here, whole or by
/// its first three letters ("sept" too), in any case; the name is passed over.
std::optional<int> read_month_name(Cursor& at);
std::optional<int> read_weekday_name(Cursor& at);

/// am, pm, a.m. or p.m.: whether it is the afternoon.
std::optional<bool> read_half_of_day(Cursor& at);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
