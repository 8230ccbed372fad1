#include <algorithm>
#include <bit>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <numbers>
#include <vector>

#include "base/parallel.hpp"
#include "kernel/sums.hpp"
#include "model/correlations.hpp"
#include "model/tests/kinds.hpp"

namespace zerobeat::inline v1::detail {

double normal_p(double z) {
  const boost::math::normal_distribution<double> distribution;
  return std::min(1.0, 2 * boost::math::cdf(boost::math::complement(distribution, std::fabs(z))));
}

std::optional<Outcome> normal_test(const Tested& tested, const Test& options) {
  const auto x = tested.readings;
  const auto n = static_cast<double>(x.size());
  if (x.size() < 3) return std::nullopt;
  const Deviations deviations = deviations_of(x, sum_of(x).mean(x.size()), true);
  const double variance = deviations.squares / n;
  if (!(variance > 0)) return std::nullopt;
  const double skewness = deviations.cubes / n / std::pow(variance, 1.5);
  const double kurtosis = deviations.fourths / n / (variance * variance) - 3;
  Outcome outcome;
  outcome.statistic = n / 6 * (skewness * skewness + kurtosis * kurtosis / 4);
  if (!std::isfinite(outcome.statistic)) return std::nullopt;
  outcome.p = chi_squared_p(outcome.statistic, 2);
  outcome.rejected = outcome.p < options.at.value_or(0.05);
  return outcome;
}

namespace {

/// Marsaglia, Tsang and Wang (2003): the share of samples of n whose statistic is below d.
double kolmogorov_below(double d, std::size_t n) {
  const double nd = static_cast<double>(n) * d;
  const auto k = static_cast<std::size_t>(nd) + 1;
  const std::size_t m = 2 * k - 1;
  const long double h = static_cast<long double>(k) - static_cast<long double>(nd);
  std::vector<long double> matrix(m * m);
  for (std::size_t i = 0; i < m; ++i) {
    for (std::size_t j = 0; j < m; ++j) matrix[i * m + j] = i + 1 >= j ? 1 : 0;
  }
  for (std::size_t i = 0; i < m; ++i) {
    matrix[i * m] -= std::pow(h, static_cast<long double>(i + 1));
    matrix[(m - 1) * m + i] -= std::pow(h, static_cast<long double>(m - i));
  }
  if (2 * h - 1 > 0) matrix[(m - 1) * m] += std::pow(2 * h - 1, static_cast<long double>(m));
  for (std::size_t i = 0; i < m; ++i) {
    for (std::size_t j = 0; j <= i; ++j) {
      if (i + 1 - j > 0) {
        for (std::size_t g = 1; g <= i + 1 - j; ++g)
          matrix[i * m + j] /= static_cast<long double>(g);
      }
    }
  }
  // The n-th power, by squares; a long double holds its numbers.
  const auto times = [m](const std::vector<long double>& a, const std::vector<long double>& b) {
    std::vector<long double> out(m * m);
    for (std::size_t i = 0; i < m; ++i) {
      for (std::size_t l = 0; l < m; ++l) {
        const long double value = a[i * m + l];
        if (value == 0) continue;
        for (std::size_t j = 0; j < m; ++j) out[i * m + j] += value * b[l * m + j];
      }
    }
    return out;
  };
  std::vector<long double> power(m * m), square = matrix;
  for (std::size_t i = 0; i < m; ++i) power[i * m + i] = 1;
  for (std::size_t rest = n; rest > 0; rest /= 2) {
    if (rest % 2 == 1) power = times(power, square);
    if (rest > 1) square = times(square, square);
  }
  long double share = power[(k - 1) * m + k - 1];
  for (std::size_t i = 1; i <= n; ++i)
    share *= static_cast<long double>(i) / static_cast<long double>(n);
  return static_cast<double>(share);
}

}  // namespace

double kolmogorov_p(double d, std::size_t n) {
  constexpr std::size_t most_exact = 140;
  if (d <= 0) return 1;
  if (d >= 1) return 0;
  if (n <= most_exact) return std::clamp(1 - kolmogorov_below(d, n), 0.0, 1.0);
  const double lambda = d * std::sqrt(static_cast<double>(n));
  if (lambda < 0.3) {
    // The other form of the limit, which comes to an end at once here.
    double below = 0;
    for (int k = 1; k <= 9; k += 2) {
      below += std::exp(-k * k * std::numbers::pi * std::numbers::pi / (8 * lambda * lambda));
    }
    return 1 - std::sqrt(2 * std::numbers::pi) / lambda * below;
  }
  double above = 0;
  for (int k = 1; k <= 100; ++k) {
    const double term = 2 * std::exp(-2.0 * k * k * lambda * lambda);
    above += k % 2 == 1 ? term : -term;
    if (term < 1e-18) break;
  }
  return std::clamp(above, 0.0, 1.0);
}

std::optional<Outcome> uniform_test(const Tested& tested, const Test& options) {
  if (tested.readings.empty()) return std::nullopt;
  std::vector<double> sorted(tested.readings.begin(), tested.readings.end());
  std::ranges::sort(sorted);
  const auto n = static_cast<double>(sorted.size());
  const double low = options.range.low, width = options.range.high - low;
  Outcome outcome;
  for (std::size_t i = 0; i < sorted.size(); ++i) {
    const double share = std::clamp((sorted[i] - low) / width, 0.0, 1.0);
    const auto place = static_cast<double>(i);
    outcome.statistic = std::max({outcome.statistic, (place + 1) / n - share, share - place / n});
  }
  outcome.p = kolmogorov_p(outcome.statistic, sorted.size());
  outcome.rejected = outcome.p < options.at.value_or(0.05);
  return outcome;
}

std::int64_t count_inversions(std::span<double> x) {
  std::vector<double> other(x.size());
  std::int64_t count = 0;
  for (std::size_t width = 1; width < x.size(); width *= 2) {
    for (std::size_t from = 0; from < x.size(); from += 2 * width) {
      const std::size_t middle = std::min(x.size(), from + width);
      const std::size_t end = std::min(x.size(), from + 2 * width);
      std::size_t a = from, b = middle, out = from;
      while (a < middle && b < end) {
        if (x[b] < x[a]) {
          count += static_cast<std::int64_t>(middle - a);
          other[out++] = x[b++];
        } else {
          other[out++] = x[a++];
        }
      }
      std::copy(x.begin() + static_cast<std::ptrdiff_t>(a),
                x.begin() + static_cast<std::ptrdiff_t>(middle),
                other.begin() + static_cast<std::ptrdiff_t>(out));
      out += middle - a;
      std::copy(x.begin() + static_cast<std::ptrdiff_t>(b),
                x.begin() + static_cast<std::ptrdiff_t>(end),
                other.begin() + static_cast<std::ptrdiff_t>(out));
    }
    std::ranges::copy(other, x.begin());
  }
  return count;
}

double median_slope_by_pairs(std::span<const double> times, std::span<const double> values) {
  std::vector<double> slopes;
  for (std::size_t j = 1; j < times.size(); ++j) {
    for (std::size_t i = 0; i < j; ++i) {
      if (times[j] > times[i]) slopes.push_back((values[j] - values[i]) / (times[j] - times[i]));
    }
  }
  if (slopes.empty()) return std::nan("");
  const auto middle = slopes.begin() + static_cast<std::ptrdiff_t>(slopes.size() / 2);
  std::nth_element(slopes.begin(), middle, slopes.end());
  if (slopes.size() % 2 == 1) return *middle;
  return (*middle + *std::max_element(slopes.begin(), middle)) / 2;
}

namespace {

/// A number by its place among all doubles, and back.
std::int64_t ordered(double x) {
  const auto bits = std::bit_cast<std::int64_t>(x);
  return bits < 0 ? std::numeric_limits<std::int64_t>::min() - bits : bits;
}
double unordered(std::int64_t place) {
  return std::bit_cast<double>(place < 0 ? std::numeric_limits<std::int64_t>::min() - place
                                         : place);
}

/// How many pairs of different times have a slope below s.
class Slopes {
 public:
  Slopes(std::span<const double> times, std::span<const double> values)
      : times_(times), values_(values), turned_(times.size()) {}

