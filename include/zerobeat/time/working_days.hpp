/// Working days as they are asked for: a weekend, and a file of holidays.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <functional>
#include <optional>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/calendar.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Which days are worked; unset altogether: all of them. A file is read by working_days() of
/// io/calendar.hpp, or by a plan when it runs; a weekend alone needs none.
struct WorkingDays {
  InFile holidays{};                   ///< a file of dates, or an iCalendar file
  std::optional<Weekend> weekend{};    ///< unset: sat,sun when there are holidays
  std::optional<Calendar> calendar{};  ///< what they come to, when the file was read

  [[nodiscard]] bool given() const {
    return !holidays.empty() || weekend.has_value() || calendar.has_value();
  }
  /// The calendar that they come to; none when nothing is given. Throws Error of kind usage when
  /// there is a file that was not read.
  [[nodiscard]] std::optional<Calendar> read() const;
  friend bool operator==(const WorkingDays&, const WorkingDays&) = default;
};

/// Reads what options name files for. A run's reads them (see io/calendar.hpp); that of a look at
/// a plan touches none, and makes of them what there is without.
struct InputReader {
  std::function<Calendar(const WorkingDays&)> calendar;
};

/// Gives options with working days their calendar.
template <typename Options>
void read_working_days(Options& options, const InputReader& reader) {
  if (options.days.given()) options.days.calendar = reader.calendar(options.days);
}

template <typename Visitor, OptionsOf<WorkingDays> O>
void fields(Visitor&& visit, O& o) {
  visit("holidays", o.holidays, "FILE",
        "days that are not worked: a date at the start of each line, or iCalendar (.ics)");
  visit("weekend", o.weekend, "DAYS",
        "weekdays that are not worked, or none; unset: sat,sun with ‹holidays›");
}

}  // namespace v1
}  // namespace zerobeat
