/// Calendars from files: a list of dates, or an iCalendar file.
///
/// Threads may call these at the same time, each with outputs of its own.

#pragma once

#include <zerobeat/base/export.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// The calendar that the options ask for; the plain one when they ask for none.
///
/// A file of dates has an ISO 8601 date at the start of each line; what follows a comma,
/// semicolon, tab or space is passed over, as are blank lines, lines that start with # and a
/// header. Of an iCalendar file (RFC 5545) the all-day events count, with their rules, further
/// dates and exceptions; cancelled ones do not, nor do those at a time of day. Rules without an
/// end are followed until 2262.
///
/// Throws Error of kind input when the file is absent, is neither of the two, or names no day.
[[nodiscard]] Calendar read_calendar(const WorkingDays& options);

/// The same with its calendar, for a step's `days`: {.every = "1d", .days = working_days({.holidays
/// = "holidays.ics"})}.
[[nodiscard]] WorkingDays working_days(WorkingDays options);

}  // namespace v1
}  // namespace zerobeat
