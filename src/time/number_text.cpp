#include <algorithm>
#include <limits>

#include "time/civil_parts.hpp"
#include "time/civil_text.hpp"

namespace zerobeat::inline v1::detail {

using enum TimeVerdict;

namespace {

constexpr std::int64_t giga = 1'000'000'000;
constexpr Wide most = Wide{1} << 100;

/// A decimal number: digits × 10^exponent.
struct Decimal {
  Wide digits = 0;  ///< its size
  int exponent = 0;
  bool negative = false;
  bool cut = false;  ///< digits that did not count were left out
};

/// Digits with a point or comma, and an exponent, as files have numbers.
TimeVerdict read_decimal(std::string_view text, Decimal& out) {
  Cursor at{text};
  char taken = 0;
  if (at.take_any("+-", taken)) out.negative = taken == '-';
  bool any = false, in_fraction = false;
  for (;; at.rest.remove_prefix(1)) {
    const char c = at.peek();
    if (is_digit(c)) {
      any = true;
      if (out.digits < most) {
        out.digits = out.digits * 10 + (c - '0');
        out.exponent -= in_fraction;
      } else if (in_fraction) {
        out.cut |= c != '0';
      } else {
        return out_of_range;
      }
    } else if ((c == '.' || c == ',') && any && !in_fraction) {
      in_fraction = true;
      if (at.rest.size() < 2 || !is_digit(at.rest[1])) return unreadable;
    } else {
      break;
    }
  }
  if (!any) return unreadable;
  if (at.take_any("eE", taken)) {
    char sign = '+';
    at.take_any("+-", sign);
    int power = 0;
    if (!at.number(1, 3, power)) return unreadable;
    out.exponent += sign == '-' ? -power : power;
  }
  return at.at_end() ? ok : unreadable;
}

/// value × unit × 10^exponent, rounded down; `cut` becomes true when that lost something.
bool scaled(const Decimal& decimal, std::int64_t unit, Wide& out, bool& cut) {
  out = decimal.digits;
  int exponent = decimal.exponent;
  for (; unit > 1 && unit % 10 == 0 && out < most; unit /= 10) ++exponent;
  // What is no power of ten of a unit (an hour's 36) is taken whole.
  if (unit > 1) {
    if (out >= most) return false;
    out *= unit;
  }
  for (; exponent > 0 && out != 0; --exponent) {
    if (out >= most) return false;
    out *= 10;
  }
  for (; exponent < 0 && out != 0; ++exponent) {
    cut |= out % 10 != 0;
    out /= 10;
  }
  cut |= decimal.cut;
  if (decimal.negative) out = -out - (cut ? 1 : 0);
  return true;
}

TimeVerdict set_nanoseconds(Wide nanoseconds, Civil& civil) {
  Wide seconds = nanoseconds / giga;
  Wide rest = nanoseconds % giga;
  if (rest < 0) {
    seconds -= 1;
    rest += giga;
  }
  constexpr Wide limit = std::numeric_limits<std::int64_t>::max() / 2;
  if (seconds > limit || seconds < -limit) return out_of_range;
  civil.seconds = static_cast<std::int64_t>(seconds);
  civil.nanoseconds = static_cast<std::int32_t>(rest);
  return ok;
}

}  // namespace

TimeVerdict read_count(std::string_view text, std::int64_t unit, std::int64_t origin,
                       Civil& civil) {
  const TimeVerdict verdict = read_epoch(text, unit, civil);
  if (verdict != ok) return verdict;
  if (__builtin_add_overflow(civil.seconds, origin, &civil.seconds)) return out_of_range;
  return ok;
}

TimeVerdict read_epoch(std::string_view text, std::int64_t unit, Civil& civil) {
  Decimal decimal;
  const TimeVerdict verdict = read_decimal(text, decimal);
  if (verdict != ok) return verdict;
  // What is cut off is cut towards the past, as everywhere.
  Wide nanoseconds = 0;
  bool cut = false;
  if (!scaled(decimal, unit, nanoseconds, cut)) return out_of_range;
  civil.digits_cut = cut;
  civil.has_offset = true;
  return set_nanoseconds(nanoseconds, civil);
}

TimeVerdict read_serial(std::string_view text, bool from_1904, Civil& civil) {
  Decimal decimal;
  TimeVerdict verdict = read_decimal(text, decimal);
  if (verdict != ok) return verdict;
  if (decimal.negative || decimal.exponent > 12) return impossible;
  // Milliseconds, rounded: a day's fraction in 15 digits is no finer.
  Wide numerator = decimal.digits;
  int exponent = decimal.exponent;
  for (; exponent < -20; ++exponent) numerator /= 10;
  constexpr std::int64_t last_day = 4'000'000;
  for (; exponent > 0; --exponent) {
    if (numerator > last_day) return out_of_range;
    numerator *= 10;
  }
  Wide denominator = 1;
  for (; exponent < 0; ++exponent) denominator *= 10;
  constexpr std::int64_t day = 86'400'000;
  const Wide whole = numerator / denominator;
  const Wide rest = numerator % denominator;
  const Wide milliseconds = (2 * rest * day + denominator) / (2 * denominator);
  if (whole > last_day) return out_of_range;
  auto days = static_cast<std::int64_t>(whole);
  if (!from_1904 && (days == 0 || days == 60)) return impossible;
  using namespace std::chrono;
  const sys_days first = from_1904 ? sys_days(year(1904) / January / 1)
                                   : sys_days(year(1899) / December / (days < 60 ? 31 : 30));
  const Wide since = static_cast<Wide>(first.time_since_epoch().count() + days) * day;
  return set_nanoseconds((since + milliseconds) * 1'000'000, civil);
}

TimeVerdict read_compact(std::string_view text, Civil& civil) {
  Cursor at{text};
  const std::size_t digits = at.digits_ahead();
  if (digits != 8 && digits != 12 && digits != 14 && digits != 17) return unreadable;
  int year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0;
  at.number(4, 4, year);
  at.number(2, 2, month);
  at.number(2, 2, day);
  if (digits >= 12) {
    at.number(2, 2, hour);
    at.number(2, 2, minute);
  }
  if (digits >= 14) at.number(2, 2, second);
  if (digits == 17) read_fraction(at, civil);
  char mark = 0;
  if (digits == 14 && at.take_any(".,", mark) && !read_fraction(at, civil)) return unreadable;
  const TimeVerdict date = set_date(year, month, day, civil);
  TimeVerdict clock = add_clock(hour, minute, second, civil);
  if (!at.at_end()) {
    const TimeVerdict offset = digits > 8 ? read_offset(at, civil) : unreadable;
    if (offset == unreadable || !at.at_end()) return unreadable;
    if (clock == ok) clock = offset;
  }
  return date == ok ? clock : date;
}

}  // namespace zerobeat::detail
