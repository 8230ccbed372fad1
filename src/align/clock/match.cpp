#include "align/clock/match.hpp"

#include <algorithm>
#include <cmath>

namespace zerobeat::inline v1::detail {

namespace {

/// Sums of squares about the means, one pair at a time (Welford 1962).
struct Together {
  double n = 0, mean_x = 0, mean_y = 0, xx = 0, yy = 0, xy = 0;

  void add(double x, double y) {
    ++n;
    const double dx = x - mean_x, dy = y - mean_y;
    mean_x += dx / n;
    mean_y += dy / n;
    xx += dx * (x - mean_x);
    yy += dy * (y - mean_y);
    xy += dx * (y - mean_y);
  }
};

}  // namespace

ClockMatch clock_match(const ClockReadings& reference, const ClockReadings& other, double offset,
                       double drift, std::size_t most_readings) {
  Together sums;
  meet(reference, other, offset, drift, most_readings,
       [&](double line, double reading) { sums.add(line, reading); });
  ClockMatch out;
  out.readings = static_cast<std::int64_t>(sums.n);
  // Of equal readings rounding may leave a trace.
  const auto some = [&](double squares, double mean) {
    return squares > 1e-24 * sums.n * (mean * mean) && squares > 0;
  };
  if (sums.n < 2 || !some(sums.xx, sums.mean_x) || !some(sums.yy, sums.mean_y)) return out;
  out.match = std::clamp(sums.xy / std::sqrt(sums.xx * sums.yy), -1.0, 1.0);
  return out;
}

}  // namespace zerobeat::detail
