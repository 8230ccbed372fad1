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
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/table.hpp>
#include <zerobeat/take/statistic.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What is between two readings: the earlier one until the later, or a line from one to the other.
enum class Joining { step, linear };

[[nodiscard]] constexpr auto enum_words(Joining) {
  return std::array<std::string_view, 2>{"step", "linear"};
}

/// What a reading is compared with: `> 3.5`, `= true`, `!= open`.
struct Condition {
  enum class Sign { more, at_least, less, at_most, equal, unequal };

  Sign sign = Sign::more;
  std::string value{};

  friend bool operator==(const Condition&, const Condition&) = default;
};

[[nodiscard]] constexpr auto enum_words(Condition::Sign) {
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
  std::string word{};  ///< of own: what a plan calls it; empty: it has no name there

  /// The same take with another name: mean("level_m").as("level").
  [[nodiscard]] Take as(std::string new_name) const;

  /// The name of the result. Of ohlc, what stands before _open, _high, _low and _close.
  [[nodiscard]] std::string result_name() const;

  friend bool operator==(const Take&, const Take&) = default;
};

/// The takes by name: take::mean("level_m"). Who wants them short says so:
/// `using namespace zerobeat::take;`, after which mean("level_m") will do.
namespace take {

[[nodiscard]] Take count();
[[nodiscard]] Take count(std::string column);
[[nodiscard]] Take sum(std::string column);
[[nodiscard]] Take mean(std::string column);
[[nodiscard]] Take min(std::string column);
[[nodiscard]] Take max(std::string column);
[[nodiscard]] Take first(std::string column);
[[nodiscard]] Take last(std::string column);
[[nodiscard]] Take range(std::string column);
[[nodiscard]] Take median(std::string column);
/// The standard deviation of a sample (n - 1).
[[nodiscard]] Take std(std::string column);
[[nodiscard]] Take var(std::string column);
[[nodiscard]] Take distinct(std::string column);
[[nodiscard]] Take mode(std::string column);
[[nodiscard]] Take missing(std::string column);
[[nodiscard]] Take quantile(std::string column, double share);
[[nodiscard]] Take wmean(std::string column, std::string weights);
[[nodiscard]] Take twmean(std::string column, Joining joining = Joining::step);
[[nodiscard]] Take integral(std::string column, Joining joining = Joining::step);
[[nodiscard]] Take ohlc(std::string column);
[[nodiscard]] Take time_of_min(std::string column);
[[nodiscard]] Take time_of_max(std::string column);
/// The times of a bucket's first and last reading.
[[nodiscard]] Take first_time(std::string column);
[[nodiscard]] Take last_time(std::string column);
/// Of the moments about the mean (n in the divisor): m3 / m2^1.5, and m4 / m2^2, which is 3 for a
/// normal distribution. Missing when all readings are equal.
[[nodiscard]] Take skewness(std::string column);
[[nodiscard]] Take kurtosis(std::string column);
/// The root of the mean of the squares.
[[nodiscard]] Take rms(std::string column);
/// The coefficient of variation: the deviation (n - 1) over the absolute mean; missing when that is
/// 0.
[[nodiscard]] Take cv(std::string column);
/// The median absolute deviation from the median.
[[nodiscard]] Take mad(std::string column);
/// Of the straight line of least squares through the readings, per second.
[[nodiscard]] Take slope(std::string column);
/// For how many seconds the reading that stood met a condition.
[[nodiscard]] Take duration(std::string column, Condition::Sign sign, std::string value);
/// How many readings were higher, or lower, than the strand's reading before them.
[[nodiscard]] Take up(std::string column);
[[nodiscard]] Take down(std::string column);
/// Of a counter that may start again from 0: the sum of its steps, a fall counting as the new
/// reading. A step belongs to its later reading, or, with a line, to the time between the two;
/// where there is none it is missing.
[[nodiscard]] Take increase(std::string column, Joining joining = Joining::step);
/// The value at the instant that labels the row: of the reading that stands there, or on the line.
[[nodiscard]] Take at(std::string column, Joining joining = Joining::step);
[[nodiscard]] Take lag(std::string column);
[[nodiscard]] Take lead(std::string column);
[[nodiscard]] Take diff(std::string column);
[[nodiscard]] Take change(std::string column);
[[nodiscard]] Take log_return(std::string column);
[[nodiscard]] Take rate(std::string column);
/// A running total; of integers exact, else compensated. A missing reading adds nothing.
[[nodiscard]] Take cumsum(std::string column);
/// Pearson's correlation, and the covariance of a sample (n - 1), over the rows that have both. The
/// correlation is missing when one of them has equal readings only.
[[nodiscard]] Take corr(std::string column, std::string other);
[[nodiscard]] Take cov(std::string column, std::string other);
/// Of a row's own reading within its window: (x - mean) / std, missing when all are equal; and
/// (readings below + (equal ones, itself among them, + 1) / 2) / n.
[[nodiscard]] Take zscore(std::string column);
[[nodiscard]] Take rank(std::string column);
/// Over all readings up to the row, weighted by age (a share of a weight is left after each record,
/// or half of it after each half-life): the mean; the mean of squared deviations from that mean;
/// its root; and the root of the mean square.
[[nodiscard]] Take ewma(std::string column, const Decay& decay);
[[nodiscard]] Take ewvar(std::string column, const Decay& decay);
[[nodiscard]] Take ewsd(std::string column, const Decay& decay);
[[nodiscard]] Take ewvol(std::string column, const Decay& decay);
/// A statistic of your own: take::of("level_m", [](std::span<const double> readings) {…}), or a
/// function of the times and the readings. Named `COLUMN_own` unless as() names it.
[[nodiscard]] Take of(std::string column, OwnStatistic statistic);
template <::std::invocable<std::span<const double>> Function>
[[nodiscard]] Take of(std::string column, Function function) {
  return of(std::move(column),
            OwnStatistic([function](std::span<const Instant>, std::span<const double> readings) {
              return static_cast<double>(function(readings));
            }));
}

}  // namespace take

/// Reads one take. Throws Error naming what is wrong and what would be right.
void from_text(std::string_view text, Take& out);
[[nodiscard]] std::string to_text(const Take& take);

/// Reads takes separated by commas. `tide:mean(level_m)` is of the timeline of that name, and so
/// are those after it until the next name.
void from_text(std::string_view text, std::vector<Take>& out);
[[nodiscard]] std::string to_text(const std::vector<Take>& takes);

/// The takes of `takes` over the columns of `table`: those of every numeric column written out,
/// columns looked up. `otherwise` stands for no takes. Throws Error when a column is absent, a
/// statistic does not go with its type, two results would have one name or one the name of
/// `time_name` or `key_name`, or `step`, one of the steps `by`, does not have a statistic.
[[nodiscard]] std::vector<Take> resolve_takes(const std::vector<Take>& takes, const Table& table,
                                              Stat otherwise, TakenBy by, std::string_view step,
                                              const std::string& time_name,
                                              const std::string& key_name);

/// Those of the takes that are of a timeline of that name, their source left out.
[[nodiscard]] std::vector<Take> takes_of(const std::vector<Take>& takes, std::string_view source);

/// The columns that the takes name, to read no more than is needed; nullopt when they need every
/// numeric one.
[[nodiscard]] std::optional<std::vector<std::string>> columns_of(const std::vector<Take>& takes);

}  // namespace v1
}  // namespace zerobeat
