/// Sums, extremes and moments of dense readings.

#pragma once

#include <cstdint>
#include <span>
#include <zerobeat/base/export.hpp>

#include "take/definitions.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The compensated sum: two-sum in eight lanes, merged in order, so that it is the same on every
/// machine. Infinities give what plain addition gives.
CompensatedSum sum_of(std::span<const double> readings);

/// The compensated sum of products.
CompensatedSum sum_of_products(std::span<const double> a, std::span<const double> b);

template <typename Number>
struct Extremes {
  Number least{}, most{};
};

/// The least and the greatest of at least one.
Extremes<double> extremes_of(std::span<const double> readings);
Extremes<std::int64_t> extremes_of(std::span<const std::int64_t> readings);

/// Sums of powers of the deviations from the mean; the square's is corrected for the rounding of
/// the mean (corrected two-pass: Chan, Golub, LeVeque 1983).
struct Deviations {
  double squares = 0, cubes = 0, fourths = 0;
};

/// Of at least one reading. `mean` is theirs; cubes and fourths only when `higher`.
Deviations deviations_of(std::span<const double> readings, double mean, bool higher);

/// The variance of a sample (n - 1) of at least two.
double variance_of(std::span<const double> readings);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
