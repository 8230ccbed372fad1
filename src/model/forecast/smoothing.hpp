/// Exponential smoothing as models with one source of error, by maximum likelihood (Hyndman,
/// Koehler, Ord and Snyder 2008).

#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/model/forecast_model.hpp>

#include "model/forecast/minimum.hpp"
#include "model/forecast/rows_ahead.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// How quickly each part follows the errors, and where it begins.
struct SmoothingState {
  double alpha = 0, beta = 0, gamma = 0, phi = 1;
  double level = 0, slope = 0;
  std::vector<double> season{};  ///< of the first row first; none: no season
};

struct SmoothingFit {
  SmoothingForm form{};
  SmoothingState begin{};  ///< before the first row
  SmoothingState end{};    ///< after the last, the season of the next row first
  double log_likelihood = 0;
  /// Of the errors (of relative ones, when they multiply): over the readings less the parameters,
  /// as bands of few readings by the maximum are too narrow.
  double variance = 0;
  std::int64_t readings = 0;    ///< that are there
  std::int64_t parameters = 0;  ///< the variance among them
  /// How uncertain the end is, in shocks, where readings are missing near it: by rows of a square,
  /// of level, slope and season; empty: not at all.
  std::vector<double> end_covariance{};
};

[[nodiscard]] bool has_trend(const SmoothingForm& form);
[[nodiscard]] bool is_damped(const SmoothingForm& form);
[[nodiscard]] bool has_season(const SmoothingForm& form);
/// Whether errors add, and so do the parts: its readings are normal, all together.
[[nodiscard]] bool is_linear(const SmoothingForm& form);
/// Whether it is only for readings above 0.
[[nodiscard]] bool multiplies(const SmoothingForm& form);
[[nodiscard]] std::int64_t parameters_of(const SmoothingForm& form, std::size_t season);

/// Readings as these models take them, of an order of magnitude about 1: the first and the last are
/// there, NaN is a missing one.
class SmoothingReadings {
 public:
  SmoothingReadings(std::span<const double> readings, std::size_t season);

  [[nodiscard]] std::span<const double> values() const { return values_; }
  [[nodiscard]] std::size_t season() const { return season_; }
  [[nodiscard]] std::int64_t counted() const { return counted_; }
  [[nodiscard]] bool has_gaps() const {
    return counted_ < static_cast<std::int64_t>(values_.size());
  }
  [[nodiscard]] bool all_positive() const { return all_positive_; }
  /// What readings step by, typically; 1 where they do not.
  [[nodiscard]] double spread() const { return spread_; }

 private:
  std::vector<double> values_;
  std::size_t season_;
  double spread_ = 1;
  std::int64_t counted_ = 0;
  bool all_positive_ = true;
};

/// -2 times the logarithm of the likelihood at a state; a missing one passes as
/// if it were met. Slopes by each number, when there is room: alpha, beta, gamma, phi, level,
/// slope, the season. Infinite where errors multiply what is not above 0. Cost: the rows, whatever
/// the season.
[[nodiscard]] double smoothing_deviance(const SmoothingReadings& readings,
                                        const SmoothingForm& form, const SmoothingState& state,
                                        SmoothingState* slopes = nullptr);

/// The likeliest, from several beginnings in a fixed order. Where errors and parts add, missing
/// readings have their full likelihood (see smoothing_gaps.hpp).
/// Effort::search takes no digit more than it needs; it, and a season of a thousand rows, passes
/// missing readings over as if they were met.
[[nodiscard]] SmoothingFit fit_smoothing(const SmoothingReadings& readings,
                                         const SmoothingForm& form, Effort effort);

/// The rows after the last reading, with bands that hold the given shares, by formula; where errors
/// add and the season multiplies, of 5,000 simulated paths.
[[nodiscard]] RowsAhead smoothing_ahead(const SmoothingFit& fit, std::size_t rows,
                                        std::span<const double> shares, std::uint64_t seed);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
