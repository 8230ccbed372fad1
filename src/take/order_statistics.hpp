/// Order statistics of windows that slide over a strand.

#pragma once

#include <algorithm>
#include <cstdint>
#include <span>
#include <vector>

#include "take/window_rows.hpp"

namespace zerobeat::detail {

/// The quantile of sorted readings, linear between order statistics at position share * (n - 1).
/// `at(k)` gives the k-th smallest of `n`, which is at least 1.
template <typename At>
double quantile_at(std::size_t n, double share, At&& at) {
  const double position = share * static_cast<double>(n - 1);
  const auto below = static_cast<std::size_t>(position);
  const double part = position - static_cast<double>(below);
  const double low = at(below);
  if (part == 0 || below + 1 >= n) return low;
  const double high = at(below + 1);
  return low == high ? low : low + (high - low) * part;
}

/// The quantile of readings in any order, which it puts in another. Cost: linear (selection).
double quantile_of(std::vector<double>& readings, double share);

/// Quantiles of windows that slide over a strand.
///
/// `values` are the strand's readings, of which reading i is there when validity[offset + i]; the
/// windows move ahead only. Window i gets its number of readings in counts[i], and when that is
/// not 0, for each of `shares` its quantile in quantiles[i * shares.size() + …].
/// Cost: log of the window a row. Windows of up to some hundred rows are kept sorted; of longer
/// ones, readings are ranked block by block and counted in a tree over the ranks (Fenwick 1994).
void rolling_quantiles(std::span<const double> values, const Validity& validity, std::size_t offset,
                       std::span<const RowRange> windows, std::span<const double> shares,
                       std::span<std::uint32_t> counts, std::span<double> quantiles);

/// What lies in the middle of a window, and how far readings are from it.
struct MedianSpread {
  double median = 0;
  double deviation = 0;  ///< the median of the absolute deviations from it
};

/// Of sorted readings; `at(k)` gives the k-th smallest of `n`, which is at least 1. The deviations
/// of those below and above the median are two sorted sequences, of which the middle is found by
/// halving. Cost: log n readings.
template <typename At>
MedianSpread median_spread_at(std::size_t n, At&& at) {
  const std::size_t below = n / 2;  // so many readings are not above the median
  const double median = n % 2 == 1 ? at(below) : at(below - 1) + (at(below) - at(below - 1)) * 0.5;
  const std::size_t above = n - below;
  const auto left = [&](std::size_t i) { return median - at(below - 1 - i); };
  const auto right = [&](std::size_t i) { return at(below + i) - median; };
  // How many of the least k deviations are of readings below.
  const auto of_left = [&](std::size_t k) {
    std::size_t low = k > above ? k - above : 0, high = std::min(k, below);
    while (low < high) {
      const std::size_t middle = (low + high) / 2;
      if (left(middle) < right(k - middle - 1)) {
        low = middle + 1;
      } else {
        high = middle;
      }
    }
    return low;
  };
  const auto smallest = [&](std::size_t i, std::size_t j) {
    if (i == below) return right(j);
    if (j == above) return left(i);
    return std::min(left(i), right(j));
  };
  const std::size_t k = (n - 1) / 2, i = of_left(k);
  const double first = smallest(i, k - i);
  if (n % 2 == 1) return {median, first};
  const std::size_t next = of_left(k + 1);
  const double second = smallest(next, k + 1 - next);
  return {median, first + (second - first) * 0.5};
}

/// Of readings in any order, which it puts in another.
MedianSpread median_spread_of(std::vector<double>& readings);

}  // namespace zerobeat::detail
