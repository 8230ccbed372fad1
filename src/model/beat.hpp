/// Beats: whether the rows of a strand follow each other evenly, and how.

#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/calendar.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// How the rows of a strand follow each other.
struct Beat {
  enum class Kind { none, fixed, days, working_days, months };

  Kind kind = Kind::none;  ///< none: of a strand of one row, or of none
  std::int64_t step = 0;   ///< nanoseconds, days, working days or months
  /// Of months the day that the rows stand at, or the last of a shorter month.
  unsigned day = 0;
  std::chrono::local_time<Nanoseconds> first{};  ///< of a calendar beat, on the zone's clocks
};

/// What a beat may be.
struct BeatOptions {
  bool by_rows = false;                ///< rows are taken as they come
  std::optional<Calendar> calendar{};  ///< of working days
};

/// The beat of a strand: of months, of days of the zone (working days where there is a calendar),
/// or fixed, the first that fits all of its rows; under `by_rows` the typical step.
/// Throws Error of kind limit when none fits, naming the first step that differs.
[[nodiscard]] Beat beat_of(const Timeline& timeline, const Strand& strand,
                           const BeatOptions& options);

/// So many rows as a season has: as it says, or as many as a period of that usual length holds (a
/// year of months 12, of days 365). Throws Error of kind usage when that is no whole number, or
/// below 2.
[[nodiscard]] std::int64_t rows_of_season(const Extent& season, const Beat& beat,
                                          const Calendar* calendar);

/// The times of so many rows after a strand's last; none without a beat. Under `by_rows` of whole
/// days a calendar still says which. Throws Error of kind limit when they leave what an instant
/// holds.
[[nodiscard]] std::vector<Instant> instants_ahead(const Timeline& timeline, const Strand& strand,
                                                  const Beat& beat, const BeatOptions& options,
                                                  std::int64_t count);

/// No more rows ahead than these are asked for at once.
constexpr std::int64_t most_rows_ahead = 1'000'000;

/// How many of them lie within a period after the last, at most that many.
[[nodiscard]] std::int64_t rows_within(const Timeline& timeline, const Strand& strand,
                                       const Beat& beat, const BeatOptions& options,
                                       const Period& period);

/// "every 15min", "monthly", for messages.
[[nodiscard]] std::string beat_text(const Beat& beat);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
