#include "time/civil_text.hpp"

#include <array>
#include <cctype>
#include <optional>
#include <zerobeat/error.hpp>

namespace zerobeat::detail {

namespace {

using namespace std::chrono;
using Civil = TimestampReader::Civil;
using enum TimeVerdict;

bool is_digit(char c) { return c >= '0' && c <= '9'; }

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

std::int64_t seconds_of(const sys_days& day) { return sys_seconds(day).time_since_epoch().count(); }

TimeVerdict set_date(int y, int m, int d, Civil& civil) {
  const year_month_day date{year(y), month(static_cast<unsigned>(m)),
                            day(static_cast<unsigned>(d))};
  if (!date.ok()) return impossible;
  civil.seconds = seconds_of(sys_days(date));
  return ok;
}

TimeVerdict set_ordinal(int y, int day_number, Civil& civil) {
  const int length = year(y).is_leap() ? 366 : 365;
  if (day_number < 1 || day_number > length) return impossible;
  civil.seconds = seconds_of(sys_days(year(y) / January / 1) + days(day_number - 1));
  return ok;
}

TimeVerdict set_week(int y, int week, int weekday_number, Civil& civil) {
  // ISO 8601: week 1 holds 4 January; weeks start on Monday.
  const sys_days fourth = year(y) / January / 4;
  const sys_days first_monday = fourth - (weekday(fourth) - Monday);
  const sys_days next_fourth = year(y + 1) / January / 4;
  const sys_days next_monday = next_fourth - (weekday(next_fourth) - Monday);
  if (week < 1 || weekday_number < 1 || weekday_number > 7) return impossible;
  const sys_days start = first_monday + days(7 * (week - 1));
  if (start >= next_monday) return impossible;
  civil.seconds = seconds_of(start + days(weekday_number - 1));
  return ok;
}

TimeVerdict add_clock(int h, int m, int s, Civil& civil) {
  if (h == 24 && m == 0 && s == 0 && civil.nanoseconds == 0) {
    civil.seconds += 86'400;
    return ok;
  }
  if (h > 23 || m > 59 || s > 59) return impossible;
  civil.seconds += h * 3600 + m * 60 + s;
  return ok;
}

/// Digits of the second after the separator. More than nine are cut.
bool read_fraction(Cursor& at, Civil& civil) {
  const std::size_t n = at.digits_ahead();
  if (n == 0) return false;
  std::int32_t place = 100'000'000;
  for (std::size_t i = 0; i < n; ++i, place /= 10) {
    civil.nanoseconds += (at.rest[i] - '0') * place;
    if (i >= 9) civil.digits_cut = true;
  }
  at.rest.remove_prefix(n);
  return true;
}

/// Z, ±hh, ±hhmm or ±hh:mm.
TimeVerdict read_offset(Cursor& at, Civil& civil) {
  char sign = 0;
  if (at.take('Z') || at.take('z')) {
    civil.has_offset = true;
    return ok;
  }
  int h = 0, m = 0;
  if (!at.take_any("+-", sign) || !at.number(2, 2, h)) return unreadable;
  const bool colon = at.take(':');
  if (!at.number(2, 2, m) && colon) return unreadable;
  if (h > 23 || m > 59) return impossible;
  civil.offset = (h * 3600 + m * 60) * (sign == '-' ? -1 : 1);
  civil.has_offset = true;
  return ok;
}

/// hh[:mm[:ss[.f]]] or hhmm[ss[.f]], then an offset or nothing, then the end.
TimeVerdict read_iso_clock(Cursor& at, Civil& civil) {
  int h = 0, m = 0, s = 0;
  if (!at.number(2, 2, h)) return unreadable;
  bool has_seconds = false;
  if (at.take(':')) {
    if (!at.number(2, 2, m)) return unreadable;
    if (at.take(':')) {
      if (!at.number(2, 2, s)) return unreadable;
      has_seconds = true;
    }
  } else if (at.digits_ahead() >= 2) {
    at.number(2, 2, m);
    if (at.digits_ahead() >= 2) has_seconds = at.number(2, 2, s);
  }
  if (is_digit(at.peek())) return unreadable;
  char separator = 0;
  if (has_seconds && at.take_any(".,", separator) && !read_fraction(at, civil)) return unreadable;
  TimeVerdict verdict = add_clock(h, m, s, civil);
  if (!at.at_end()) {
    at.take(' ');
    const TimeVerdict offset = read_offset(at, civil);
    if (offset == unreadable || !at.at_end()) return unreadable;
    if (verdict == ok) verdict = offset;
  }
  return verdict;
}

int full_year(int two_digits) { return two_digits + (two_digits >= 69 ? 1900 : 2000); }

constexpr std::array<std::string_view, 12> month_names{
    "january", "february", "march",     "april",   "may",      "june",
    "july",    "august",   "september", "october", "november", "december"};
constexpr std::array<std::string_view, 7> weekday_names{
    "sunday", "monday", "tuesday", "wednesday", "thursday", "friday", "saturday"};

bool starts_with_word(std::string_view text, std::string_view word) {
  if (text.size() < word.size()) return false;
  for (std::size_t i = 0; i < word.size(); ++i) {
    if (std::tolower(static_cast<unsigned char>(text[i])) != word[i]) return false;
  }
  return true;
}

/// The index of the name that the text starts with, whole or its first three letters.
template <std::size_t N>
std::optional<int> read_name(Cursor& at, const std::array<std::string_view, N>& names) {
  for (const std::size_t most : {std::string_view::npos, std::size_t{3}}) {
    for (std::size_t i = 0; i < N; ++i) {
      const std::string_view name = names[i].substr(0, most);
      if (starts_with_word(at.rest, name)) {
        at.rest.remove_prefix(name.size());
        return static_cast<int>(i);
      }
    }
  }
  return std::nullopt;
}

std::optional<bool> read_half_of_day(Cursor& at) {
  for (const bool afternoon : {false, true}) {
    for (const std::string_view word : {afternoon ? "p.m." : "a.m.", afternoon ? "pm" : "am"}) {
      if (starts_with_word(at.rest, word)) {
        at.rest.remove_prefix(word.size());
        return afternoon;
      }
    }
  }
  return std::nullopt;
}

}  // namespace

TimeVerdict read_iso(std::string_view text, Civil& civil) {
  Cursor at{text};
  int y = 0, m = 0, d = 0, week = 0;
  if (!at.number(4, 4, y)) return unreadable;
  TimeVerdict verdict = ok;
  bool to_the_day = true;
  if (at.at_end()) {
    return set_date(y, 1, 1, civil);
  }
  if (at.take('-')) {
    if (at.take('W')) {
      d = 1;
      if (!at.number(2, 2, week)) return unreadable;
      to_the_day = at.take('-');
      if (to_the_day && !at.number(1, 1, d)) return unreadable;
      verdict = set_week(y, week, d, civil);
    } else if (at.take('Q')) {
      if (!at.number(1, 1, m)) return unreadable;
      to_the_day = false;
      verdict = m >= 1 && m <= 4 ? set_date(y, 3 * m - 2, 1, civil) : impossible;
    } else if (at.digits_ahead() == 3) {
      at.number(3, 3, d);
      verdict = set_ordinal(y, d, civil);
    } else {
      if (!at.number(2, 2, m)) return unreadable;
      d = 1;
      to_the_day = at.take('-');
      if (to_the_day && !at.number(2, 2, d)) return unreadable;
      verdict = set_date(y, m, d, civil);
    }
  } else if (at.take('W')) {
    d = 1;
    if (!at.number(2, 2, week)) return unreadable;
    to_the_day = at.number(1, 1, d);
    verdict = set_week(y, week, d, civil);
  } else if (at.digits_ahead() == 4) {
    at.number(2, 2, m);
    at.number(2, 2, d);
    verdict = set_date(y, m, d, civil);
  } else if (at.digits_ahead() == 3) {
    at.number(3, 3, d);
    verdict = set_ordinal(y, d, civil);
  } else {
    return unreadable;
  }
  if (at.at_end()) return verdict;
  char separator = 0;
  if (!to_the_day || !at.take_any("Tt ", separator)) return unreadable;
  const TimeVerdict clock = read_iso_clock(at, civil);
  if (clock == unreadable) return unreadable;
  return verdict == ok ? clock : verdict;
}

TimeVerdict read_dated(std::string_view text, DateOrder order, Civil& civil, DateProof& proof) {
  proof = DateProof::none;
  Cursor at{text};
  int a = 0, b = 0, c = 0;
  char separator = 0, again = 0;
  const std::size_t first_digits = at.digits_ahead();
  const bool year_first = order == DateOrder::ymd;
  if (!at.number(1, year_first ? 4 : 2, a) || !at.take_any("/-. ", separator)) return unreadable;
  if (year_first && first_digits != 4 && first_digits != 2) return unreadable;
  if (!at.number(1, 2, b) || !at.take_any("/-. ", again) || again != separator) return unreadable;
  const std::size_t last_digits = at.digits_ahead();
  if (!at.number(1, year_first ? 2 : 4, c)) return unreadable;
  if (!year_first && last_digits != 4 && last_digits != 2) return unreadable;

  const int written_year = year_first ? a : c;
  const bool short_year = (year_first ? first_digits : last_digits) == 2;
  const int y = short_year ? full_year(written_year) : written_year;
  const int m = order == DateOrder::dmy ? b : order == DateOrder::mdy ? a : b;
  const int d = order == DateOrder::dmy ? a : order == DateOrder::mdy ? b : c;
  TimeVerdict verdict = set_date(y, m, d, civil);
  if (!year_first) {
    // Only dates that are whole in one order say anything of it.
    const auto real = [&](int month_number, int day_number) {
      return year_month_day{year(y), month(static_cast<unsigned>(month_number)),
                            day(static_cast<unsigned>(day_number))}
          .ok();
    };
    const bool day_first = real(b, a), month_first = real(a, b);
    if (day_first && month_first && a != b) proof = DateProof::either_order;
    if (day_first && !month_first) proof = DateProof::only_day_first;
    if (month_first && !day_first) proof = DateProof::only_month_first;
  }
  if (at.at_end()) return verdict;

  int h = 0, minute = 0, s = 0;
  const auto unreadable_clock = [&] {
    proof = DateProof::none;
    return unreadable;
  };
  char between = 0;
  if (!at.take_any(" Tt,", between)) return unreadable_clock();
  while (at.take(' ')) {
  }
  if (!at.number(1, 2, h)) return unreadable_clock();
  if (at.take(':')) {
    if (!at.number(2, 2, minute)) return unreadable_clock();
    if (at.take(':')) {
      if (!at.number(2, 2, s)) return unreadable_clock();
      char point = 0;
      if (at.take_any(".,", point) && !read_fraction(at, civil)) return unreadable_clock();
    }
  } else if (at.peek() != ' ' && !std::isalpha(static_cast<unsigned char>(at.peek()))) {
    return unreadable_clock();
  }
  while (at.take(' ')) {
  }
  TimeVerdict clock = ok;
  if (const auto afternoon = read_half_of_day(at)) {
    if (h < 1 || h > 12) clock = impossible;
    h = h % 12 + (*afternoon ? 12 : 0);
    while (at.take(' ')) {
    }
  }
  if (clock == ok) clock = add_clock(h, minute, s, civil);
  if (!at.at_end()) {
    const TimeVerdict offset = read_offset(at, civil);
    if (offset == unreadable || !at.at_end()) return unreadable_clock();
    if (clock == ok) clock = offset;
  }
  return verdict == ok ? clock : verdict;
}

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
  const auto spaces = [&] {
    while (at.peek() == ' ' || at.peek() == '\t') at.rest.remove_prefix(1);
  };

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
        if (const auto name = read_name(at, month_names)) {
          f.month = *name + 1;
          return true;
        }
        return false;
      case 'a':
      case 'A':
        f.weekday_number = read_name(at, weekday_names);
        return f.weekday_number.has_value();
      case 'z': {
        const TimeVerdict offset = read_offset(at, civil);
        if (offset == impossible) f.possible = false;
        return offset != unreadable;
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
  constexpr std::string_view known = "YymdejHkIlMSfpbBhaAzsTRDFrnt%";
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
