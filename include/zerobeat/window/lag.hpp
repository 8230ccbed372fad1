/// Lags: each reading beside an earlier or later one, and the change between.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <span>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Lag {
  static constexpr std::string_view name = "lag";
  static constexpr std::string_view help = "shifts, and changes against them";
  static constexpr std::string_view example = "lag landings.csv --by 1 --take 'change(landed_kg)'";
  static constexpr TakenBy takes = TakenBy::lags;

  Extents by = 1;                     ///< how far back (ahead): records, or periods
  std::vector<Take> take{};           ///< empty: the lag of every numeric column
  std::int64_t order = 1;             ///< of diff: differences of differences
  std::optional<Period> tolerance{};  ///< how much older the earlier reading may be; unset: any

  friend bool operator==(const Lag&, const Lag&) = default;
};

template <typename Visitor, OptionsOf<Lag> O>
void fields(Visitor&& visit, O& o) {
  visit("by", o.by, "N|PERIOD",
        "how far: so many records, or a period; several, with commas, have names that end in _N or "
        "_PERIOD");
  visit("take", o.take, "TAKES",
        "lag, lead, diff, change, log_return, rate or increase, like diff(level_m); unset: lag");
  visit("order", o.order, "N", "of diff: 2 is the difference of differences, and so on");
  visit("tolerance", o.tolerance, "PERIOD",
        "by a period: how much older than ‹by› says the earlier reading may be; unset: any");
}

/// Returns `timeline` with a column for each take, and of several distances for each of them, after
/// its own, strand by strand.
///
/// By N: the cell N records before (lead: after), missing or not. By a period p: the last reading
/// at or before t - p (lead: the first at or after t + p), unless it is further off than the
/// tolerance; without one, a note counts those more than a typical step off. diff is new - old;
/// change is (new - old) / old, missing when old is 0; log_return is ln(new / old), missing unless
/// both are positive; rate is diff for each second between the two, missing when they are of one
/// time. The difference of integers is an integer where it fits. Of order 2 it is x(t) - 2 x(t -
/// by) + x(t - 2 by), and so on. increase is the sum of a counter's steps since the earlier
/// reading, a fall counting as the new reading; missing where either reading is. Local times that a
/// lag by a calendar period meets go as in shift().
///
/// Cost: one pass for each take.
/// Throws Error when `by` is no length, a take is not one of these, or a tolerance goes with
/// records.
[[nodiscard]] Timeline lag(const Timeline& timeline, const Lag& options);

[[nodiscard]] Reach reach(const Lag& options);

inline Timeline operator|(const Timeline& timeline, const Lag& step) { return lag(timeline, step); }

}  // namespace v1
}  // namespace zerobeat
