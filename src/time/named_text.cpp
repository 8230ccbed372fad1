#include "time/civil_parts.hpp"
#include "time/civil_text.hpp"

namespace zerobeat::inline v1::detail {

using enum TimeVerdict;

namespace {

/// What may stand between the parts of a date.
void pass_between(Cursor& at) {
  char passed = 0;
  while (at.take_any(" \t,./-", passed)) {
  }
}

/// A number of one to four digits, with an ordinal's ending or without: 3rd.
bool read_number(Cursor& at, int& value, std::size_t& digits) {
  digits = at.digits_ahead();
  if (digits == 3 || digits > 4 || !at.number(1, 4, value)) return false;
  for (const std::string_view ending : {"st", "nd", "rd", "th"}) {
    if (digits <= 2 && at.rest.starts_with(ending)) at.rest.remove_prefix(2);
  }
  return true;
}

bool follows_clock(const Cursor& at) {
  const std::size_t digits = at.digits_ahead();
  return digits > 0 && digits <= 2 && digits < at.rest.size() && at.rest[digits] == ':';
}

/// Q3 2025, and 2025 Q3 with any separator.
bool read_quarter(std::string_view text, Civil& civil, TimeVerdict& verdict) {
  Cursor at{text};
  int year = 0, quarter = 0;
  char letter = 0;
  const bool year_first = at.digits_ahead() == 4;
  if (year_first) {
    at.number(4, 4, year);
    pass_between(at);
  }
  if (!at.take_any("Qq", letter) || !at.number(1, 1, quarter)) return false;
  if (!year_first) {
    pass_between(at);
    if (!at.number(4, 4, year)) return false;
  }
  if (!at.at_end()) return false;
  verdict = quarter >= 1 && quarter <= 4 ? set_date(year, 3 * quarter - 2, 1, civil) : impossible;
  return true;
}

/// January 2025, Jan-80, 2025 Jan: the month's first instant.
bool read_month_of_year(std::string_view text, Civil& civil, TimeVerdict& verdict) {
  Cursor at{text};
  int year = 0;
  const bool year_first = at.digits_ahead() == 4;
  if (year_first) {
    at.number(4, 4, year);
    pass_between(at);
  }
  const auto month = is_letter(at.peek()) ? read_month_name(at) : std::nullopt;
  if (!month) return false;
  if (!year_first) {
    pass_between(at);
    const std::size_t digits = at.digits_ahead();
    if (digits != 4 && digits != 2) return false;
    at.number(2, 4, year);
    if (digits == 2) year = full_year(year);
  }
  if (!at.at_end()) return false;
  verdict = set_date(year, *month + 1, 1, civil);
  return true;
}

}  // namespace

TimeVerdict read_named(std::string_view text, Civil& civil) {
  TimeVerdict verdict = unreadable;
  if (read_quarter(text, civil, verdict)) return verdict;
  if (read_month_of_year(text, civil, verdict)) return verdict;

  Cursor at{text};
  std::optional<int> weekday;
  if (is_letter(at.peek())) {
    weekday = read_weekday_name(at);
    if (weekday) pass_between(at);
  }
  int values[2] = {0, 0};
  std::size_t digits[2] = {0, 0};
  std::size_t numbers = 0;
  std::optional<int> month;
  Civil clock;
  TimeVerdict clock_verdict = ok;
  bool clock_before_year = false;
  for (int part = 0; part < 3; ++part) {
    // The date of asctime has its year after the clock.
    if (month && numbers == 1 && follows_clock(at)) {
      const std::size_t space = at.rest.find(' ');
      if (space == std::string_view::npos) return unreadable;
      Cursor cursor{at.rest.substr(0, space)};
      clock_verdict = read_free_clock(cursor, clock);
      if (clock_verdict == unreadable) return unreadable;
      at.rest.remove_prefix(space);
      at.spaces();
      clock_before_year = true;
    }
    if (is_letter(at.peek())) {
      if (month) return unreadable;
      month = read_month_name(at);
      if (!month) return unreadable;
    } else {
      if (numbers == 2 || !read_number(at, values[numbers], digits[numbers])) return unreadable;
      ++numbers;
    }
    if (is_letter(at.peek()) && part == 2 && at.peek() != 'T') return unreadable;
    if (part < 2) pass_between(at);
  }
  if (!month || numbers != 2) return unreadable;
  const bool year_first = digits[0] == 4;
  if (year_first ? digits[1] > 2 : digits[1] != 2 && digits[1] != 4) return unreadable;
  const int written_year = year_first ? values[0] : values[1];
  const int year =
      (year_first ? digits[0] : digits[1]) == 2 ? full_year(written_year) : written_year;
  const int day_number = year_first ? values[1] : values[0];

  if (!at.at_end()) {
    char between = 0;
    if (clock_before_year || !at.take_any(" Tt,:", between)) return unreadable;
    at.spaces();
    if (at.rest.starts_with("at ")) at.rest.remove_prefix(3);
    if (at.at_end()) return unreadable;
    clock_verdict = read_free_clock(at, clock);
    if (clock_verdict == unreadable) return unreadable;
  }
  const auto day = day_of(year, *month + 1, day_number);
  if (!day) return impossible;
  if (weekday && std::chrono::weekday(*day).c_encoding() != static_cast<unsigned>(*weekday)) {
    return impossible;
  }
  civil = clock;
  civil.seconds += seconds_of(*day);
  return clock_verdict;
}

}  // namespace zerobeat::detail
