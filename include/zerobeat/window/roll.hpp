/// Rolling statistics: windows that move along a strand.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <initializer_list>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/place.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// How the records of a window weigh in its mean, the earliest first.
struct WindowWeights {
  enum class Shape {
    equal,
    given,
    triangle,  ///< 1, 2, …, 2, 1
    split      ///< of an even N: N + 1 records, the two at the ends with half weight
  };
  Shape shape = Shape::equal;
  std::vector<double> given{};

  WindowWeights() = default;
  WindowWeights(Shape held) : shape(held) {}  // NOLINT: meant to convert
  WindowWeights(std::initializer_list<double> all)
      : shape(Shape::given), given(all) {}  // NOLINT: meant to convert

  friend bool operator==(const WindowWeights&, const WindowWeights&) = default;
};

template <>
inline constexpr bool takes_lists<WindowWeights> = true;

/// Reads "1,2,1", "triangle" or "split". Throws Error when a weight is no finite number, or all of
/// them come to nothing.
void from_text(std::string_view text, WindowWeights& out);
[[nodiscard]] std::string to_text(const WindowWeights& weights);

struct Roll {
  static constexpr std::string_view name = "roll";
  static constexpr std::string_view help = "statistics of a window that moves along";
  static constexpr std::string_view example =
      "roll tide_gauge.csv --tolerate 1% --window 2h --take 'mean(level_m)'";
  static constexpr TakenBy takes = TakenBy::windows;

  Extents window{};              ///< of periods, or of numbers of records; cumsum() needs none
  std::vector<Take> take{};      ///< empty: the mean of every numeric column
  std::optional<Place> place{};  ///< unset: trailing; centred when the weights are split
  std::optional<std::int64_t>
      min_count{};  ///< readings; unset: N for a window of N, 1 for a period

  WindowWeights weights{};          ///< of means, in windows of records
  std::optional<Period> restart{};  ///< cumsum(), ewma() and their like start again with each

  friend bool operator==(const Roll&, const Roll&) = default;
};

template <typename Visitor, OptionsOf<Roll> O>
void fields(Visitor&& visit, O& o) {
  visit("window", o.window, "N|PERIOD",
        "the window: a number of records or a period; several, with commas, have names that end in "
        "_N "
        "or _PERIOD");
  visit("take", o.take, "TAKES", "statistics, like mean(level_m); unset: mean");
  visit("place", o.place, choices(Place{}),
        "where the window lies beside its row; unset: trailing");
  visit("min-count", o.min_count, "N",
        "fewer readings make the take missing; unset: N for a window of N records, 1 for a period");
  visit(
      "weights", o.weights, "W,W|triangle|split",
      "of mean, in windows of N records: a weight for each, the earliest record's first; triangle: "
      "1,2 and so on to 2,1; split, of an even N, centred: N+1 records, the two at the ends with "
      "half "
      "weight");
  visit("restart", o.restart, "PERIOD",
        "cumsum(x), ewma(x,A) and their like start again with each such period, as 1year; they "
        "need no window");
}

/// Returns `timeline` with a column for each take, and of several windows for each of them, after
/// its own, strand by strand.
///
/// A trailing window of a period w is (t - w, t], a leading one [t, t + w), a centred one
/// (t - w/2, t + w/2]; records of one time all see each other. One of N records ends with its
/// record, starts with it, or has it in the middle, for even N the extra one before. Local times
/// that a window of a calendar period begins or ends at go as in shift(). A take with fewer
/// readings than min_count is missing, counts too; unless min_count is given, a count of nothing in
/// a window of a period is 0. count() counts records, and is never missing. Of two columns the rows
/// that have both count.
///
/// up and down compare with the strand's reading before, also one outside the window. In twmean,
/// integral and duration, which go with windows of a period, a reading stands until the next one,
/// the strand's last one for one typical step, and none beyond the window's end; one from before
/// the window stands into it, and counts. zscore and rank are missing where the row's own reading
/// is. A function of the program's sees the window's readings and their times.
///
/// ewma, ewvar, ewsd and ewvol see all readings up to the row, whatever the window, and have a
/// value at rows without one. cumsum(x) is the running total from the strand's start. With
/// `restart` both begin anew with each period by the zone's calendar; a missing reading adds
/// nothing.
///
/// Whole numbers stay exact in sum, cumsum, min, max, range, first, last, mode, distinct and rank,
/// and become numbers where one does not fit.
///
/// Cost a row: constant in the window, but for median, quantile, mad, mode and rank, which take its
/// logarithm, weights and functions of the program's, which take its length. Memory: the result and
/// some blocks of rows. Sums, moments and extremes are put together from what was added up once
/// before and once after a middle, so that nothing is ever subtracted and nothing drifts
/// (src/take/window_sums.hpp); squares are of differences from a reading of the window itself.
/// Throws Error when a window is no length, weights do not go with it, or a take is not one of
/// these.
[[nodiscard]] Timeline roll(const Timeline& timeline, const Roll& options);

[[nodiscard]] Reach reach(const Roll& options);

inline Timeline operator|(const Timeline& timeline, const Roll& step) {
  return roll(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
