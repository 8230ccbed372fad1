/// Sums, moments and extremes of windows that move along; see both_ways.hpp.
///
/// Each puts its value for window w into out[w]; those of windows without readings
/// are left as they were. Cost: constant for each window and reading.

#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <zerobeat/base/export.hpp>

#include "kernel/window/both_ways.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Each window's sum, or mean. Sums are in blocks, of which the rounding errors are kept (two-sum:
/// Knuth, TAOCP 2, 4.2.2), so that their error does not grow with the window. The mean of equal
/// readings is that reading.
void window_sums(std::span<const double> readings, const StretchedWindows& windows, double* out);
void window_means(std::span<const double> readings, const StretchedWindows& windows, double* out);

/// The sum of whole numbers of each window; false when one does not fit, and all of it is void.
/// Windows move ahead only.
bool window_sums(std::span<const std::int64_t> readings, std::span<const RowRange> windows,
                 std::int64_t* out);

/// Each window's mean and sum of squared deviations from it. Sums are of differences from readings
/// of the window itself (shifted data: Chan, Golub, LeVeque 1983), so that what cancels is at most
/// about as many parts as there are readings. Either may be null.
void window_moments(std::span<const double> readings, const StretchedWindows& windows,
                    double* means, double* squares);

/// The same of two variables: sums of squared deviations of each, and of their products.
struct CoMoments {
  double squares_x = 0, squares_y = 0, products = 0;
};
/// Calls put(w, moments, readings) for each window.
template <typename Put>
void window_products(std::span<const double> x_readings, std::span<const double> y_readings,
                     const StretchedWindows& windows, Put&& put) {
  struct Sums {
    double x = 0, y = 0, xx = 0, yy = 0, xy = 0;
  };
  struct Shifted {
    double pivot_x, pivot_y;
    Sums sums{};
  };
  const double *const x = x_readings.data(), *const y = y_readings.data();
  const std::size_t size = x_readings.size();
  double pivot_x = 0, pivot_y = 0;
  both_ways<Sums>(
      windows,
      [&](std::size_t i) {
        pivot_x = i < size ? x[i] : 0;
        pivot_y = i < size ? y[i] : 0;
        return Shifted{pivot_x, pivot_y};
      },
      [&](std::size_t i) {
        return Shifted{i < size ? x[i] : 0, i < size ? y[i] : 0};
      },
      [x, y](Shifted& shifted, std::size_t i) {
        const double off_x = x[i] - shifted.pivot_x, off_y = y[i] - shifted.pivot_y;
        shifted.sums.x += off_x;
        shifted.sums.y += off_y;
        shifted.sums.xx += off_x * off_x;
        shifted.sums.yy += off_y * off_y;
        shifted.sums.xy += off_x * off_y;
      },
      [](const Shifted& shifted) { return shifted.sums; },
      [&](std::size_t w, const Sums& back, std::size_t n_back, const Shifted& ahead,
          std::size_t n_ahead) {
        const auto a = static_cast<double>(n_ahead);
        const double n = static_cast<double>(n_back) + a;
        Sums all = ahead.sums;
        if (n_back > 0) {
          const double dx = n_ahead > 0 ? ahead.pivot_x - pivot_x : 0;
          const double dy = n_ahead > 0 ? ahead.pivot_y - pivot_y : 0;
          all = {back.x + (all.x + a * dx), back.y + (all.y + a * dy),
                 back.xx + (all.xx + dx * (2 * all.x + a * dx)),
                 back.yy + (all.yy + dy * (2 * all.y + a * dy)),
                 back.xy + (all.xy + (dx * all.y + dy * all.x + a * dx * dy))};
        }
        const double off_x = all.x / n, off_y = all.y / n;
        put(w,
            CoMoments{std::max(0.0, all.xx - all.x * off_x), std::max(0.0, all.yy - all.y * off_y),
                      all.xy - all.x * off_y},
            n);
      });
}

/// Each window's least or greatest reading.
void window_least(std::span<const double> readings, const StretchedWindows& windows, double* out);
void window_greatest(std::span<const double> readings, const StretchedWindows& windows,
                     double* out);
void window_least(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                  std::int64_t* out);
void window_greatest(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                     std::int64_t* out);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
