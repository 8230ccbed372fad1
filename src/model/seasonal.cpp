#include "model/seasonal.hpp"

#include <algorithm>
#include <cmath>

#include "base/parallel.hpp"
#include "kernel/sums.hpp"
#include "model/loess.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr int robust_passes = 15;

/// The mean of each `length` values that follow each other.
std::vector<double> moving_mean(std::span<const double> values, std::size_t length) {
  std::vector<double> means(values.size() - length + 1);
  // Sums begin anew each so many, so that they do not drift.
  constexpr std::size_t fresh = 512;
  const auto divisor = static_cast<double>(length);
  double sum = 0;
  for (std::size_t i = 0; i < means.size(); ++i) {
    if (i % fresh == 0) {
      sum = 0;
      for (std::size_t j = 0; j < length; ++j) sum += values[i + j];
    } else {
      sum += values[i + length - 1] - values[i - 1];
    }
    means[i] = sum / divisor;
  }
  return means;
}

class Loess {
 public:
  Loess(std::span<const double> readings, const SeasonalLoess& how)
      : readings_(readings), how_(how), rows_(readings.size()) {
    for (std::size_t i = 0; i < rows_; ++i) {
      if (!std::isnan(readings[i])) there_.push_back(i);
    }
    scale_ = 0;
    for (const std::size_t i : there_) scale_ = std::max(scale_, std::fabs(readings[i]));
  }

  SeasonalParts parts() {
    trend_.assign(rows_, 0);
    season_.assign(rows_, 0);
    if (how_.robust) {
      pass();
      for (int again = 0; again < robust_passes; ++again) {
        check_stopped();
        find_weights();
        pass();
      }
    } else {
      pass();
      pass();
    }
    return {std::move(trend_), std::move(season_)};
  }

 private:
  /// One inner pass.
  void pass() {
    const auto cycles = smooth_phases();
    const auto low = low_pass(cycles);
    for (std::size_t i = 0; i < rows_; ++i) season_[i] = cycles[how_.season + i] - low[i];
    std::vector<double> places, values, weights;
    for (const std::size_t i : there_) {
      places.push_back(static_cast<double>(i));
      values.push_back(readings_[i] - season_[i]);
      if (!weights_.empty()) weights.push_back(weights_[i]);
    }
    trend_ = loess({places, values, weights}, how_.trend_window, 1, 0, rows_);
  }

  /// What the trend leaves, each phase of the season smoothed by itself, from one season before
  /// the first row to one after the last.
  std::vector<double> smooth_phases() const {
    std::vector<double> cycles(rows_ + 2 * how_.season, 0);
    parallel_for(std::size_t{0}, how_.season, [&](std::size_t phase) {
      std::vector<double> places, values, weights;
      std::size_t number = 0;
      for (std::size_t i = phase; i < rows_; i += how_.season, ++number) {
        if (std::isnan(readings_[i])) continue;
        places.push_back(static_cast<double>(number));
        values.push_back(readings_[i] - trend_[i]);
        if (!weights_.empty()) weights.push_back(weights_[i]);
      }
      // A phase without a reading has no season.
      if (places.empty()) return;
      const LoessPoints points{places, values, weights};
      const std::size_t count = number + 2;
      const auto smooth = how_.season_window == 0 ? std::vector<double>(count, mean_of(points))
                                                  : loess(points, how_.season_window, 1, -1, count);
      for (std::size_t i = 0; i < count; ++i) {
        const std::size_t place = phase + i * how_.season;
        if (place < cycles.size()) cycles[place] = smooth[i];
      }
    });
    return cycles;
  }

  static double mean_of(const LoessPoints& points) {
    double sum = 0, all = 0;
    for (std::size_t i = 0; i < points.values.size(); ++i) {
      const double weight = points.weights.empty() ? 1 : points.weights[i];
      sum += weight * points.values[i];
      all += weight;
    }
    if (all > 0) return sum / all;
    double plain = 0;
    for (const double value : points.values) plain += value;
    return plain / static_cast<double>(points.values.size());
  }

  std::vector<double> low_pass(std::span<const double> cycles) const {
    const auto once = moving_mean(cycles, how_.season);
    const auto twice = moving_mean(once, how_.season);
    const auto values = moving_mean(twice, 3);
    std::vector<double> places(values.size());
    for (std::size_t i = 0; i < places.size(); ++i) places[i] = static_cast<double>(i);
    const std::size_t window = how_.season % 2 == 1 ? how_.season : how_.season + 1;
    return loess({places, values, {}}, window, 1, 0, rows_);
  }

