/// The table of statistics: a row for each, with its word, what a take of it is written with, the
/// columns it goes with and the steps that have it.
///
/// Everything that lists statistics walks this table: the grammar of takes, the steps, `--help` and
/// the reference. Those that merge have their definition in src/take/merging.hpp, the others in the
/// step that has them.

#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>

namespace zerobeat {

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

/// A row of the table.
struct Statistic {
  Stat stat;
  std::string_view word;
  TakeForm form;
  bool of_any_type;  ///< of columns of any type, not of numbers alone
  TakenBy by;        ///< the steps that have it

  constexpr bool is_taken_by(TakenBy step) const {
    return (static_cast<unsigned>(by) & static_cast<unsigned>(step)) != 0;
  }
};

/// The table, in the order of the enumerators.
inline constexpr std::array statistics{
    Statistic{Stat::count, "count", TakeForm::records, true, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::sum, "sum", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::mean, "mean", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::min, "min", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::max, "max", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::first, "first", TakeForm::column, true, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::last, "last", TakeForm::column, true, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::range, "range", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::median, "median", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::std, "std", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::var, "var", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::distinct, "distinct", TakeForm::column, true,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::mode, "mode", TakeForm::column, true, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::missing, "missing", TakeForm::column, true, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::quantile, "quantile", TakeForm::share, false,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::wmean, "wmean", TakeForm::weights, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::twmean, "twmean", TakeForm::joining, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::integral, "integral", TakeForm::joining, false,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::ohlc, "ohlc", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::time_of_min, "time_of_min", TakeForm::column, false,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::time_of_max, "time_of_max", TakeForm::column, false,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::first_time, "first_time", TakeForm::column, true,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::last_time, "last_time", TakeForm::column, true,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::skewness, "skewness", TakeForm::column, false,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::kurtosis, "kurtosis", TakeForm::column, false,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::mad, "mad", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::slope, "slope", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::duration, "duration", TakeForm::condition, true,
              TakenBy::cells | TakenBy::windows},
    Statistic{Stat::up, "up", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::down, "down", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::at, "at", TakeForm::joining, false, TakenBy::buckets},
    Statistic{Stat::lag, "lag", TakeForm::column, true, TakenBy::lags},
    Statistic{Stat::lead, "lead", TakeForm::column, true, TakenBy::lags},
    Statistic{Stat::diff, "diff", TakeForm::column, false, TakenBy::lags},
    Statistic{Stat::change, "change", TakeForm::column, false, TakenBy::lags},
    Statistic{Stat::log_return, "log_return", TakeForm::column, false, TakenBy::lags},
    Statistic{Stat::rate, "rate", TakeForm::column, false, TakenBy::lags},
    Statistic{Stat::cumsum, "cumsum", TakeForm::column, false, TakenBy::windows},
    Statistic{Stat::corr, "corr", TakeForm::pair, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::cov, "cov", TakeForm::pair, false, TakenBy::cells | TakenBy::windows},
    Statistic{Stat::zscore, "zscore", TakeForm::column, false, TakenBy::windows},
    Statistic{Stat::rank, "rank", TakeForm::column, false, TakenBy::windows},
    Statistic{Stat::ewma, "ewma", TakeForm::decay, false, TakenBy::windows},
    Statistic{Stat::ewvar, "ewvar", TakeForm::decay, false, TakenBy::windows},
    Statistic{Stat::ewsd, "ewsd", TakeForm::decay, false, TakenBy::windows},
    Statistic{Stat::ewvol, "ewvol", TakeForm::decay, false, TakenBy::windows},
    Statistic{Stat::own, "own", TakeForm::column, false, TakenBy::cells | TakenBy::windows},
};

static_assert(
    [] {
      for (std::size_t i = 0; i < statistics.size(); ++i) {
        if (statistics[i].stat != static_cast<Stat>(i)) return false;
      }
      return statistics.size() == static_cast<std::size_t>(Stat::own) + 1;
    }(),
    "a row of the table for each statistic, in their order");

constexpr const Statistic& row_of(Stat stat) { return statistics[static_cast<std::size_t>(stat)]; }
constexpr std::string_view word(Stat stat) { return row_of(stat).word; }
inline std::string to_text(Stat stat) { return std::string(word(stat)); }

/// The statistics that a step has, in the order of the table; "own" among them where it may be.
std::span<const Stat> statistics_of(TakenBy step);

/// Reads a statistic's word. Throws Error naming the nearest one.
void from_text(std::string_view text, Stat& out);

}  // namespace zerobeat
