#include "kernel/bucket/numbers.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "kernel/order_statistics.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Where quantiles are selected; one for each thread, so that buckets cost no allocation.
std::vector<double>& copy_of_readings() {
  thread_local std::vector<double> copy;
  return copy;
}

using BucketStatistic = double (*)(BucketNumbers&, const Take&);

/// A statistic that does not merge: how a bucket comes to it.
template <typename D>
constexpr BucketStatistic other_way = nullptr;
template <>
constexpr BucketStatistic other_way<definition::Median> =
    [](BucketNumbers& bucket, const Take&) { return bucket.quantile(0.5); };
template <>
constexpr BucketStatistic other_way<definition::Quantile> =
    [](BucketNumbers& bucket, const Take& take) { return bucket.quantile(take.share); };
template <>
constexpr BucketStatistic other_way<definition::MedianDeviation> =
    [](BucketNumbers& bucket, const Take&) { return bucket.median_deviation(); };
template <>
constexpr BucketStatistic other_way<definition::Own> =
    [](BucketNumbers& bucket, const Take& take) { return bucket.own(take); };

template <typename D>
constexpr bool is_of_numbers() {
  return D::row.needs == Needs::readings || D::row.needs == Needs::times;
}

constexpr auto bucket_statistics = for_each_statistic<BucketStatistic>([]<typename D>(D) {
  if constexpr (Merging<D>) {
    if constexpr (is_of_numbers<D>()) {
      return BucketStatistic([](BucketNumbers& bucket, const Take&) {
        const auto n = static_cast<double>(bucket.size());
        return D::value(bucket.state<typename D::State>(), n);
      });
    } else {
      return BucketStatistic(nullptr);
    }
  } else {
    return other_way<D>;
  }
});

}  // namespace

void BucketNumbers::gather(CompensatedSum& sum) { sum = sum_of(readings_); }
void BucketNumbers::gather(Least& least) { least.least = state<BothExtremes>().low.least; }
void BucketNumbers::gather(Greatest& greatest) { greatest.most = state<BothExtremes>().high.most; }
void BucketNumbers::gather(BothExtremes& extremes) {
  const Extremes<double> both = extremes_of(readings_);
  extremes = {{both.least}, {both.most}};
}

void BucketNumbers::gather(Moments& moments) {
  const double middle = mean();
  moments = {static_cast<double>(size()), middle, deviations_of(readings_, middle, false).squares};
}

void BucketNumbers::gather(HigherMoments& moments) {
  const double middle = mean();
  const Deviations deviations = deviations_of(readings_, middle, true);
  const BothExtremes& extremes = state<BothExtremes>();
  moments = {static_cast<double>(size()), middle,
             deviations.squares,          deviations.cubes,
             deviations.fourths,          extremes.low.least,
             extremes.high.most};
}

void BucketNumbers::gather(LineMoments& moments) {
  // Times as seconds from the first, less their mean: nothing is lost to their size.
  const auto seconds = [&](std::size_t i) { return seconds_between(times_[0], times_[i]); };
  const std::size_t n = size();
  double middle = 0;
  for (std::size_t i = 0; i < n; ++i) middle += seconds(i);
  middle /= static_cast<double>(n);
  thread_local std::vector<double> along, up;
  along.resize(n);
  up.resize(n);
  for (std::size_t i = 0; i < n; ++i) {
    along[i] = seconds(i) - middle;
    up[i] = readings_[i] - mean();
  }
  moments = {static_cast<double>(n), middle, mean(), sum_of_products(along, along).value(),
             sum_of_products(along, up).value()};
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

double BucketNumbers::own(const Take& take) {
  // It may start other work on this thread, which uses the same scratch.
  has_copy_ = false;
  return (*take.function)(times_, readings_);
}

double BucketNumbers::operator()(const Take& take) {
  if (static_cast<std::int64_t>(size()) < row_of(take.stat).least) return no_value;
  const BucketStatistic statistic = bucket_statistics[static_cast<std::size_t>(take.stat)];
  if (statistic == nullptr) throw std::logic_error("a statistic of buckets has no kernel");
  return statistic(*this, take);
}

}  // namespace zerobeat::detail
