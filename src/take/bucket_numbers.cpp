#include "take/bucket_numbers.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>

#include "take/order_statistics.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::detail {

namespace {

constexpr double not_there = std::numeric_limits<double>::quiet_NaN();

/// Where quantiles are selected; one for each thread, so that buckets cost no allocation.
std::vector<double>& copy_of_readings() {
  thread_local std::vector<double> copy;
  return copy;
}

}  // namespace

const CompensatedSum& BucketNumbers::sum() {
  if (!has_sum_) sum_ = sum_of(readings_);
  has_sum_ = true;
  return sum_;
}

const Extremes<double>& BucketNumbers::extremes() {
  if (!has_extremes_) extremes_ = extremes_of(readings_);
  has_extremes_ = true;
  return extremes_;
}

const Deviations& BucketNumbers::deviations(bool higher) {
  if (!has_deviations_ || (higher && !has_higher_)) {
    deviations_ = deviations_of(readings_, sum().mean(readings_.size()), higher);
    has_higher_ = higher;
  }
  has_deviations_ = true;
  return deviations_;
}

double BucketNumbers::quantile(double share) {
  std::vector<double>& copy = copy_of_readings();
  if (!has_copy_) copy.assign(readings_.begin(), readings_.end());
  has_copy_ = true;
  return quantile_of(copy, share);
}

double BucketNumbers::median_deviation() {
  const double median = quantile(0.5);
  std::vector<double>& copy = copy_of_readings();
  for (double& value : copy) value = std::abs(value - median);
  has_copy_ = false;
  return quantile_of(copy, 0.5);
}

double BucketNumbers::slope() {
  // Times as seconds from the first, less their mean: nothing is lost to their size.
  const auto seconds = [&](std::size_t i) { return seconds_between(times_[0], times_[i]); };
  const std::size_t n = readings_.size();
  const double mean = sum().mean(n);
  double middle = 0;
  for (std::size_t i = 0; i < n; ++i) middle += seconds(i);
  middle /= static_cast<double>(n);
  thread_local std::vector<double> along, up;
  along.resize(n);
  up.resize(n);
  for (std::size_t i = 0; i < n; ++i) {
    along[i] = seconds(i) - middle;
    up[i] = readings_[i] - mean;
  }
  const double spread = sum_of_products(along, along).value();
  return spread == 0 ? not_there : sum_of_products(along, up).value() / spread;
}

double BucketNumbers::operator()(const Take& take) {
  const std::size_t n = readings_.size();
  if (n == 0) return not_there;
  const auto size = static_cast<double>(n);
  switch (take.stat) {
    case Stat::sum:
      return sum().value();
    case Stat::mean:
      return sum().mean(n);
    case Stat::min:
      return extremes().least;
    case Stat::max:
      return extremes().most;
    case Stat::range:
      return extremes().most - extremes().least;
    case Stat::var:
      return n < 2 ? not_there : deviations(false).squares / (size - 1);
    case Stat::std:
      return n < 2 ? not_there : std::sqrt(deviations(false).squares / (size - 1));
    case Stat::skewness:
    case Stat::kurtosis: {
      const double square = deviations(true).squares / size;
      // What rounding leaves of equal readings is no spread.
      const double scale = std::max(std::abs(extremes().least), std::abs(extremes().most));
      if (extremes().least == extremes().most || square <= scale * scale * 1e-30) return not_there;
      return take.stat == Stat::skewness ? deviations_.cubes / size / (square * std::sqrt(square))
                                         : deviations_.fourths / size / (square * square);
    }
    case Stat::median:
      return quantile(0.5);
    case Stat::quantile:
      return quantile(take.share);
    case Stat::mad:
      return median_deviation();
    case Stat::slope:
      return n < 2 ? not_there : slope();
    case Stat::own:
      // It may start other work on this thread, which uses the same scratch.
      has_copy_ = false;
      return (*take.function)(times_, readings_);
    default:
      throw std::logic_error("a statistic of buckets has no kernel");
  }
}

}  // namespace zerobeat::detail
