#include <algorithm>
#include <zerobeat/base/error.hpp>

#include "time/civil_parts.hpp"
#include "time/civil_text.hpp"

namespace zerobeat::inline v1::detail {

using enum TimeVerdict;

TimeVerdict read_pattern(std::string_view text, std::string_view pattern, Civil& civil) {
  struct Fields {
    int year = 1970, month = 1, day = 1, ordinal = -1;
    int hour = 0, minute = 0, second = 0;
    std::optional<bool> afternoon;
    std::optional<int> weekday_number;
    std::optional<std::int64_t> epoch;
    bool twelve_hours = false;
    bool possible = true;
  } f;
  Cursor at{text};

  const auto bounded = [&](int value, int least, int most) {
    if (value < least || value > most) f.possible = false;
  };
  const auto spaces = [&] { at.spaces(); };

  const auto convert = [&](auto&& self, char conversion) -> bool {
    const auto all = [&](std::string_view parts) {
      for (std::size_t i = 0; i < parts.size(); ++i) {
        if (parts[i] == '%') {
          if (!self(self, parts[++i])) return false;
        } else if (!at.take(parts[i])) {
          return false;
        }
      }
      return true;
    };
    int value = 0;
    switch (conversion) {
      case 'Y':
        return at.number(4, 4, f.year);
      case 'y':
        if (!at.number(2, 2, value)) return false;
        f.year = full_year(value);
        return true;
      case 'm':
        if (!at.number(1, 2, f.month)) return false;
        bounded(f.month, 1, 12);
        return true;
      case 'd':
      case 'e':
        spaces();
        if (!at.number(1, 2, f.day)) return false;
        bounded(f.day, 1, 31);
        return true;
      case 'j':
        if (!at.number(1, 3, f.ordinal)) return false;
        bounded(f.ordinal, 1, 366);
        return true;
      case 'H':
      case 'k':
        spaces();
        return at.number(1, 2, f.hour);
      case 'I':
      case 'l':
        spaces();
        if (!at.number(1, 2, f.hour)) return false;
        f.twelve_hours = true;
        bounded(f.hour, 1, 12);
        return true;
      case 'M':
        return at.number(1, 2, f.minute);
      case 'S':
        return at.number(1, 2, f.second);
      case 'f':
        return read_fraction(at, civil);
      case 'p':
        f.afternoon = read_half_of_day(at);
        return f.afternoon.has_value();
      case 'b':
      case 'B':
      case 'h':
        if (const auto name = read_month_name(at)) {
          f.month = *name + 1;
          return true;
        }
        return false;
      case 'a':
      case 'A':
        f.weekday_number = read_weekday_name(at);
        return f.weekday_number.has_value();
      case 'z': {
        const TimeVerdict offset = read_offset(at, civil);
        if (offset == impossible) f.possible = false;
        return offset != unreadable;
      }
      case 'Z': {
        const std::size_t letters = static_cast<std::size_t>(
            std::ranges::find_if_not(at.rest, is_letter) - at.rest.begin());
        civil.abbreviation = at.rest.substr(0, letters);
        at.rest.remove_prefix(letters);
        return letters > 0;
      }
      case 's': {
        std::int64_t whole = 0;
        const bool negative = at.take('-');
        const std::size_t n = at.digits_ahead();
        if (n == 0 || n > 17) return false;
        for (std::size_t i = 0; i < n; ++i) whole = whole * 10 + (at.rest[i] - '0');
        at.rest.remove_prefix(n);
        f.epoch = negative ? -whole : whole;
        return true;
      }
      case 'T':
        return all("%H:%M:%S");
      case 'R':
        return all("%H:%M");
      case 'D':
        return all("%m/%d/%y");
      case 'F':
        return all("%Y-%m-%d");
      case 'r':
        return all("%I:%M:%S %p");
      case 'n':
      case 't':
        spaces();
        return true;
      case '%':
        return at.take('%');
      default:
        return false;
    }
  };

  for (std::size_t i = 0; i < pattern.size(); ++i) {
    if (pattern[i] == '%') {
      if (!convert(convert, pattern[++i])) return unreadable;
    } else if (pattern[i] == ' ') {
      spaces();
    } else if (!at.take(pattern[i])) {
      return unreadable;
    }
  }
  if (!at.at_end()) return unreadable;
  if (!f.possible) return impossible;
  if (f.epoch) {
    civil.seconds = *f.epoch;
    civil.offset = 0;
    civil.has_offset = true;
    return ok;
  }
  if (f.twelve_hours) f.hour = f.hour % 12 + (f.afternoon.value_or(false) ? 12 : 0);
  const TimeVerdict date = f.ordinal >= 0 ? set_ordinal(f.year, f.ordinal, civil)
                                          : set_date(f.year, f.month, f.day, civil);
  if (date != ok) return date;
  return add_clock(f.hour, f.minute, f.second, civil);
}

void check_pattern(std::string_view pattern) {
  constexpr std::string_view known = "YymdejHkIlMSfpbBhaAzZsTRDFrnt%";
  for (std::size_t i = 0; i < pattern.size(); ++i) {
    if (pattern[i] != '%') continue;
    if (++i == pattern.size()) fail_usage("\"{}\" ends within a conversion: %", pattern);
    if (known.find(pattern[i]) == std::string_view::npos) {
      fail_usage(
          "\"{}\": %{} is not a conversion; there is %Y %m %d %H %M %S %f %z %b %p and others",
          pattern, pattern[i]);
    }
  }
}

}  // namespace zerobeat::detail
