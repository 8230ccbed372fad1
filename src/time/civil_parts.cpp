#include "time/civil_parts.hpp"

#include <array>

#include "time/civil_names.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using namespace std::chrono;
using enum TimeVerdict;

constexpr char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }

bool starts_with_word(std::string_view text, std::string_view word) {
  if (text.size() < word.size()) return false;
  for (std::size_t i = 0; i < word.size(); ++i) {
    if (lower(text[i]) != lower(word[i])) return false;
  }
  return true;
}

template <std::size_t N>
std::optional<int> read_name(Cursor& at, const std::array<std::string_view, N>& names) {
  for (const std::size_t most : {std::string_view::npos, std::size_t{4}, std::size_t{3}}) {
    for (std::size_t i = 0; i < N; ++i) {
      const std::string_view name = names[i].substr(0, most);
      if (most == 4 && name != "Sept") continue;
      if (!starts_with_word(at.rest, name)) continue;
      at.rest.remove_prefix(name.size());
      return static_cast<int>(i);
    }
  }
  return std::nullopt;
}

/// The zones that RFC 2822 gives names to (4.3), and UTC.
bool read_zone_word(Cursor& at, Civil& civil) {
  struct Named {
    std::string_view word;
    int hours;
  };
  static constexpr Named zones[] = {{"gmt", 0},  {"utc", 0},  {"ut", 0},   {"est", -5},
                                    {"edt", -4}, {"cst", -6}, {"cdt", -5}, {"mst", -7},
                                    {"mdt", -6}, {"pst", -8}, {"pdt", -7}};
  for (const auto& zone : zones) {
    if (!starts_with_word(at.rest, zone.word)) continue;
    if (at.rest.size() > zone.word.size() && is_letter(at.rest[zone.word.size()])) continue;
    at.rest.remove_prefix(zone.word.size());
    civil.offset = zone.hours * 3600;
    civil.has_offset = true;
    return true;
  }
  return false;
}

}  // namespace

std::int64_t seconds_of(sys_days day) { return sys_seconds(day).time_since_epoch().count(); }

std::optional<sys_days> day_of(int y, int m, int d) {
  const year_month_day date{year(y), month(static_cast<unsigned>(m)),
                            day(static_cast<unsigned>(d))};
  if (!date.ok()) return std::nullopt;
  return sys_days(date);
}

TimeVerdict set_date(int y, int m, int d, Civil& civil) {
  const auto day = day_of(y, m, d);
  if (!day) return impossible;
  civil.seconds = seconds_of(*day);
  return ok;
}

TimeVerdict set_ordinal(int y, int day_number, Civil& civil) {
  const int length = year(y).is_leap() ? 366 : 365;
  if (day_number < 1 || day_number > length) return impossible;
  civil.seconds = seconds_of(sys_days(year(y) / January / 1) + days(day_number - 1));
  return ok;
}

TimeVerdict set_week(int y, int week, int weekday_number, Civil& civil) {
  if (week < 1 || weekday_number < 1 || weekday_number > 7) return impossible;
  const local_days start = first_iso_monday(y) + days(7 * (week - 1));
  if (start >= first_iso_monday(y + 1)) return impossible;
  civil.seconds = seconds_of(sys_days((start + days(weekday_number - 1)).time_since_epoch()));
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

TimeVerdict read_free_clock(Cursor& at, Civil& civil) {
  at.spaces();
  if (at.at_end()) return ok;
  int h = 0, minute = 0, s = 0;
  if (!at.number(1, 2, h)) return unreadable;
  // 10:06:30, and 10.06.30 as it is written in some countries.
  char mark = 0;
  if (at.take_any(":.", mark)) {
    if (!at.number(2, 2, minute) || is_digit(at.peek())) return unreadable;
    if (at.take(mark)) {
      if (!at.number(2, 2, s)) return unreadable;
      char point = 0;
      if (at.take_any(".,", point) && !read_fraction(at, civil)) return unreadable;
    }
  } else if (at.peek() != ' ' && !is_letter(at.peek())) {
    return unreadable;
  }
  at.spaces();
  TimeVerdict clock = ok;
  if (const auto afternoon = read_half_of_day(at)) {
    if (h < 1 || h > 12) clock = impossible;
    h = h % 12 + (*afternoon ? 12 : 0);
    at.spaces();
  }
  if (clock == ok) clock = add_clock(h, minute, s, civil);
  if (!at.at_end() && !read_zone_word(at, civil)) {
    const TimeVerdict offset = read_offset(at, civil);
    if (offset == unreadable) return unreadable;
    if (clock == ok) clock = offset;
  }
  // A comment after the offset, as RFC 2822 allows: (UTC).
  at.spaces();
  if (at.peek() == '(' && at.rest.back() == ')') at.rest = {};
  return at.at_end() ? clock : unreadable;
}

std::optional<int> read_month_name(Cursor& at) { return read_name(at, month_names); }
std::optional<int> read_weekday_name(Cursor& at) { return read_name(at, weekday_names); }

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

}  // namespace zerobeat::detail
