/// Exponential smoothing whose errors and parts add, with readings missing: a row that was not seen
/// had an error, too, which the readings after it tell of.

#pragma once

#include <vector>
#include <zerobeat/base/export.hpp>

#include "model/forecast/smoothing.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct GapsDeviance {
  double value = 0;  ///< -2 times the logarithm of the likelihood, as smoothing_deviance() has it
  double variance = 0;
  SmoothingState begin{}, end{};
  std::vector<double> end_covariance{};  ///< as SmoothingFit has it
};

/// Kalman's filter of the form, from a beginning that is known.
class SmoothingGaps {
 public:
  SmoothingGaps(const SmoothingReadings& readings, const SmoothingForm& form)
      : readings_(readings), form_(form) {}

  /// At the shares of `state` (alpha, beta, gamma, phi) and the beginning that is likeliest there:
  /// readings are linear in it, so it is a regression. Cost: for each row the state, and after a
  /// gap its square until that is forgotten.
  [[nodiscard]] GapsDeviance deviance(const SmoothingState& state) const;

 private:
  const SmoothingReadings& readings_;
  SmoothingForm form_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