  std::int64_t below(double s) {
    check_stopped();
    for (std::size_t i = 0; i < times_.size(); ++i) turned_[i] = values_[i] - s * times_[i];
    // Of one time none is before the other.
    for (std::size_t from = 0; from < times_.size();) {
      std::size_t end = from + 1;
      while (end < times_.size() && times_[end] == times_[from]) ++end;
      if (end - from > 1) {
        std::sort(turned_.begin() + static_cast<std::ptrdiff_t>(from),
                  turned_.begin() + static_cast<std::ptrdiff_t>(end));
      }
      from = end;
    }
    return count_inversions(turned_);
  }

  /// The slope of a rank, from 0.
  double at(std::int64_t rank) {
    std::int64_t low = ordered(-std::numeric_limits<double>::max());
    std::int64_t high = ordered(std::numeric_limits<double>::max());
    // The least double that more than `rank` slopes are below; the slope is the one before it.
    while (low < high) {
      const std::int64_t middle =
          low + static_cast<std::int64_t>(
                    (static_cast<std::uint64_t>(high) - static_cast<std::uint64_t>(low)) / 2);
      if (below(unordered(middle)) > rank) {
        high = middle;
      } else {
        low = middle + 1;
      }
    }
    return unordered(low - 1);
  }

 private:
  std::span<const double> times_, values_;
  std::vector<double> turned_;
};

}  // namespace

double median_slope_by_counts(std::span<const double> times, std::span<const double> values) {
  std::int64_t pairs = 0;
  std::size_t same = 0;
  for (std::size_t i = 0; i < times.size(); ++i) {
    same = i > 0 && times[i] == times[i - 1] ? same + 1 : 0;
    pairs += static_cast<std::int64_t>(i - same);
  }
  if (pairs == 0) return std::nan("");
  Slopes slopes(times, values);
  const double upper = slopes.at(pairs / 2);
  if (pairs % 2 == 1) return upper;
  return (upper + slopes.at(pairs / 2 - 1)) / 2;
}

double median_slope(std::span<const double> times, std::span<const double> values) {
  constexpr std::size_t most_pairs_of = 3'000;
  return times.size() <= most_pairs_of ? median_slope_by_pairs(times, values)
                                       : median_slope_by_counts(times, values);
}

std::optional<Outcome> trend_test(const Tested& tested, const Test& options) {
  const auto x = tested.readings;
  if (x.size() < 3) return std::nullopt;
  std::vector<double> sorted(x.begin(), x.end());
  const std::int64_t falls = count_inversions(sorted);
  // Ties, of which each group takes from the variance.
  const auto n = static_cast<double>(x.size());
  double variance = n * (n - 1) * (2 * n + 5), ties = 0;
  for (std::size_t from = 0; from < sorted.size();) {
    std::size_t end = from + 1;
    while (end < sorted.size() && sorted[end] == sorted[from]) ++end;
    const auto t = static_cast<double>(end - from);
    variance -= t * (t - 1) * (2 * t + 5);
    ties += t * (t - 1) / 2;
    from = end;
  }
  variance /= 18;
  if (!(variance > 0)) return std::nullopt;
  const double s = n * (n - 1) / 2 - ties - 2 * static_cast<double>(falls);
  Outcome outcome;
  outcome.statistic = (s > 0 ? s - 1 : s < 0 ? s + 1 : 0) / std::sqrt(variance);
  outcome.p = normal_p(outcome.statistic);
  outcome.rejected = outcome.p < options.at.value_or(0.05);
  const double slope = median_slope(tested.seconds, x);
  constexpr double day = 86'400;
  if (std::isfinite(slope)) outcome.slope = tested.is_count ? slope : slope * day;
  return outcome;
}

std::optional<Outcome> runs_test(const Tested& tested, const Test& options) {
  std::vector<double> sorted(tested.readings.begin(), tested.readings.end());
  if (sorted.size() < 2) return std::nullopt;
  std::ranges::sort(sorted);
  const std::size_t middle = sorted.size() / 2;
  const double median =
      sorted.size() % 2 == 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
  double above = 0, below = 0, runs = 0;
  int before = 0;
  for (const double value : tested.readings) {
    if (value == median) continue;
    const int side = value > median ? 1 : -1;
    (side > 0 ? above : below) += 1;
    if (side != before) ++runs;
    before = side;
  }
  const double n = above + below, product = 2 * above * below;
  if (!(above > 0 && below > 0) || n < 2) return std::nullopt;
  const double variance = product * (product - n) / (n * n * (n - 1));
  if (!(variance > 0)) return std::nullopt;
  Outcome outcome;
  outcome.statistic = (runs - product / n - 1) / std::sqrt(variance);
  outcome.p = normal_p(outcome.statistic);
  outcome.rejected = outcome.p < options.at.value_or(0.05);
  return outcome;
}

}  // namespace zerobeat::detail
