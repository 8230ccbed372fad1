/// How one strand's rows are fitted: coefficients, their errors, and how well.

#pragma once

#include <cstdint>
#include <limits>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/model/regress.hpp>

#include "model/least_squares.hpp"
#include "model/sample.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr double no_fit = std::numeric_limits<double>::quiet_NaN();

/// How one strand's rows were fitted.
struct Fitted {
  std::int64_t rows = 0, left_out = 0;
  bool is_solved = false;
  LeastSquares solution{};
  std::vector<double> se{};  ///< of the coefficients that are kept; none: there are no errors
  double sigma = no_fit, r2 = no_fit, r2_adjusted = no_fit, f = no_fit, p = no_fit;
  double loglik = no_fit, aic = no_fit, bic = no_fit, durbin_watson = no_fit;

  [[nodiscard]] std::int64_t size() const { return static_cast<std::int64_t>(solution.size()); }
  [[nodiscard]] double freedom() const { return static_cast<double>(rows - size()); }
};

/// By least squares or by Huber's, as the options say. Cost: some passes over the rows.
[[nodiscard]] Fitted fitted(const Sample& sample, const Strand& strand, const Regress& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