  /// The bisquare of what is left, over six times its median.
  void find_weights() {
    std::vector<double> sizes;
    for (const std::size_t i : there_) {
      sizes.push_back(std::fabs(readings_[i] - trend_[i] - season_[i]));
    }
    std::vector<double> sorted = sizes;
    const std::size_t middle = sorted.size() / 2;
    std::nth_element(sorted.begin(), sorted.begin() + static_cast<std::ptrdiff_t>(middle),
                     sorted.end());
    double median = sorted[middle];
    if (sorted.size() % 2 == 0) {
      median = (median + *std::max_element(sorted.begin(),
                                           sorted.begin() + static_cast<std::ptrdiff_t>(middle))) /
               2;
    }
    const double most = 6 * median, rounding = 1e-12 * scale_;
    weights_.assign(rows_, 1);
    for (std::size_t k = 0; k < there_.size(); ++k) {
      if (sizes[k] <= rounding) continue;
      const double share = most > 0 ? sizes[k] / most : 1;
      const double rest = share < 1 ? 1 - share * share : 0;
      weights_[there_[k]] = rest * rest;
    }
  }

  std::span<const double> readings_;
  const SeasonalLoess& how_;
  std::size_t rows_;
  std::vector<std::size_t> there_{};
  double scale_ = 0;
  std::vector<double> trend_{}, season_{}, weights_{};
};

}  // namespace

SeasonalParts seasonal_loess(std::span<const double> readings, const SeasonalLoess& how) {
  return Loess(readings, how).parts();
}

SeasonalParts seasonal_means(std::span<const double> readings, std::size_t season) {
  const std::size_t n = readings.size(), half = season / 2;
  SeasonalParts parts;
  parts.trend.assign(n, std::nan(""));
  parts.season.assign(n, std::nan(""));
  const bool even = season % 2 == 0;
  for (std::size_t i = half; i + half < n; ++i) {
    // Half of the first and the last of an even season; NaN where one is missing.
    double sum = 0;
    for (std::size_t j = i - half; j <= i + half; ++j) {
      const bool end = even && (j == i - half || j == i + half);
      sum += end ? readings[j] / 2 : readings[j];
    }
    parts.trend[i] = sum / static_cast<double>(season);
  }
  std::vector<double> means(season, std::nan(""));
  double all = 0, phases = 0;
  for (std::size_t phase = 0; phase < season; ++phase) {
    double sum = 0, count = 0;
    for (std::size_t i = phase; i < n; i += season) {
      const double left = readings[i] - parts.trend[i];
      if (std::isnan(left)) continue;
      sum += left;
      ++count;
    }
    if (count == 0) continue;
    means[phase] = sum / count;
    all += means[phase];
    ++phases;
  }
  for (std::size_t i = 0; i < n; ++i) parts.season[i] = means[i % season] - all / phases;
  return parts;
}

std::size_t odd_from(double least) {
  const auto odd = static_cast<std::size_t>(std::ceil(least));
  return odd % 2 == 1 ? odd : odd + 1;
}

SeasonalLoess periodic_loess(std::size_t season, std::size_t rows) {
  // Periodic counts as a window of 10 n + 1.
  const double window = 10 * static_cast<double>(rows) + 1;
  return {.season = season,
          .trend_window = odd_from(1.5 * static_cast<double>(season) / (1 - 1.5 / window))};
}

double strength_of(std::span<const double> rest, std::span<const double> with_part) {
  const auto variance = [](std::span<const double> values) {
    return values.size() < 2 ? 0.0 : detail::variance_of(values);
  };
  const double all = variance(with_part);
  return all > 0 ? std::max(0.0, 1 - variance(rest) / all) : 0;
}

double season_strength(std::span<const double> readings, std::size_t season) {
  const SeasonalParts parts = seasonal_loess(readings, periodic_loess(season, readings.size()));
  std::vector<double> rest, with_season;
  for (std::size_t t = 0; t < readings.size(); ++t) {
    const double left = readings[t] - parts.trend[t] - parts.season[t];
    if (std::isnan(left)) continue;
    rest.push_back(left);
    with_season.push_back(left + parts.season[t]);
  }
  return strength_of(rest, with_season);
}

}  // namespace zerobeat::detail
