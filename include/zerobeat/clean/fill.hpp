/// Filling gaps: readings put where there were none.
///
/// Filling never moves or removes a reading, and never touches a time. What it
/// put in is in the account, and, when asked for, in a flag column beside the
/// readings.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/share.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Fill {
  static constexpr std::string_view name = "fill";
  static constexpr std::string_view help = "put readings where there are none";
  static constexpr std::string_view example = "fill landings.csv --how linear --max-gap 1d";

  /// From readings beside the gap, along a curve through all of a strand's, or what they are like
  /// around it.
  enum class How { previous, next, nearest, linear, monotone, spline, mean, median };
  /// One value, the same everywhere.
  struct Constant {
    double value = 0;
    friend bool operator==(const Constant&, const Constant&) = default;
  };
  /// As the readings are at that phase of a period, and a line over what is left.
  struct Seasonal {
    Period period{};
    friend bool operator==(const Seasonal&, const Seasonal&) = default;
  };
  /// By another column: a + b · column.
  struct Like {
    std::string column{};
    friend bool operator==(const Like&, const Like&) = default;
  };
  using Method = std::variant<How, Constant, Seasonal, Like>;
  enum class Ends { open, hold };

  Method how = How::linear;            ///< where a missing reading gets its value
  std::optional<Extent> window{};      ///< of mean and median, centred; unset: the whole strand
  std::optional<Extent> max_gap{};     ///< gaps longer than this stay open; unset: fill all
  Ends ends = Ends::open;              ///< hold: an end that stays open gets the nearest reading
  std::vector<std::string> on{};       ///< which to fill; empty: every numeric column
  bool flag = false;                   ///< add a boolean column A_filled for each
  std::vector<Method> trial{};         ///< instead: try these on readings that are hidden
  std::optional<double> hide{};        ///< the share of readings to hide; unset: a tenth
  std::optional<std::int64_t> seed{};  ///< which are hidden; unset: 1

  friend bool operator==(const Fill&, const Fill&) = default;
};

[[nodiscard]] constexpr auto enum_words(Fill::How) {
  return std::array<std::string_view, 8>{"previous", "next",   "nearest", "linear",
                                         "monotone", "spline", "mean",    "median"};
}
[[nodiscard]] constexpr auto enum_words(Fill::Ends) {
  return std::array<std::string_view, 2>{"open", "hold"};
}

/// Reads "linear", "constant:0", "seasonal:1d" or "like:level_m".
void from_text(std::string_view text, Fill::Method& out);
[[nodiscard]] std::string to_text(const Fill::Method& how);
void from_text(std::string_view text, std::vector<Fill::Method>& out);
[[nodiscard]] std::string to_text(const std::vector<Fill::Method>& methods);

template <typename Visitor, OptionsOf<Fill> O>
void fields(Visitor&& visit, O& o) {
  visit("how", o.how,
        "linear|previous|next|nearest|constant:V|monotone|spline|seasonal:PERIOD|mean|median|"
        "like:COLUMN",
        "where a missing reading gets its value; nearest: of equals the earlier; monotone: a cubic "
        "that does not overshoot; like: a + b · COLUMN");
  visit("window", o.window, "N|PERIOD",
        "of mean and median: a centred window; unset: the whole strand");
  visit("max-gap", o.max_gap, "PERIOD|N", "gaps longer than this stay open; N counts rows");
  visit("ends", o.ends, choices(o.ends),
        "hold: where a strand's end would stay open, the nearest reading");
  visit("on", o.on, "A,B", "which columns to fill; unset: every numeric column");
  visit("flag", o.flag, "", "add a boolean column A_filled for each");
  visit("try", o.trial, "HOW,HOW",
        "fill nothing, but hide readings, fill them each way, and tell how far off each is");
  visit("hide", share_field(o.hide), "SHARE", "of ‹try›: how many readings to hide; unset: 0.1");
  visit("seed", o.seed, "N", "of ‹try›: which ones; unset: 1");
}

/// Returns `timeline` with missing readings filled strand by strand.
///
/// A gap's length is from the last reading before it to the first after it; when max_gap counts
/// rows, its rows. A gap at the start or end of a strand has one side only: `previous` fills at
/// the end, `next` at the start; constant, `mean`, `median` and like at both, the others at
/// neither, except under Ends::hold; its length is from its one reading to the strand's last
/// (first) row.
///
/// `linear` goes by time. `monotone` is the cubic of Fritsch and Butland (1984), `spline` the
/// natural cubic spline, both through all of the strand's readings, those of one instant as their
/// mean. Seasonal: the phase of a row is its time since the start of its period by the zone's
/// clocks, rounded to the strand's typical step; the season at a phase is the mean of its readings
/// less the mean of all phases' means; what is left is filled by lines and the season put back. A
/// phase without readings stays open. Like: least squares over the strand's rows that have both, at
/// least 3. Under `linear` and all below it a column of integers becomes one of numbers, under a
/// constant only when it has a fraction; under `previous`, `next` and `nearest` columns of any type
/// may be named.
///
/// The account tells of each column with gaps what was filled, and the longest gap that was and
/// that was not.
///
/// Cost: a few passes; of a median of windows of w readings log w a row. Memory: one new buffer for
/// each column that changed, and under curves two more.
/// Throws Error when a named column is absent, or not numeric where numbers are needed, or an
/// option does not go with the method.
[[nodiscard]] Timeline fill(const Timeline& timeline, const Fill& options);

/// How far off each of options.trial is: a row for each column and method with `how`, `column`,
/// `hidden` (readings), `filled` (of those), `mae`, `rmse`, `bias` (the mean of filled less true)
/// and `worst` (the largest difference), which are missing when nothing was filled. Readings are
/// hidden in blocks as long as the column's own gaps (single ones when it has none), the same for
/// each method; max_gap and ends hold.
struct FillTrial {
  /// What was hidden of one column, and what each method put there.
  struct Tried {
    std::string column{};
    std::vector<std::size_t> hidden{};            ///< rows, ascending
    std::vector<std::vector<double>> fillings{};  ///< by method, then by hidden row; NaN: open
    std::optional<std::size_t> best{};            ///< the method that comes nearest
  };
  Table table{};
  std::vector<Tried> tried{};
  StepAccount did{};
};
[[nodiscard]] FillTrial try_fill(const Timeline& timeline, const Fill& options);

/// Fills, or tries: then it makes a table.
[[nodiscard]] Made apply(std::span<const Timeline> in, const Fill& options);
[[nodiscard]] inline bool makes_table(const Fill& options) { return !options.trial.empty(); }

/// Ahead as far as it may have to look for the end of a gap.
[[nodiscard]] Reach reach(const Fill& options);

inline Timeline operator|(const Timeline& timeline, const Fill& step) {
  return fill(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
