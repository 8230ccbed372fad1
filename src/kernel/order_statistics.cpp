#include "kernel/order_statistics.hpp"

#include <algorithm>
#include <cmath>

namespace zerobeat::inline v1::detail {

double quantile_of(std::vector<double>& readings, double share) {
  const std::size_t n = readings.size();
  const double position = share * static_cast<double>(n - 1);
  const auto below = static_cast<std::ptrdiff_t>(position);
  std::ranges::nth_element(readings, readings.begin() + below);
  return quantile_at(n, share, [&](std::size_t k) {
    if (static_cast<std::ptrdiff_t>(k) == below) return readings[k];
    return *std::min_element(readings.begin() + below + 1, readings.end());
  });
}

MedianSpread median_spread_of(std::vector<double>& readings) {
  MedianSpread out;
  out.median = quantile_of(readings, 0.5);
  for (double& x : readings) x = std::fabs(x - out.median);
  out.deviation = quantile_of(readings, 0.5);
  return out;
}

}  // namespace zerobeat::detail
