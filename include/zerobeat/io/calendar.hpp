/// Calendars from files: a list of dates, or an iCalendar file.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <zerobeat/option.hpp>
#include <zerobeat/time/calendar.hpp>

namespace zerobeat {

/// Which days are worked; unset altogether: all of them.
struct WorkingDays {
  std::string holidays{};            ///< a file of dates, or an iCalendar file
  std::optional<Weekend> weekend{};  ///< unset: sat,sun when there are holidays

  bool given() const { return !holidays.empty() || weekend.has_value(); }
  friend bool operator==(const WorkingDays&, const WorkingDays&) = default;
};

template <typename Visitor, OptionsOf<WorkingDays> O>
void fields(Visitor&& visit, O& o) {
  visit("holidays", o.holidays, "FILE",
        "days that are not worked: a date at the start of each line, or iCalendar (.ics)");
  visit("weekend", o.weekend, "DAYS",
        "weekdays that are not worked, or none; unset: sat,sun with --holidays");
}

/// The calendar that the options ask for; the plain one when they ask for none.
///
/// A file of dates has an ISO 8601 date at the start of each line; what follows a comma,
/// semicolon, tab or space is passed over, as are blank lines, lines that start with # and a
/// header. Of an iCalendar file (RFC 5545) the all-day events count, with their rules, further
/// dates and exceptions; cancelled ones do not, nor do those at a time of day. Rules without an
/// end are followed until 2262.
///
/// Throws Error of kind input when the file is absent, is neither of the two, or names no day.
Calendar read_calendar(const WorkingDays& options);

}  // namespace zerobeat
