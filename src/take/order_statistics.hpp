/// Order statistics of windows that slide over a strand.

#pragma once

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

}  // namespace zerobeat::detail
