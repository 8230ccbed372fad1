/// The table of statistics: a row for each, with its word, what a take of it is written with, the
/// columns it goes with, what it needs, what comes of it, and the steps that have it.
///
/// Everything that lists statistics walks this table: the grammar of takes, the steps, `--help` and
/// the reference. A row stands with its definition in src/take/definitions.hpp, from which buckets,
/// profiles, spells and windows take it.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A place in the table. Those that code speaks of have names.
enum class Stat : std::uint8_t {
  count,
  sum,
  mean,
  min,
  max,
  first,
  last,
  range,
  median,
  std,
  var,
  distinct,
  mode,
  missing,
  quantile,
  wmean,
  twmean,
  integral,
  ohlc,
  time_of_min,
  time_of_max,
  first_time,
  last_time,
  skewness,
  kurtosis,
  mad,
  slope,
  duration,
  up,
  down,
  at,
  lag,
  lead,
  diff,
  change,
  log_return,
  rate,
  cumsum,
  corr,
  cov,
  zscore,
  rank,
  ewma,
  ewvar,
  ewsd,
  ewvol,
  own,  ///< a function of the program's; it has no text
};

/// What a take is written with, besides its column.
enum class TakeForm : std::uint8_t {
  column,     ///< mean(x)
  records,    ///< nothing at all, or a column: count(), count(x)
  share,      ///< quantile(x,0.95)
  weights,    ///< a second column: wmean(x,w)
  condition,  ///< duration(x > 3.5)
  joining,    ///< step or linear, or neither: twmean(x,linear)
  pair,       ///< another column: corr(x,y)
  decay,      ///< what is left of a weight, or a half-life: ewma(x,0.94), ewma(x,1h)
};

/// The steps that have a statistic: cells are buckets, parts of profiles and spells.
enum class TakenBy : std::uint8_t {
  buckets = 1,
  profiles = 2,
  spells = 4,
  cells = 7,
  windows = 8,
  lags = 16
};

constexpr TakenBy operator|(TakenBy a, TakenBy b) {
  return static_cast<TakenBy>(static_cast<unsigned>(a) | static_cast<unsigned>(b));
}

/// What a statistic looks at, besides the readings that there are.
enum class Needs : std::uint8_t {
  readings,  ///< nothing else
  times,     ///< their times
  pairs,     ///< readings of a second column, in rows that have both
  before,    ///< the reading before each, in the strand
  standing,  ///< how long each reading stood
  past,      ///< all readings up to the row
  own,       ///< the row's own reading
  distance,  ///< the reading at a distance, before or after
};

/// What comes of it.
enum class Result : std::uint8_t {
  number,   ///< a number; not a number where there is none
  exact,    ///< the same, of whole numbers a whole one where all fit
  count,    ///< a whole number; of nothing 0, unless it needs the reading before
  reading,  ///< one of the readings, of the column's own type
  time,     ///< the time of one
};

/// A row of the table.
struct Statistic {
  std::string_view word;
  TakeForm form = TakeForm::column;
  bool of_any_type = false;  ///< of columns of any type, not of numbers alone
  Result result = Result::number;
  Needs needs = Needs::readings;
  std::int64_t least = 1;  ///< of fewer readings there is none; counts are of any number
  TakenBy by = TakenBy::cells | TakenBy::windows;  ///< the steps that have it
  Stat stat{};                                     ///< its place in the table

  [[nodiscard]] constexpr bool is_taken_by(TakenBy step) const {
    return (static_cast<unsigned>(by) & static_cast<unsigned>(step)) != 0;
  }
};

/// The table: the rows of the definitions in src/take/definitions.hpp, in their order. The first of
/// them have names in Stat; a new one needs none.
[[nodiscard]] std::span<const Statistic> statistics();

/// The row of a statistic.
[[nodiscard]] const Statistic& row_of(Stat stat);
[[nodiscard]] inline std::string_view word(Stat stat) { return row_of(stat).word; }
[[nodiscard]] inline std::string to_text(Stat stat) { return std::string(word(stat)); }

/// The statistics that a step has, in the order of the table; "own" among them where it may be.
[[nodiscard]] std::span<const Stat> statistics_of(TakenBy step);

/// Reads a statistic's word. Throws Error naming the nearest one.
void from_text(std::string_view text, Stat& out);

}  // namespace v1
}  // namespace zerobeat
