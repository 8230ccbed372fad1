#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <vector>

#include "base/parallel.hpp"
#include "kernel/sums.hpp"
#include "model/correlations.hpp"
#include "model/lag_sums.hpp"
#include "model/least_squares.hpp"
#include "model/tests/kinds.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::int64_t usual_lags(double factor, std::size_t n) {
  return static_cast<std::int64_t>(
      std::floor(factor * std::pow(static_cast<double>(n) / 100, 0.25)));
}

/// Rows of Dickey and Fuller's regression: a constant, a trend, the reading before, and changes
/// before, of which so many; the last column is the change.
Triangle dickey_fuller_rows(std::span<const double> x, bool trend, std::size_t lags,
                            std::size_t first) {
  const std::size_t columns = (trend ? 4 : 3) + lags, rows_at_once = 64, n = x.size();
  constexpr std::size_t chunk = 16'384;
  const std::size_t chunks = (n - first + chunk - 1) / chunk;
  std::vector<Triangle> parts(chunks, Triangle(columns));
  // About the mean the same, but for the constant.
  const double middle = sum_of(x).mean(n);
  parallel_for(std::size_t{0}, chunks, [&](std::size_t c) {
    std::vector<long double> block(columns * rows_at_once);
    std::size_t filled = 0;
    const std::size_t end = std::min(n, first + (c + 1) * chunk);
    for (std::size_t t = first + c * chunk; t < end; ++t) {
      std::size_t j = 0;
      const auto put = [&](long double value) { block[j++ * rows_at_once + filled] = value; };
      put(1);
      if (trend) put(static_cast<long double>(t) / static_cast<long double>(n) - 0.5L);
      put(static_cast<long double>(x[t - 1]) - middle);
      for (std::size_t lag = 1; lag <= lags; ++lag) {
        put(static_cast<long double>(x[t - lag]) - x[t - lag - 1]);
      }
      put(static_cast<long double>(x[t]) - x[t - 1]);
      if (++filled == rows_at_once) {
        parts[c].add(block, filled, rows_at_once);
        filled = 0;
      }
    }
    if (filled > 0) parts[c].add(block, filled, rows_at_once);
  });
  Triangle all(columns);
  for (const Triangle& part : parts) all.merge(part);
  return all;
}

/// The lags of which Akaike's criterion is least, all over the same rows.
std::size_t best_lags(std::span<const double> x, bool trend, std::size_t most) {
  const Triangle r = dickey_fuller_rows(x, trend, most, most + 1);
  const std::size_t y = r.columns() - 1, fixed = trend ? 3 : 2;
  const auto rows = static_cast<double>(x.size() - 1 - most);
  // What is left of y by the columns up to one is what its part of the triangle has below.
  std::size_t best = 0;
  double least = std::numeric_limits<double>::infinity();
  long double rest = r(y, y) * r(y, y);
  std::vector<long double> rests(most + 1);
  for (std::size_t lags = most;; --lags) {
    rests[lags] = rest;
    if (lags == 0) break;
    rest += r(fixed + lags - 1, y) * r(fixed + lags - 1, y);
  }
  for (std::size_t lags = 0; lags <= most; ++lags) {
    const double criterion = rows * std::log(static_cast<double>(rests[lags]) / rows) +
                             2 * static_cast<double>(fixed + lags);
    if (criterion < least) {
      least = criterion;
      best = lags;
    }
  }
  return best;
}

}  // namespace

double mackinnon_p(double statistic, bool trend) {
  struct Surface {
    double least, middle, most;
    double low[3], high[4];
  };
  constexpr Surface with_constant{
      -18.83, -1.61, 2.74, {2.1659, 1.4412, 0.038269}, {1.7339, 0.93202, -0.12745, -0.010368}};
  constexpr Surface with_trend{
      -16.18, -2.89, 0.70, {3.2512, 1.6047, 0.049588}, {2.5261, 0.61654, -0.37956, -0.060285}};
  const Surface& surface = trend ? with_trend : with_constant;
  if (statistic < surface.least) return 0;
  if (statistic > surface.most) return 1;
  const double t = statistic;
  const double z =
      t <= surface.middle
          ? surface.low[0] + t * (surface.low[1] + t * surface.low[2])
          : surface.high[0] + t * (surface.high[1] + t * (surface.high[2] + t * surface.high[3]));
  return boost::math::cdf(boost::math::normal_distribution<double>(), z);
}

std::optional<Outcome> unit_root_test(const Tested& tested, const Test& options) {
  const auto x = tested.readings;
  const auto n = static_cast<std::int64_t>(x.size());
  const std::int64_t fixed = options.trend ? 3 : 2;
  // Twice as many rows as terms are left: n - 1 - p of 2 (fixed + p).
  const std::int64_t room = (n - 1 - 2 * fixed) / 3;
  if (n - 1 < 2 * fixed) return std::nullopt;
  std::int64_t lags = 0;
  if (options.lags) {
    lags = *options.lags;
    if (n - 1 - lags < 2 * (fixed + lags)) return std::nullopt;
  } else {
    const std::int64_t most = std::min(usual_lags(12, x.size()), room);
    lags = static_cast<std::int64_t>(best_lags(x, options.trend, static_cast<std::size_t>(most)));
  }
  const auto used = static_cast<std::size_t>(lags);
  const LeastSquares solution = solve(dickey_fuller_rows(x, options.trend, used, used + 1));
  const std::size_t before = options.trend ? 2 : 1;  // the place of the reading before
  const auto place = std::ranges::find(solution.kept, before);
  const auto rows = static_cast<long double>(n - 1 - lags);
  const long double freedom = rows - static_cast<long double>(solution.size());
  if (place == solution.kept.end() || freedom <= 0) return std::nullopt;
  const auto i = static_cast<std::size_t>(place - solution.kept.begin());
  const long double se = std::sqrt(solution.residual_squares / freedom * solution.covariance(i, i));
  if (!(se > 0)) return std::nullopt;
  Outcome outcome;
  outcome.statistic = static_cast<double>(solution.coefficients[before] / se);
  if (!std::isfinite(outcome.statistic)) return std::nullopt;
  outcome.p = mackinnon_p(outcome.statistic, options.trend);
  outcome.lags = lags;
  outcome.rejected = outcome.p < options.at.value_or(0.05);
  return outcome;
}

