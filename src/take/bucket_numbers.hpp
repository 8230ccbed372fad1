/// Statistics of the numbers of a bucket that share one pass over them.

#pragma once

#include <span>
#include <vector>
#include <zerobeat/take/take.hpp>

#include "take/sums.hpp"

namespace zerobeat::detail {

/// The dense readings of one bucket. What one statistic finds out, the next need not.
class BucketNumbers {
 public:
  /// `times` are the readings' own; only slope and own look at them.
  BucketNumbers(std::span<const double> readings, std::span<const Instant> times)
      : readings_(readings), times_(times) {}

  /// Not a number where there is none.
  double operator()(const Take& take);

 private:
  const CompensatedSum& sum();
  const Extremes<double>& extremes();
  const Deviations& deviations(bool higher);
  double quantile(double share);
  double median_deviation();
  double slope();

  std::span<const double> readings_;
  std::span<const Instant> times_;
  CompensatedSum sum_{};
  Extremes<double> extremes_{};
  Deviations deviations_{};
  bool has_sum_ = false, has_extremes_ = false, has_deviations_ = false, has_higher_ = false;
  bool has_copy_ = false;
};

}  // namespace zerobeat::detail
