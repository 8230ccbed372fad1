/// Processes in which what comes follows what was: autoregressive moving averages, driven by shocks
/// of variance 1.

#pragma once

#include <cstddef>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// w_t = Σ ar[i] w_{t-1-i} + e_t + Σ ma[i] e_{t-1-i}, stationary and invertible.
struct Process {
  std::vector<double> ar{}, ma{};

  /// How many numbers say all that the past tells of what comes.
  [[nodiscard]] std::size_t dimension() const;
};

/// The coefficients of an autoregression from its partial correlations, each within (-1, 1): every
/// stationary one has such (Barndorff-Nielsen and Schou 1973).
[[nodiscard]] std::vector<double> from_partials(std::span<const double> partials);
/// The partial correlations of one; what is not stationary has one outside (-1, 1).
[[nodiscard]] std::vector<double> to_partials(std::span<const double> coefficients);

/// What (1 - Σ a B^i)(1 - Σ b B^(i season)) takes off, as one sum.
[[nodiscard]] std::vector<double> times_seasonal(std::span<const double> a,
                                                 std::span<const double> b, std::size_t season);

/// The covariances of readings 0 to `lags` apart. Cost: the square of the autoregression's length.
[[nodiscard]] std::vector<double> autocovariances(const Process& process, std::size_t lags);

/// What a shock does so many steps later, from 1 at 0.
[[nodiscard]] std::vector<double> responses(const Process& process, std::size_t steps);

/// The covariances of the process and each number of its state (Harvey 1989, section 3.3: the
/// companion form), the process itself first: the first column of the state's covariance.
[[nodiscard]] std::vector<double> state_covariances(const Process& process);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
