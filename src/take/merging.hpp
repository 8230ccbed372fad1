/// Statistics that merge, each defined once: of one reading, of two parts put together, and what it
/// comes to. From one definition come windows, buckets of parts computed apart, and the oracle that
/// the faster kernels of buckets are tested against.
///
/// A new one is a state, if none of these will do, and a row in `MergingStatistics`.

#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <tuple>
#include <zerobeat/take/take.hpp>

namespace zerobeat::detail {

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

// A row each: the word, the state, the fewest readings that have a value, and the value of so many.

struct SumRow {
  using State = CompensatedSum;
  static constexpr Stat stat = Stat::sum;
  static constexpr std::int64_t least = 1;
  static double value(const State& s, double) { return s.value(); }
};
struct MeanRow {
  using State = CompensatedSum;
  static constexpr Stat stat = Stat::mean;
  static constexpr std::int64_t least = 1;
  static double value(const State& s, double count) { return s.mean(count); }
};
struct MinRow {
  using State = Least;
  static constexpr Stat stat = Stat::min;
  static constexpr std::int64_t least = 1;
  static double value(const State& s, double) { return s.least; }
};
struct MaxRow {
  using State = Greatest;
  static constexpr Stat stat = Stat::max;
  static constexpr std::int64_t least = 1;
  static double value(const State& s, double) { return s.most; }
};
struct RangeRow {
  using State = BothExtremes;
  static constexpr Stat stat = Stat::range;
  static constexpr std::int64_t least = 1;
  static double value(const State& s, double) { return s.high.most - s.low.least; }
};
struct VarRow {
  using State = Moments;
  static constexpr Stat stat = Stat::var;
  static constexpr std::int64_t least = 2;
  static double value(const State& s, double) { return s.variance(); }
};
struct StdRow {
  using State = Moments;
  static constexpr Stat stat = Stat::std;
  static constexpr std::int64_t least = 2;
  static double value(const State& s, double) { return std::sqrt(s.variance()); }
};
struct SlopeRow {
  using State = LineMoments;
  static constexpr Stat stat = Stat::slope;
  static constexpr std::int64_t least = 2;
  static double value(const State& s, double) {
    return s.squares_t == 0 ? no_value : s.products / s.squares_t;
  }
};

struct SkewnessRow {
  using State = HigherMoments;
  static constexpr Stat stat = Stat::skewness;
  static constexpr std::int64_t least = 2;
  static double value(const State& s, double) {
    const double square = s.squares / s.count;
    return s.are_equal() ? no_value : s.cubes / s.count / (square * std::sqrt(square));
  }
};
struct KurtosisRow {
  using State = HigherMoments;
  static constexpr Stat stat = Stat::kurtosis;
  static constexpr std::int64_t least = 2;
  static double value(const State& s, double) {
    const double square = s.squares / s.count;
    return s.are_equal() ? no_value : s.fourths / s.count / (square * square);
  }
};

/// The table of statistics that merge.
using MergingStatistics = std::tuple<SumRow, MeanRow, MinRow, MaxRow, RangeRow, VarRow, StdRow,
                                     SlopeRow, SkewnessRow, KurtosisRow>;

/// Calls visit(row) with the row of a statistic; false when it has none.
template <typename Visit>
bool with_merging(Stat stat, Visit&& visit) {
  return std::apply(
      [&](const auto&... row) { return ((row.stat == stat ? (visit(row), true) : false) || ...); },
      MergingStatistics());
}

}  // namespace zerobeat::detail
