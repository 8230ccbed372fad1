#include "time/civil_parts.hpp"
#include "time/civil_text.hpp"

namespace zerobeat::inline v1::detail {

using enum TimeVerdict;

namespace {

/// hh[:mm[:ss[.f]]] or hhmm[ss[.f]], then an offset or nothing, then the end.
TimeVerdict read_iso_clock(Cursor& at, Civil& civil) {
  int h = 0, m = 0, s = 0;
  if (!at.number(2, 2, h)) return unreadable;
  bool has_seconds = false;
  char mark = 0;
  if (at.take_any(":.", mark)) {
    if (!at.number(2, 2, m)) return unreadable;
    if (at.take(mark)) {
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
    if (at.take('W') || at.take('w')) {
      d = 1;
      if (!at.number(2, 2, week)) return unreadable;
      to_the_day = at.take('-');
      if (to_the_day && !at.number(1, 1, d)) return unreadable;
      verdict = set_week(y, week, d, civil);
    } else if (at.take('Q') || at.take('q')) {
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
  } else if (at.take('M')) {
    // 2025M01, as tables of statistics have months.
    if (!at.number(1, 2, m) || !at.at_end()) return unreadable;
    return m >= 1 && m <= 12 ? set_date(y, m, 1, civil) : impossible;
  } else if (at.take('W') || at.take('w')) {
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

}  // namespace zerobeat::detail
