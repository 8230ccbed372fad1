/// Every statistic, each defined once: its row of the table and, where it merges, its state: of one
/// reading, of two parts put together, and what it comes to. From that come buckets, profiles,
/// spells and windows, and the oracle that faster kernels are tested against.
///
/// A new one is a struct with its row (and a state, if none of these will do), and its name in
/// `definition::All`.

#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <concepts>
#include <cstdint>
#include <limits>
#include <span>
#include <tuple>
#include <zerobeat/base/export.hpp>
#include <zerobeat/take/take.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr double no_value = std::numeric_limits<double>::quiet_NaN();

/// A compensated sum: the rounding error of each addition, exactly, apart (two-sum: Knuth, TAOCP 2,
/// 4.2.2).
struct CompensatedSum {
  double sum = 0;
  double rest = 0;

  static CompensatedSum of(double value) { return {value, 0}; }
  void add(double value) { merge(of(value)); }
  void merge(const CompensatedSum& other) {
    const double total = sum + other.sum;
    const double part = total - sum;
    const double error = (sum - (total - part)) + (other.sum - part);
    sum = total;
    rest += other.rest + error;
  }
  double value() const { return std::isfinite(sum) ? sum + rest : sum; }
  /// Divided before it is rounded, so that the mean of equal readings is that reading.
  double mean(double count) const {
    if (!std::isfinite(sum)) return sum;
    return static_cast<double>((static_cast<long double>(sum) + rest) / count);
  }
};

/// Count, mean and sum of squared deviations (Chan, Golub, LeVeque 1979).
struct Moments {
  double count = 0;
  double mean = 0;
  double squares = 0;

  static Moments of(double value) { return {1, value, 0}; }
  void merge(const Moments& other) {
    if (other.count == 0) return;
    if (count == 0) {
      *this = other;
      return;
    }
    const double delta = other.mean - mean;
    const double total = count + other.count;
    const double share = other.count / total;
    mean += delta * share;
    squares += other.squares + delta * delta * (count * share);
    count = total;
  }
  double variance() const { return squares / (count - 1); }
};

struct Least {
  double least = std::numeric_limits<double>::infinity();
  static Least of(double value) { return {value}; }
  void merge(const Least& other) { least = other.least < least ? other.least : least; }
};

struct Greatest {
  double most = -std::numeric_limits<double>::infinity();
  static Greatest of(double value) { return {value}; }
  void merge(const Greatest& other) { most = other.most > most ? other.most : most; }
};

struct BothExtremes {
  Least low;
  Greatest high;
  static BothExtremes of(double value) { return {Least::of(value), Greatest::of(value)}; }
  void merge(const BothExtremes& other) {
    low.merge(other.low);
    high.merge(other.high);
  }
};

/// Means, squares and products of readings and their times, in seconds (Chan, Golub, LeVeque 1979,
/// for two variables).
struct LineMoments {
  double count = 0;
  double mean_t = 0, mean_x = 0;
  double squares_t = 0, products = 0;

  static LineMoments of(double value, double seconds) { return {1, seconds, value, 0, 0}; }
  void merge(const LineMoments& other) {
    if (other.count == 0) return;
    if (count == 0) {
      *this = other;
      return;
    }
    const double dt = other.mean_t - mean_t, dx = other.mean_x - mean_x;
    const double total = count + other.count;
    const double share = other.count / total;
    mean_t += dt * share;
    mean_x += dx * share;
    squares_t += other.squares_t + dt * dt * (count * share);
    products += other.products + dt * dx * (count * share);
    count = total;
  }
};

/// Moments about the mean up to the fourth (Pébay 2008), and the extremes.
struct HigherMoments {
  double count = 0, mean = 0, squares = 0, cubes = 0, fourths = 0;
  double least = std::numeric_limits<double>::infinity();
  double most = -std::numeric_limits<double>::infinity();

  static HigherMoments of(double x) { return {1, x, 0, 0, 0, x, x}; }

  void merge(const HigherMoments& other) {
    if (other.count == 0) return;
    if (count == 0) {
      *this = other;
      return;
    }
    const double a = count, b = other.count, n = a + b;
    const double delta = other.mean - mean, part = delta / n;
    const double between = delta * part * a * b;  // what the squares grow by
    fourths += other.fourths + between * part * part * (a * a - a * b + b * b) +
               6 * part * part * (a * a * other.squares + b * b * squares) +
               4 * part * (a * other.cubes - b * cubes);
    cubes += other.cubes + between * part * (a - b) + 3 * part * (a * other.squares - b * squares);
    squares += other.squares + between;
    mean += part * b;
    count = n;
    least = std::min(least, other.least);
    most = std::max(most, other.most);
  }

