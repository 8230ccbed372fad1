/// Rhythm: whether a strand is regular, at what period, and how much of it is absent.
///
/// A period is found in the words of the calendar where it fits: monthly, on
/// weekdays, every 15 min. Times that pause at the same hours day after day are
/// recorded in sessions, and the pauses are told from gaps.
///
/// Threads may read these at the same time; references live as long as what gave them.

#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/chosen_days.hpp>
#include <zerobeat/time/grid.hpp>
#include <zerobeat/time/period.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Hours of the day outside which a strand has no records.
struct Sessions {
  std::chrono::minutes from{};   ///< by the zone's clocks
  std::chrono::minutes until{};  ///< no later than `from`: past midnight
  std::int64_t pauses = 0;       ///< gaps that are the time between one session and the next

  friend bool operator==(const Sessions&, const Sessions&) = default;
};

/// "22:00-06:00", as options take hours.
[[nodiscard]] std::string to_text(const Sessions& sessions);

struct Rhythm {
  Period period{};                     ///< zero: irregular
  std::optional<Weekdays> weekdays{};  ///< of one of a day: when only some have records
  bool working_days = false;           ///< of one of a day: on the calendar's working days
  std::int64_t places = 0;             ///< of the period, from the first record to the last
  std::int64_t absent = 0;             ///< of those, without a record
  std::optional<Sessions> sessions{};

  [[nodiscard]] bool is_regular() const { return !period.is_zero(); }
  friend bool operator==(const Rhythm&, const Rhythm&) = default;
};

/// "monthly, 2 of 120 months missing", "every 15 min", "daily on mon-fri, 5 of 262 days missing",
/// "irregular, in sessions 22:00-06:00".
[[nodiscard]] std::string to_text(const Rhythm& rhythm);

/// The rhythm of ascending instants.
///
/// Regular at a fixed period: at least 95% of the steps are whole multiples of the typical one, to
/// a hundredth of it, and at least 60% are that step itself. Of steps of 20 hours and longer the
/// zone's calendar is asked first: days apart at one clock time, or months apart at one day (a day
/// that a month lacks is its last) and clock time, for 95% of the records. Under a calendar that is
/// not plain, and where whole weekdays never have records, the days between do not count. At least
/// four instants, and half of the places, are needed.
///
/// Sessions: an hour or longer of the day, by the zone's clocks, at which (but for one day in
/// fifty) nothing is recorded, on at least three days (four hours or longer: two), and most days.
///
/// Cost: one pass over the times, none when every step is the typical one; memory: the gaps.
[[nodiscard]] Rhythm rhythm_of(std::span<const Instant> times, const Zone& zone,
                               double gap_factor = 3, const Calendar& calendar = {});

}  // namespace v1
}  // namespace zerobeat
