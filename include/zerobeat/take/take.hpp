/// Takes: named statistics of columns, such as mean(level_m).
///
/// One grammar serves resampling, windows and lags:
/// `[NAME=]STAT(COLUMN[,ARGUMENT])`, separated by commas; `STAT` alone means
/// every numeric column.

#pragma once

#include <array>
#include <concepts>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/table/table.hpp>
#include <zerobeat/take/statistic.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {

/// What is between two readings: the earlier one until the later, or a line from one to the other.
enum class Joining { step, linear };

constexpr auto enum_words(Joining) { return std::array<std::string_view, 2>{"step", "linear"}; }

/// What a reading is compared with: `> 3.5`, `= true`, `!= open`.
struct Condition {
  enum class Sign { more, at_least, less, at_most, equal, unequal };

  Sign sign = Sign::more;
  std::string value{};

  friend bool operator==(const Condition&, const Condition&) = default;
};

constexpr auto enum_words(Condition::Sign) {
  return std::array<std::string_view, 6>{">", ">=", "<", "<=", "=", "!="};
}

/// A statistic that a program brings: of the readings of a bucket or a window that are not missing,
/// in order of time, and their times. Not a number is missing. Called from several threads at once.
using OwnStatistic =
    std::function<double(std::span<const Instant> times, std::span<const double> readings)>;

/// How weights of age fall: to a share of themselves with each record, or to half of themselves
/// with each half-life.
struct Decay {
  double share = 0;    ///< between 0 and 1; 0: by the half-life
  Period half_life{};  ///< of fixed units, or of days, which are 24 hours then

  friend bool operator==(const Decay&, const Decay&) = default;
};

/// A named statistic of a column.
struct Take {
  Stat stat = Stat::mean;
  std::string column{};     ///< empty: every numeric column; or, of count, the records
  std::string with{};       ///< of wmean: the column of weights; of corr and cov: the other column
  double share = 0;         ///< of quantile: 0 to 1
  Joining joining{};        ///< of twmean, integral and at
  Condition condition{};    ///< of duration
  Decay decay{};            ///< of ewma, ewvar, ewsd and ewvol
  std::string name{};       ///< of the result; empty: made from the column and the statistic
  bool of_records = false;  ///< count(): the records, not the readings of a column
  std::string source{};     ///< of which of several timelines, by name; empty: of each
  std::shared_ptr<const OwnStatistic> function{};  ///< of own

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
Take twmean(std::string column, Joining joining = Joining::step);
Take integral(std::string column, Joining joining = Joining::step);
Take ohlc(std::string column);
Take time_of_min(std::string column);
Take time_of_max(std::string column);
/// The times of a bucket's first and last reading.
Take first_time(std::string column);
Take last_time(std::string column);
/// Of the moments about the mean (n in the divisor): m3 / m2^1.5, and m4 / m2^2, which is 3 for a
/// normal distribution. Missing when all readings are equal.
Take skewness(std::string column);
Take kurtosis(std::string column);
/// The root of the mean of the squares.
Take rms(std::string column);
/// The coefficient of variation: the deviation (n - 1) over the absolute mean; missing when that is
/// 0.
Take cv(std::string column);
/// The median absolute deviation from the median.
Take mad(std::string column);
/// Of the straight line of least squares through the readings, per second.
Take slope(std::string column);
/// For how many seconds the reading that stood met a condition.
Take duration(std::string column, Condition::Sign sign, std::string value);
/// How many readings were higher, or lower, than the strand's reading before them.
Take up(std::string column);
Take down(std::string column);
/// The value at the instant that labels the row: of the reading that stands there, or on the line.
Take at_row(std::string column, Joining joining = Joining::step);
Take lag(std::string column);
Take lead(std::string column);
Take diff(std::string column);
Take change(std::string column);
Take log_return(std::string column);
Take rate(std::string column);
/// A running total; of integers exact, else compensated. A missing reading adds nothing.
Take cumsum(std::string column);
/// Pearson's correlation, and the covariance of a sample (n - 1), over the rows that have both. The
/// correlation is missing when one of them has equal readings only.
Take corr(std::string column, std::string other);
Take cov(std::string column, std::string other);
/// Of a row's own reading within its window: (x - mean) / std, missing when all are equal; and
/// (readings below + (equal ones, itself among them, + 1) / 2) / n.
Take zscore(std::string column);
Take rank(std::string column);
/// Over all readings up to the row, weighted by age (a share of a weight is left after each record,
/// or half of it after each half-life): the mean; the mean of squared deviations from that mean;
/// its root; and the root of the mean square.
Take ewma(std::string column, const Decay& decay);
Take ewvar(std::string column, const Decay& decay);
Take ewsd(std::string column, const Decay& decay);
Take ewvol(std::string column, const Decay& decay);
/// A statistic of your own: take_of("level_m", [](std::span<const double> readings) {…}), or a
/// function of the times and the readings. Named `COLUMN_own` unless as() names it.
Take take_of(std::string column, OwnStatistic statistic);
template <std::invocable<std::span<const double>> Function>
Take take_of(std::string column, Function function) {
  return take_of(std::move(column), OwnStatistic([function](std::span<const Instant>,
                                                            std::span<const double> readings) {
                   return static_cast<double>(function(readings));
                 }));
}

/// Reads one take. Throws Error naming what is wrong and what would be right.
void from_text(std::string_view text, Take& out);
std::string to_text(const Take& take);

/// Reads takes separated by commas. `tide:mean(level_m)` is of the timeline of that name, and so
/// are those after it until the next name.
void from_text(std::string_view text, std::vector<Take>& out);
std::string to_text(const std::vector<Take>& takes);

/// The takes of `takes` over the columns of `table`: those of every numeric column written out,
/// columns looked up. `otherwise` stands for no takes. Throws Error when a column is absent, a
/// statistic does not go with its type, two results would have one name or one the name of
/// `time_name` or `key_name`, or `step`, one of the steps `by`, does not have a statistic.
std::vector<Take> resolve_takes(const std::vector<Take>& takes, const Table& table, Stat otherwise,
                                TakenBy by, std::string_view step, const std::string& time_name,
                                const std::string& key_name);

/// Those of the takes that are of a timeline of that name, their source left out.
std::vector<Take> takes_of(const std::vector<Take>& takes, std::string_view source);

/// The columns that the takes name, to read no more than is needed; nullopt when they need every
/// numeric one.
std::optional<std::vector<std::string>> columns_of(const std::vector<Take>& takes);

}  // namespace zerobeat