  bool are_equal() const {
    // What rounding leaves of equal readings is no spread.
    const double scale = std::max(std::fabs(least), std::fabs(most));
    return least == most || squares / count <= scale * scale * 1e-30;
  }
};

/// The sum of the squares.
struct Squares {
  CompensatedSum sum;
  static Squares of(double value) { return {CompensatedSum::of(value * value)}; }
  void merge(const Squares& other) { sum.merge(other.sum); }
};

/// Readings of two columns: squared deviations of each, and their products (Chan, Golub, LeVeque
/// 1979, for two variables).
struct PairMoments {
  double count = 0;
  double mean_x = 0, mean_y = 0;
  double squares_x = 0, squares_y = 0, products = 0;

  static PairMoments of(double x, double y) { return {1, x, y, 0, 0, 0}; }
  void merge(const PairMoments& other) {
    if (other.count == 0) return;
    if (count == 0) {
      *this = other;
      return;
    }
    const double dx = other.mean_x - mean_x, dy = other.mean_y - mean_y;
    const double total = count + other.count;
    const double share = other.count / total;
    mean_x += dx * share;
    mean_y += dy * share;
    squares_x += other.squares_x + dx * dx * (count * share);
    squares_y += other.squares_y + dy * dy * (count * share);
    products += other.products + dx * dy * (count * share);
    count = total;
  }
};

/// Sums of readings times their weights, and of the weights; what weighs nothing does not count.
struct WeightedSums {
  CompensatedSum products, weights;

  static WeightedSums of(double x, double weight) {
    if (!(weight > 0)) return {};
    return {CompensatedSum::of(x * weight), CompensatedSum::of(weight)};
  }
  void merge(const WeightedSums& other) {
    products.merge(other.products);
    weights.merge(other.weights);
  }
};

/// How long something stood, and the area under it: value times seconds.
struct Stood {
  double seconds = 0;
  double area = 0;
};

/// The quantile of sorted readings, linear between order statistics at position share * (n - 1).
/// `at(k)` gives the k-th smallest of `n`, which is at least 1.
template <typename At>
double quantile_at(std::size_t n, double share, At&& at) {
  const double position = share * static_cast<double>(n - 1);
  const auto below = static_cast<std::size_t>(position);
  const double part = position - static_cast<double>(below);
  const double low = at(below);
  if (part == 0 || below + 1 >= n) return low;
  const double high = at(below + 1);
  return low == high ? low : low + (high - low) * part;
}

/// A definition whose parts merge, of a state and its value of so many readings.
template <typename D>
concept Merging = requires(const typename D::State& state) {
  { D::value(state, 1.0) } -> std::convertible_to<double>;
};

