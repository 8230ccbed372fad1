/// Correlations of readings with those before them, for the steps that need them.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The readings of a strand less their mean, 0 where one is missing.
struct Centred {
  std::vector<double> values{};
  std::int64_t readings = 0;
  double squares = 0;  ///< their sum; 0 when all readings are equal
};

[[nodiscard]] Centred centred(const Column& numbers, const Strand& strand);

/// At lags from 0 to `lags`; the squares must not be 0.
[[nodiscard]] std::vector<double> correlations_of(const Centred& x, std::size_t lags);

/// Partial correlations at the same lags (Durbin 1960, Levinson 1946): NaN at lag 0, and from the
/// lag on at which one leaves (-1, 1). Cost: the square of the lags.
[[nodiscard]] std::vector<double> partial_of(std::span<const double> correlations);

/// Ljung and Box's (1978) Q of all lags to each, NaN at lag 0.
[[nodiscard]] std::vector<double> ljung_box(std::span<const double> correlations, double readings);

/// How likely chi-squared of so many degrees is at least that; NaN of none.
[[nodiscard]] double chi_squared_p(double statistic, double degrees);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
