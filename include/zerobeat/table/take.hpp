/// Takes: named statistics of columns, such as mean(level_m).
///
/// One grammar serves resampling, windows and lags:
/// `[NAME=]STAT(COLUMN[,ARGUMENT])`, separated by commas; `STAT` alone means
/// every numeric column.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/error.hpp>
#include <zerobeat/table/table.hpp>

namespace zerobeat {

enum class Stat {
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
  lag,
  lead,
  diff,
  change,
  log_return,
  rate,
};

constexpr auto enum_words(Stat) {
  return std::array<std::string_view, 27>{
      "count",    "sum",    "mean",   "min",      "max",        "first",       "last",
      "range",    "median", "std",    "var",      "distinct",   "mode",        "missing",
      "quantile", "wmean",  "twmean", "integral", "ohlc",       "time_of_min", "time_of_max",
      "lag",      "lead",   "diff",   "change",   "log_return", "rate"};
}

constexpr std::string_view word(Stat stat) {
  return enum_words(stat)[static_cast<std::size_t>(stat)];
}

/// A named statistic of a column.
struct Take {
  Stat stat = Stat::mean;
  std::string column{};     ///< empty: every numeric column; or, of count, the records
  std::string weights{};    ///< of wmean: the column of weights
  double share = 0;         ///< of quantile: 0 to 1
  std::string name{};       ///< of the result; empty: made from the column and the statistic
  bool of_records = false;  ///< count(): the records, not the readings of a column

  /// The same take with another name: mean("level_m").as("level").
  Take as(std::string new_name) const;

  /// The name of the result. Of ohlc, what stands before _open, _high, _low and _close.
  std::string result_name() const;

  friend bool operator==(const Take&, const Take&) = default;
};

Take count();
Take count(std::string column);
Take sum(std::string column);
Take mean(std::string column);
Take min(std::string column);
Take max(std::string column);
Take first(std::string column);
Take last(std::string column);
Take range(std::string column);
Take median(std::string column);
Take std_of(std::string column);
Take var(std::string column);
Take distinct(std::string column);
Take mode(std::string column);
Take missing(std::string column);
Take quantile(std::string column, double share);
Take wmean(std::string column, std::string weights);
Take twmean(std::string column);
Take integral(std::string column);
Take ohlc(std::string column);
Take time_of_min(std::string column);
Take time_of_max(std::string column);
Take lag(std::string column);
Take lead(std::string column);
Take diff(std::string column);
Take change(std::string column);
Take log_return(std::string column);
Take rate(std::string column);

/// Reads one take. Throws Error naming what is wrong and what would be right.
void from_text(std::string_view text, Take& out);
std::string to_text(const Take& take);

/// Reads takes separated by commas.
void from_text(std::string_view text, std::vector<Take>& out);
std::string to_text(const std::vector<Take>& takes);

/// The takes of `takes` over the columns of `table`: those of every numeric column written out,
/// columns looked up. `otherwise` stands for no takes. Throws Error when a column is absent, a
/// statistic does not go with its type, two results would have one name or one the name of
/// `time_name` or `key_name`, or a statistic is not in `allowed`, which `step` names.
std::vector<Take> resolve_takes(const std::vector<Take>& takes, const Table& table, Stat otherwise,
                                std::span<const Stat> allowed, std::string_view step,
                                const std::string& time_name, const std::string& key_name);

/// The columns that the takes name, to read no more than is needed; nullopt when they need every
/// numeric one.
std::optional<std::vector<std::string>> columns_of(const std::vector<Take>& takes);

}  // namespace zerobeat
