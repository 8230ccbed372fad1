/// Sums, moments and extremes of windows that move along; see both_ways.hpp.
///
/// Each puts its value for window w into out[w]; those of windows without readings
/// are left as they were. Cost: constant for each window and reading.

#pragma once

#include <cstdint>
#include <span>

#include "take/both_ways.hpp"

namespace zerobeat::detail {

/// Each window's sum, or mean. Sums are in blocks, of which the rounding errors are kept (two-sum:
/// Knuth, TAOCP 2, 4.2.2), so that their error does not grow with the window. Means are of
/// differences from readings of the window itself, so that the mean of equal readings is that
/// reading.
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
void window_products(std::span<const double> x, std::span<const double> y,
                     const StretchedWindows& windows, CoMoments* out);

/// Each window's least or greatest reading.
void window_least(std::span<const double> readings, const StretchedWindows& windows, double* out);
void window_greatest(std::span<const double> readings, const StretchedWindows& windows,
                     double* out);
void window_least(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                  std::int64_t* out);
void window_greatest(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                     std::int64_t* out);

}  // namespace zerobeat::detail