/// Each with its row: the word, and what differs from the usual.
namespace definition {

struct Count {
  static constexpr Statistic row{.word = "count",
                                 .form = TakeForm::records,
                                 .of_any_type = true,
                                 .result = Result::count,
                                 .least = 0};
};

struct Sum {
  static constexpr Statistic row{.word = "sum", .result = Result::exact};
  using State = CompensatedSum;
  static double value(const State& s, double) { return s.value(); }
};

struct Mean {
  static constexpr Statistic row{.word = "mean"};
  using State = CompensatedSum;
  static double value(const State& s, double n) { return s.mean(n); }
};

struct Min {
  static constexpr Statistic row{.word = "min", .result = Result::exact};
  using State = Least;
  static double value(const State& s, double) { return s.least; }
};

struct Max {
  static constexpr Statistic row{.word = "max", .result = Result::exact};
  using State = Greatest;
  static double value(const State& s, double) { return s.most; }
};

struct First {
  static constexpr Statistic row{.word = "first", .of_any_type = true, .result = Result::reading};
};

struct Last {
  static constexpr Statistic row{.word = "last", .of_any_type = true, .result = Result::reading};
};

struct Range {
  static constexpr Statistic row{.word = "range", .result = Result::exact};
  using State = BothExtremes;
  static double value(const State& s, double) { return s.high.most - s.low.least; }
};

struct Median {
  static constexpr Statistic row{.word = "median"};
};

struct Std {
  static constexpr Statistic row{.word = "std", .least = 2};
  using State = Moments;
  static double value(const State& s, double) { return std::sqrt(s.variance()); }
};

struct Var {
  static constexpr Statistic row{.word = "var", .least = 2};
  using State = Moments;
  static double value(const State& s, double) { return s.variance(); }
};

struct Distinct {
  static constexpr Statistic row{
      .word = "distinct", .of_any_type = true, .result = Result::count, .least = 0};
};

struct Mode {
  static constexpr Statistic row{.word = "mode", .of_any_type = true, .result = Result::reading};
};

struct Missing {
  static constexpr Statistic row{
      .word = "missing", .of_any_type = true, .result = Result::count, .least = 0};
};

struct Quantile {
  static constexpr Statistic row{.word = "quantile", .form = TakeForm::share};
};

struct WeightedMean {
  static constexpr Statistic row{.word = "wmean", .form = TakeForm::weights, .needs = Needs::pairs};
  using State = WeightedSums;
  static double value(const State& s, double) {
    return s.weights.value() > 0 ? s.products.value() / s.weights.value() : no_value;
  }
};

struct TimeWeightedMean {
  static constexpr Statistic row{
      .word = "twmean", .form = TakeForm::joining, .needs = Needs::standing};
  using State = Stood;
  static double value(const State& s, double) { return s.area / s.seconds; }
};

struct Integral {
  static constexpr Statistic row{
      .word = "integral", .form = TakeForm::joining, .needs = Needs::standing};
  using State = Stood;
  static double value(const State& s, double) { return s.area; }
};

/// Four takes in one: the first, greatest, least and last reading.
struct Ohlc {
  static constexpr Statistic row{.word = "ohlc", .result = Result::exact};
};

struct TimeOfMin {
  static constexpr Statistic row{.word = "time_of_min", .result = Result::time};
};

struct TimeOfMax {
  static constexpr Statistic row{.word = "time_of_max", .result = Result::time};
};

struct FirstTime {
  static constexpr Statistic row{.word = "first_time", .of_any_type = true, .result = Result::time};
};

struct LastTime {
  static constexpr Statistic row{.word = "last_time", .of_any_type = true, .result = Result::time};
};

struct Skewness {
  static constexpr Statistic row{.word = "skewness", .least = 2};
  using State = HigherMoments;
  static double value(const State& s, double n) {
    const double square = s.squares / n;
    return s.are_equal() ? no_value : s.cubes / n / (square * std::sqrt(square));
  }
};

struct Kurtosis {
  static constexpr Statistic row{.word = "kurtosis", .least = 2};
  using State = HigherMoments;
  static double value(const State& s, double n) {
    const double square = s.squares / n;
    return s.are_equal() ? no_value : s.fourths / n / (square * square);
  }
};

/// The median of the absolute deviations from the median.
struct MedianDeviation {
  static constexpr Statistic row{.word = "mad"};
};

struct Slope {
  static constexpr Statistic row{.word = "slope", .needs = Needs::times, .least = 2};
  using State = LineMoments;
  static double value(const State& s, double) {
    return s.squares_t == 0 ? no_value : s.products / s.squares_t;
  }
};

struct Duration {
  static constexpr Statistic row{.word = "duration",
                                 .form = TakeForm::condition,
                                 .of_any_type = true,
                                 .needs = Needs::standing};
  using State = Stood;
  static double value(const State& s, double) { return s.area; }
};

struct Up {
  static constexpr Statistic row{.word = "up", .result = Result::count, .needs = Needs::before};
  static bool counts(double before, double x) { return x > before; }
};

struct Down {
  static constexpr Statistic row{.word = "down", .result = Result::count, .needs = Needs::before};
  static bool counts(double before, double x) { return x < before; }
};

struct At {
  static constexpr Statistic row{
      .word = "at", .form = TakeForm::joining, .needs = Needs::standing, .by = TakenBy::buckets};
};

struct Lagged {
  static constexpr Statistic row{.word = "lag",
                                 .of_any_type = true,
                                 .result = Result::reading,
                                 .needs = Needs::distance,
                                 .by = TakenBy::lags};
};

struct Led {
  static constexpr Statistic row{.word = "lead",
                                 .of_any_type = true,
                                 .result = Result::reading,
                                 .needs = Needs::distance,
                                 .by = TakenBy::lags};
};

// Changes: of a reading and the one at a distance, so many seconds apart.

struct Difference {
  static constexpr Statistic row{
      .word = "diff", .result = Result::exact, .needs = Needs::distance, .by = TakenBy::lags};
  static double of(double now, double then) { return now - then; }
};

struct Change {
  static constexpr Statistic row{.word = "change", .needs = Needs::distance, .by = TakenBy::lags};
  static double of(double now, double then) { return then != 0 ? (now - then) / then : no_value; }
};

struct LogReturn {
  static constexpr Statistic row{
      .word = "log_return", .needs = Needs::distance, .by = TakenBy::lags};
  static double of(double now, double then) {
    return now > 0 && then > 0 ? std::log(now / then) : no_value;
  }
};

struct RateOfChange {
  static constexpr Statistic row{.word = "rate", .needs = Needs::distance, .by = TakenBy::lags};
  static double of(double now, double then, double seconds) {
    return seconds != 0 ? (now - then) / seconds : no_value;
  }
};

struct RunningTotal {
  static constexpr Statistic row{
      .word = "cumsum", .result = Result::exact, .needs = Needs::past, .by = TakenBy::windows};
};

struct Correlation {
  static constexpr Statistic row{
      .word = "corr", .form = TakeForm::pair, .needs = Needs::pairs, .least = 2};
  using State = PairMoments;
  static double value(const State& s, double) {
    const double scale = std::sqrt(s.squares_x) * std::sqrt(s.squares_y);
    return scale > 0 ? std::clamp(s.products / scale, -1.0, 1.0) : no_value;
  }
};

struct Covariance {
  static constexpr Statistic row{
      .word = "cov", .form = TakeForm::pair, .needs = Needs::pairs, .least = 2};
  using State = PairMoments;
  static double value(const State& s, double n) { return s.products / (n - 1); }
};

struct Score {
  static constexpr Statistic row{
      .word = "zscore", .needs = Needs::own, .least = 2, .by = TakenBy::windows};
};

struct Rank {
  static constexpr Statistic row{.word = "rank", .needs = Needs::own, .by = TakenBy::windows};
};

struct AgedMean {
  static constexpr Statistic row{
      .word = "ewma", .form = TakeForm::decay, .needs = Needs::past, .by = TakenBy::windows};
};

struct AgedVariance {
  static constexpr Statistic row{
      .word = "ewvar", .form = TakeForm::decay, .needs = Needs::past, .by = TakenBy::windows};
};

struct AgedDeviation {
  static constexpr Statistic row{
      .word = "ewsd", .form = TakeForm::decay, .needs = Needs::past, .by = TakenBy::windows};
};

struct AgedVolatility {
  static constexpr Statistic row{
      .word = "ewvol", .form = TakeForm::decay, .needs = Needs::past, .by = TakenBy::windows};
};

/// A function of the program's; it has no text.
struct Own {
  static constexpr Statistic row{.word = "own", .needs = Needs::times};
};

struct RootMeanSquare {
  static constexpr Statistic row{.word = "rms"};
  using State = Squares;
  static double value(const State& s, double n) { return std::sqrt(s.sum.mean(n)); }
};

/// The coefficient of variation.
struct Variation {
  static constexpr Statistic row{.word = "cv", .least = 2};
  using State = Moments;
  static double value(const State& s, double) {
    return s.mean == 0 ? no_value : std::sqrt(s.variance()) / std::fabs(s.mean);
  }
};

/// What a counter rose by: the sum of its steps, a fall counting as the new reading. Steps made the
/// steps' sums or integrals come to it; see kernel/counters.hpp.
struct Increase {
  static constexpr Statistic row{.word = "increase",
                                 .form = TakeForm::joining,
                                 .result = Result::exact,
                                 .needs = Needs::before,
                                 .by = TakenBy::cells | TakenBy::windows | TakenBy::lags};
};

/// The table.
using All =
    std::tuple<Count, Sum, Mean, Min, Max, First, Last, Range, Median, Std, Var, Distinct, Mode,
               Missing, Quantile, WeightedMean, TimeWeightedMean, Integral, Ohlc, TimeOfMin,
               TimeOfMax, FirstTime, LastTime, Skewness, Kurtosis, MedianDeviation, Slope, Duration,
               Up, Down, At, Lagged, Led, Difference, Change, LogReturn, RateOfChange, RunningTotal,
               Correlation, Covariance, Score, Rank, AgedMean, AgedVariance, AgedDeviation,
               AgedVolatility, Own, RootMeanSquare, Variation, Increase>;

}  // namespace definition

/// The place of a definition in the table.
template <typename D>
constexpr Stat stat_of() {
  return []<typename... All>(std::tuple<All...>*) {
    std::size_t place = 0;
    (void)((std::is_same_v<D, All> ? false : (++place, true)) && ...);
    return static_cast<Stat>(place);
  }(static_cast<definition::All*>(nullptr));
}

static_assert(stat_of<definition::Mean>() == Stat::mean &&
                  stat_of<definition::Quantile>() == Stat::quantile &&
                  stat_of<definition::Duration>() == Stat::duration &&
                  stat_of<definition::RateOfChange>() == Stat::rate &&
                  stat_of<definition::Rank>() == Stat::rank &&
                  stat_of<definition::Own>() == Stat::own,
              "statistics with names stand first, in the order of these");

/// A value for each statistic, from visit(definition).
template <typename Value, typename Visit>
constexpr auto for_each_statistic(Visit&& visit) {
  return [&]<typename... D>(std::tuple<D...>*) {
    return std::array<Value, sizeof...(D)>{visit(D{})...};
  }(static_cast<definition::All*>(nullptr));
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