namespace {

/// Readings less their mean, or less their line.
std::vector<double> rests_of(std::span<const double> x, bool trend) {
  const std::size_t n = x.size();
  const double mean = sum_of(x).mean(n);
  std::vector<double> rests(n);
  for (std::size_t t = 0; t < n; ++t) rests[t] = x[t] - mean;
  if (!trend) return rests;
  long double products = 0, squares = 0;
  const long double middle = static_cast<long double>(n - 1) / 2;
  for (std::size_t t = 0; t < n; ++t) {
    const long double place = static_cast<long double>(t) - middle;
    products += place * rests[t];
    squares += place * place;
  }
  const long double slope = products / squares;
  for (std::size_t t = 0; t < n; ++t) {
    rests[t] = static_cast<double>(rests[t] - slope * (static_cast<long double>(t) - middle));
  }
  return rests;
}

struct Critical {
  double share, level, trend;
};
/// Of Kwiatkowski and others, their table 1.
constexpr Critical critical[] = {
    {0.10, 0.347, 0.119}, {0.05, 0.463, 0.146}, {0.025, 0.574, 0.176}, {0.01, 0.739, 0.216}};

double value_of(const Critical& row, bool trend) { return trend ? row.trend : row.level; }

double level_p(double statistic, bool trend) {
  if (statistic <= value_of(critical[0], trend)) return critical[0].share;
  for (std::size_t i = 1; i < std::size(critical); ++i) {
    const double low = value_of(critical[i - 1], trend), high = value_of(critical[i], trend);
    if (statistic > high) continue;
    return critical[i - 1].share +
           (statistic - low) / (high - low) * (critical[i].share - critical[i - 1].share);
  }
  return std::end(critical)[-1].share;
}

/// The statistic above which the hypothesis is rejected.
double critical_at(double share, bool trend) {
  for (std::size_t i = 1; i < std::size(critical); ++i) {
    if (share < critical[i].share) continue;
    const double into =
        (share - critical[i - 1].share) / (critical[i].share - critical[i - 1].share);
    return value_of(critical[i - 1], trend) +
           into * (value_of(critical[i], trend) - value_of(critical[i - 1], trend));
  }
  return value_of(std::end(critical)[-1], trend);
}

}  // namespace

std::optional<Outcome> level_test(const Tested& tested, const Test& options) {
  const auto x = tested.readings;
  const std::size_t n = x.size();
  const std::int64_t lags = options.lags.value_or(usual_lags(4, n));
  if (n < 4 || lags >= static_cast<std::int64_t>(n)) return std::nullopt;
  const auto rests = rests_of(x, options.trend);
  const auto sums = lag_sums(rests, rests, static_cast<std::size_t>(lags));
  double variance = sums[0];
  for (std::int64_t lag = 1; lag <= lags; ++lag) {
    const double weight = 1 - static_cast<double>(lag) / static_cast<double>(lags + 1);
    variance += 2 * weight * sums[static_cast<std::size_t>(lag)];
  }
  const auto count = static_cast<long double>(n);
  long double partial = 0, squares = 0;
  for (const double rest : rests) {
    partial += rest;
    squares += partial * partial;
  }
  Outcome outcome;
  // Over n², and the variance over n.
  outcome.statistic = static_cast<double>(squares / count / variance);
  if (!(variance > 0) || !std::isfinite(outcome.statistic)) return std::nullopt;
  outcome.p = level_p(outcome.statistic, options.trend);
  outcome.lags = lags;
  outcome.rejected = outcome.statistic > critical_at(options.at.value_or(0.05), options.trend);
  return outcome;
}

std::optional<Outcome> noise_test(const Tested& tested, const Test& options) {
  const auto x = tested.readings;
  const auto n = static_cast<std::int64_t>(x.size());
  const std::int64_t lags = options.lags.value_or(std::min<std::int64_t>(10, n / 5));
  if (lags < 1 || lags >= n) return std::nullopt;
  Centred centred;
  const double mean = sum_of(x).mean(x.size());
  for (const double value : x) centred.values.push_back(value - mean);
  centred.readings = n;
  centred.squares =
      sum_of_products(centred.values, centred.values).mean(x.size()) * static_cast<double>(n);
  const double scale = std::fabs(mean) * 1e-15;
  if (!(centred.squares > static_cast<double>(n) * scale * scale)) return std::nullopt;
  const auto correlations = correlations_of(centred, static_cast<std::size_t>(lags));
  Outcome outcome;
  outcome.statistic = ljung_box(correlations, static_cast<double>(n)).back();
  outcome.p = chi_squared_p(outcome.statistic, static_cast<double>(lags));
  outcome.lags = lags;
  outcome.rejected = outcome.p < options.at.value_or(0.05);
  return outcome;
}

}  // namespace zerobeat::detail
