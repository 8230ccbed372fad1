/// Order statistics of windows that slide over a strand.

#pragma once

#include <algorithm>
#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "take/definitions.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The quantile of readings in any order, which it puts in another. Cost: linear (selection).
double quantile_of(std::vector<double>& readings, double share);

/// What lies in the middle of a window, and how far readings are from it.
struct MedianSpread {
  double median = 0;
  double deviation = 0;  ///< the median of the absolute deviations from it
};

/// Of sorted readings; `at(k)` gives the k-th smallest of `n`, which is at least 1. The deviations
/// of those below and above the median are two sorted sequences, of which the middle is found by
/// halving, from where `hint` says it was last and from near there in ever longer steps (Bentley,
/// Yao 1976). Cost: log n readings, few when the hint is right.
template <typename At>
MedianSpread median_spread_at(std::size_t n, At&& at, std::size_t& hint) {
  const std::size_t below = n / 2;  // so many readings are not above the median
  const double median = n % 2 == 1 ? at(below) : at(below - 1) + (at(below) - at(below - 1)) * 0.5;
  const std::size_t above = n - below;
  const auto left = [&](std::size_t i) { return median - at(below - 1 - i); };
  const auto right = [&](std::size_t i) { return at(below + i) - median; };
  // How many of the least k deviations are of readings below.
  const auto of_left = [&](std::size_t k) {
    const std::size_t first = k > above ? k - above : 0, last = std::min(k, below);
    const auto takes_more = [&](std::size_t i) { return left(i) < right(k - i - 1); };
    std::size_t low = first, high = std::clamp(hint, first, last), step = 1;
    if (high < last && takes_more(high)) {
      low = high + 1;
      for (; low + step <= last && takes_more(low + step - 1); step *= 2) low += step;
      high = std::min(last, low + step - 1);
    } else {
      for (; high > first; step *= 2) {
        const std::size_t probe = high - std::min(step, high - first);
        if (takes_more(probe)) {
          low = probe + 1;
          break;
        }
        high = probe;
      }
    }
    while (low < high) {
      const std::size_t middle = (low + high) / 2;
      if (takes_more(middle)) {
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
  hint = i;
  const double first = smallest(i, k - i);
  if (n % 2 == 1) return {median, first};
  const std::size_t next = of_left(k + 1);
  const double second = smallest(next, k + 1 - next);
  return {median, first + (second - first) * 0.5};
}

template <typename At>
MedianSpread median_spread_at(std::size_t n, At&& at) {
  std::size_t hint = n / 4;
  return median_spread_at(n, at, hint);
}

/// Of readings in any order, which it puts in another.
MedianSpread median_spread_of(std::vector<double>& readings);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
