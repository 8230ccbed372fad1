/// Sums, moments and extremes of windows that move along: nothing is ever taken back out.
///
/// A stretch of windows shares a middle: the end of its first one. What lies before
/// the middle is added up once, from the middle backwards, what lies after it once,
/// ahead; each window is one of the former and one of the latter put together. The
/// next stretch begins with the first window past the middle. So each reading is
/// added twice, whatever the windows' length, and no window holds a trace of another's
/// readings. (The two stacks of a queue that knows its minimum; for windows of one
/// length van Herk 1992, Gil and Werman 1993.)

#pragma once

#include <cstdint>
#include <span>

#include "take/window_rows.hpp"

namespace zerobeat::detail {

/// Calls stretch(first, last, middle) for windows [first, last), each of which holds the reading
/// before `middle`; windows without readings are passed over.
template <typename Stretch>
void over_stretches(std::span<const RowRange> windows, Stretch&& stretch) {
  for (std::size_t first = 0; first < windows.size();) {
    const RowRange own = windows[first];
    if (own.begin >= own.end) {
      ++first;
      continue;
    }
    const std::uint32_t middle = own.end;
    // As many as the first has readings, when windows move on by one.
    std::size_t last = std::min<std::size_t>(windows.size(), first + (middle - own.begin));
    while (last < windows.size() && windows[last].begin < middle) ++last;
    while (windows[last - 1].begin >= middle) --last;
    stretch(first, last, middle);
    first = last;
  }
}

/// Each window's sum, or mean, into out[w]; those of windows without readings are left as they
/// were. Compensated (two-sum: Knuth, TAOCP 2, 4.2.2); the mean of equal readings is that reading.
/// Cost: constant for each window and reading.
void window_sums(std::span<const double> readings, std::span<const RowRange> windows, double* out);
void window_means(std::span<const double> readings, std::span<const RowRange> windows, double* out);

/// The sum of whole numbers of each window; false when one does not fit, and all of it is void.
bool window_sums(std::span<const std::int64_t> readings, std::span<const RowRange> windows,
                 std::int64_t* out);

/// Each window's mean and sum of squared deviations from it. Sums are of differences from a reading
/// that all windows of a stretch hold (shifted data: Chan, Golub, LeVeque 1983), so that what
/// cancels is at most one part in the number of readings.
/// Either may be null. Cost: constant for each window and reading.
void window_moments(std::span<const double> readings, std::span<const RowRange> windows,
                    double* means, double* squares);

/// The same of two variables: sums of squared deviations of each, and of their products.
struct CoMoments {
  double squares_x = 0, squares_y = 0, products = 0;
};
void window_products(std::span<const double> x, std::span<const double> y,
                     std::span<const RowRange> windows, CoMoments* out);

/// Each window's least or greatest reading.
void window_least(std::span<const double> readings, std::span<const RowRange> windows, double* out);
void window_greatest(std::span<const double> readings, std::span<const RowRange> windows,
                     double* out);
void window_least(std::span<const std::int64_t> readings, std::span<const RowRange> windows,
                  std::int64_t* out);
void window_greatest(std::span<const std::int64_t> readings, std::span<const RowRange> windows,
                     std::int64_t* out);

}  // namespace zerobeat::detail
