/// A smooth line through readings, and its slope.

#pragma once

#include <cmath>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "align/clock/readings.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Where a grid of a smooth line begins, how fine it is, and how many points it has.
struct LineGrid {
  double from = 0;
  double step = 1;
  std::size_t points = 0;

  double at(std::size_t i) const { return from + step * static_cast<double>(i); }
};

/// A line's value and slope at a time; NaN where there is none.
struct LinePoint {
  double value = 0;
  double slope = 0;
};

/// Local straight lines, fitted with weights that fall to 0 at `half_width` (a triweight kernel;
/// Cleveland 1979), on a grid, with Hermite cubics between its points. It has no shift in time of
/// its own: weights are even to both sides, and a slanting design is what the line takes out. None
/// where readings on both sides are further apart than three typical steps.
///
/// Cost: the readings times the points of the grid within a half width; in parallel.
class SmoothLine {
 public:
  SmoothLine(const ClockReadings& readings, double half_width, const LineGrid& grid);

  const LineGrid& grid() const { return grid_; }
  std::span<const double> values() const { return values_; }

  LinePoint operator()(double at) const {
    const double place = (at - grid_.from) / grid_.step;
    if (!(place >= 1) || place >= static_cast<double>(grid_.points) - 2) return none();
    const auto i = static_cast<std::size_t>(place);
    const double s = place - static_cast<double>(i);
    const double a = values_[i - 1], b = values_[i], c = values_[i + 1], d = values_[i + 2];
    // Hermite's cubic with the slopes of the neighbours (Catmull, Rom 1974).
    const double c1 = 0.5 * (c - a), c2 = a - 2.5 * b + 2 * c - 0.5 * d,
                 c3 = 0.5 * (d - a) + 1.5 * (b - c);
    return {b + s * (c1 + s * (c2 + s * c3)), (c1 + s * (2 * c2 + 3 * s * c3)) / grid_.step};
  }

 private:
  static LinePoint none() { return {std::nan(""), std::nan("")}; }

  LineGrid grid_;
  std::vector<double> values_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
