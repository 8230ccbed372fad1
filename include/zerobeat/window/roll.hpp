/// Rolling statistics: windows that move along a strand.

#pragma once

#include <optional>
#include <span>
#include <string_view>
#include <vector>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/place.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {

struct Roll {
  static constexpr std::string_view name = "roll";
  static constexpr std::string_view help = "statistics of a window that moves along";
  static constexpr std::string_view example =
      "roll tide_gauge.csv --tolerate 1% --window 2h --take 'mean(level_m)'";
  static constexpr TakenBy takes = TakenBy::windows;

  Extent window{};           ///< a period, or a number of records; only cumsum() needs none
  std::vector<Take> take{};  ///< empty: the mean of every numeric column
  Place place = Place::trailing;
  std::optional<std::int64_t>
      min_count{};  ///< readings; unset: N for a window of N, 1 for a period

  std::optional<Period> restart{};  ///< cumsum() starts again with each such period

  friend bool operator==(const Roll&, const Roll&) = default;
};

template <typename Visitor, OptionsOf<Roll> O>
void fields(Visitor&& visit, O& o) {
  visit("window", o.window, "N|PERIOD", "the window: a number of records or a period");
  visit("take", o.take, "TAKES", "statistics, like mean(level_m); unset: mean");
  visit("place", o.place, choices(o.place), "where the window lies beside its row");
  visit("min-count", o.min_count, "N",
        "fewer readings make the take missing; unset: N for a window of N records, 1 for a period");
  visit("restart", o.restart, "PERIOD",
        "running totals, cumsum(x), start again with each such period, as 1year; they need no "
        "window");
}

/// Returns `timeline` with a column for each take after its own, strand by strand.
///
/// A trailing window of a period w is (t - w, t], a leading one [t, t + w), a centred one
/// (t - w/2, t + w/2]; records of one time all see each other. One of N records ends with its
/// record, starts with it, or has it in the middle, for even N the extra one before. A take with
/// fewer readings than min_count is missing, counts too; unless min_count is given, a count of
/// nothing in a window of a period is 0. count() counts records, and is never missing.
///
/// cumsum(x) is the running total from the strand's start, or, with `restart`, from that of each
/// period by the zone's calendar; a missing reading adds nothing. It is exact for integers, which
/// become numbers when one does not fit, and compensated for numbers (Neumaier 1974).
///
/// Cost a row: constant in the window for count, sum, mean, std, var, min, max, range, first,
/// last and missing; its logarithm for median and quantile. Sums and variances are aggregates of
/// the window's own readings, in two stacks, so that nothing is ever subtracted and nothing
/// drifts; sums are compensated (Knuth's two-sum), variances merged (Chan, Golub, LeVeque 1979).
/// Throws Error when the window is no length or a take is not one of these.
Timeline roll(const Timeline& timeline, const Roll& options);

Reach reach(const Roll& options);

inline Timeline operator|(const Timeline& timeline, const Roll& step) {
  return roll(timeline, step);
}

}  // namespace zerobeat
