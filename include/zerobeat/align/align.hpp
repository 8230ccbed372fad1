/// Aligning: all sources on one axis, each column in its own way.
///
/// join() matches records to the rows of one source; align() reads every source at the times of one
/// axis: a grid, all instants that any has, those that all have, or one source's own.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/grid.hpp>
#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Every instant that any source has.
struct AllInstants {
  friend bool operator==(const AllInstants&, const AllInstants&) = default;
};
/// Only those that all sources have.
struct CommonInstants {
  friend bool operator==(const CommonInstants&, const CommonInstants&) = default;
};
/// The times of one source, each once.
struct TimesOf {
  std::string source{};
  friend bool operator==(const TimesOf&, const TimesOf&) = default;
};

/// What the axis is; a Period is a grid. Nothing stands for none given.
using Onto = std::variant<std::monostate, Period, AllInstants, CommonInstants, TimesOf>;

/// Reads "15min", "union", "common" or the name of a source.
void from_text(std::string_view text, Onto& out);
[[nodiscard]] std::string to_text(const Onto& onto);

/// How columns come onto the axis: all numeric ones, those of a source, or one.
struct Method {
  /// A reading at, before or after a time, or between two; from sum on a statistic of the readings
  /// in a grid's bucket.
  enum class How {
    exact,
    previous,
    next,
    nearest,
    linear,
    sum,
    mean,
    count,
    min,
    max,
    first,
    last,
    median
  };

  std::string source{};  ///< empty: of every source
  std::string column{};  ///< empty: every numeric column
  How how = How::linear;

  friend bool operator==(const Method&, const Method&) = default;
};

[[nodiscard]] constexpr auto enum_words(Method::How) {
  return std::array<std::string_view, 13>{"exact", "previous", "next",  "nearest", "linear",
                                          "sum",   "mean",     "count", "min",     "max",
                                          "first", "last",     "median"};
}

/// Reads "previous", "tide:mean" or "tide:level_m=max". Throws Error naming the nearest method.
void from_text(std::string_view text, Method& out);
[[nodiscard]] std::string to_text(const Method& method);
void from_text(std::string_view text, std::vector<Method>& out);
[[nodiscard]] std::string to_text(const std::vector<Method>& methods);

struct Align {
  static constexpr std::string_view name = "align";
  static constexpr std::string_view help = "all sources on one axis";
  static constexpr std::string_view example =
      "align tide_gauge.csv landings.csv --tolerate tide_gauge:1% --onto 1d --how landings:sum";
  static constexpr Inputs inputs{2, Inputs::any};

  enum class Span { all, common };

  Onto onto{};                             ///< must be given
  Span span = Span::all;                   ///< from where to where
  std::vector<Method> how{};               ///< the more specific one wins
  std::optional<Period> tolerance{};       ///< how far a reading may lie, inclusive
  std::optional<Moment> anchor{};          ///< an edge of the grid
  std::optional<WeekStart> week_starts{};  ///< unset: Monday

  friend bool operator==(const Align&, const Align&) = default;
};

[[nodiscard]] constexpr auto enum_words(Align::Span) {
  return std::array<std::string_view, 2>{"all", "common"};
}

template <typename Visitor, OptionsOf<Align> O>
void fields(Visitor&& visit, O& o) {
  visit("onto", o.onto, "PERIOD|union|common|NAME",
        "the axis: a grid, every instant of any source, those that all have, or one source's");
  visit("span", o.span, choices(o.span),
        "from the first to the last record of any source, or only where all have begun and none "
        "has ended");
  visit(
      "how", o.how, "METHODS",
      "METHOD, NAME:METHOD or NAME:COLUMN=METHOD: exact, previous, next, nearest, linear, or on a "
      "grid sum, mean, count, min, max, first, last, median; unset: linear, of what is no number "
      "previous");
  visit("tolerance", o.tolerance, "PERIOD", "how far a reading may lie from the time, inclusive");
  visit("anchor", o.anchor, "T", "an edge of the grid");
  visit("week-starts", o.week_starts, "mon|tue|wed|thu|fri|sat|sun",
        "the first day of a week; unset: mon");
}

/// Returns the columns of all timelines at the times of one axis, strand by strand.
///
/// Strands go together by key, and a timeline without a key goes with every strand; each strand has
/// its own axis, of the strands of its key. On a grid the first edge is, under Span::all, the last
/// at or before the earliest first record, under Span::common the first at or after the latest one;
/// the last edge is the last at or before the latest (common: the earliest) last record. Other axes
/// are cut to the common span, too; no overlap is no rows.
///
/// A value comes from readings: what is missing is passed over; of several at one time the last
/// counts. Readings lie within the tolerance, for linear both. On a grid a row at edge e has a
/// statistic of [e, e + P), and a column keeps its name under it. A method for a source is for its
/// numeric columns. Names that clash get _NAME on every side.
///
/// Cost: linear in the rows of all and of the axis, for each column; a median selects.
/// Throws Error when there is no axis or no source of that name, the grid would have more than 10^9
/// rows, a method names what is not there or does not go with a column or without a grid, or the
/// timelines have no common kind of axis.
[[nodiscard]] Timeline align(std::span<const Timeline> timelines, const Align& options);

[[nodiscard]] Made apply(std::span<const Timeline> in, const Align& options);

[[nodiscard]] Reach reach(const Align& options);

}  // namespace v1
}  // namespace zerobeat
