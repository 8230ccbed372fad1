#include "align/clock/smooth_line.hpp"

#include <tbb/blocked_range.h>

#include <algorithm>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The line fitted around x to the readings from `first` on that lie within the half width.
double local_line(const ClockReadings& readings, std::size_t first, double x, double half_width) {
  double s0 = 0, s1 = 0, s2 = 0, t0 = 0, t1 = 0;
  const std::size_t n = readings.size();
  for (std::size_t i = first; i < n && readings.at[i] < x + half_width; ++i) {
    const double u = (readings.at[i] - x) / half_width;
    const double room = std::max(0.0, 1 - u * u);
    const double w = room * room * room;
    s0 += w;
    s1 += w * u;
    s2 += w * u * u;
    t0 += w * readings.values[i];
    t1 += w * u * readings.values[i];
  }
  const double determinant = s0 * s2 - s1 * s1;
  if (!(determinant > 1e-9 * s0 * s0)) return std::nan("");
  return (s2 * t0 - s1 * t1) / determinant;
}

}  // namespace

SmoothLine::SmoothLine(const ClockReadings& readings, double half_width, const LineGrid& grid)
    : grid_(grid), values_(grid.points, std::nan("")) {
  const double longest = 3 * readings.step;
  constexpr std::size_t grain = 4096;
  detail::parallel_for(
      tbb::blocked_range<std::size_t>(0, grid.points, grain), [&](const auto& range) {
        const double start = grid.at(range.begin());
        auto first = static_cast<std::size_t>(
            std::ranges::upper_bound(readings.at, start - half_width) - readings.at.begin());
        auto next = static_cast<std::size_t>(std::ranges::upper_bound(readings.at, start) -
                                             readings.at.begin());
        for (std::size_t i = range.begin(); i < range.end(); ++i) {
          const double x = grid.at(i);
          while (first < readings.size() && readings.at[first] <= x - half_width) ++first;
          while (next < readings.size() && readings.at[next] <= x) ++next;
          if (next == 0 || next == readings.size()) continue;
          if (readings.at[next] - readings.at[next - 1] > longest) continue;
          values_[i] = local_line(readings, first, x, half_width);
        }
      });
}

}  // namespace zerobeat::detail
