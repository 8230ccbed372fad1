/// Sums and moments of dense readings.

#pragma once

#include <cstdint>
#include <span>

namespace zerobeat::detail {

/// A sum with its rounding error apart.
struct ExactSum {
  double sum = 0;
  double rest = 0;

  double value() const;
  double mean(std::size_t count) const;
};

/// The compensated sum: two-sum in eight lanes, merged in order, so that it is the same on every
/// machine. Infinities give what plain addition gives.
ExactSum sum_of(std::span<const double> readings);

/// The compensated sum of products.
ExactSum sum_of_products(std::span<const double> a, std::span<const double> b);

/// The variance of a sample (n - 1) of at least two: corrected two-pass.
double variance_of(std::span<const double> readings);

}  // namespace zerobeat::detail
