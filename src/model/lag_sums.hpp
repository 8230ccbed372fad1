/// Sums of products of two sequences at each lag.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Of x[t] y[t + k] over all t for which both are there, for k from 0 to `lags`; the two have one
/// length. Cost: a pass for each lag, or, of many lags, three Fourier transforms (equal to the
/// passes to some 1e-15 of the sums' scale).
[[nodiscard]] std::vector<double> lag_sums(std::span<const double> x, std::span<const double> y,
                                           std::size_t lags);

/// The two ways.
[[nodiscard]] std::vector<double> lag_sums_by_passes(std::span<const double> x,
                                                     std::span<const double> y, std::size_t lags);
[[nodiscard]] std::vector<double> lag_sums_by_transform(std::span<const double> x,
                                                        std::span<const double> y,
                                                        std::size_t lags);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
