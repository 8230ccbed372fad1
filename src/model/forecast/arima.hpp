/// Seasonal autoregressive integrated moving averages by the exact likelihood (Box and Jenkins
/// 1970).

#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/model/forecast_model.hpp>

#include "model/forecast/minimum.hpp"
#include "model/forecast/process.hpp"
#include "model/forecast/state_filter.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What the likelihood is at a process.
struct ArimaLikelihood {
  double value = 0;     ///< its logarithm
  double variance = 0;  ///< of the shocks, by maximum
  double constant = 0;  ///< by maximum, when there is one
  /// The likeliest of missing readings: of those among the first, then of others that the filter
  /// does not pass over.
  std::vector<double> missing{};
};

/// Readings as the likelihood of one number of differences takes them, of an order of magnitude
/// about
/// 1. The first and the last are there; NaN is a missing one.
class ArimaReadings {
 public:
  ArimaReadings(std::span<const double> readings, int ordinary, int seasonal, std::size_t season);

  /// Given the first readings, as many as differences take; of missing ones among those the
  /// likelihood is that of the others whatever they were. Of no readings left: -infinity.
  [[nodiscard]] ArimaLikelihood likelihood(const Process& process, bool has_constant) const;
  /// How many readings the likelihood is of.
  [[nodiscard]] std::int64_t counted() const { return counted_; }
  /// Whether all that is left by the differences is alike, so that there is nothing to fit.
  [[nodiscard]] bool is_flat() const { return is_flat_; }
  /// The last of many readings, to look for a beginning among; none of few.
  [[nodiscard]] const ArimaReadings* recent() const { return recent_.get(); }
  /// The same with numbers put where some are missing, when the filter of those takes long: to look
  /// for orders and beginnings with, and not for what is told in the end. None where it does not.
  [[nodiscard]] const ArimaReadings* lighter() const { return lighter_.get(); }
  [[nodiscard]] std::size_t rows() const { return filled_.size(); }

  struct Ahead {
    std::vector<double> value{}, deviation{};
  };
  /// The rows after the last reading.
  [[nodiscard]] Ahead ahead(const Process& process, bool has_constant,
                            const ArimaLikelihood& fitted, std::size_t rows) const;

 private:
  [[nodiscard]] bool by_state(const Process& process) const;
  [[nodiscard]] Ahead by_responses(const Process& process, const std::vector<double>& level,
                                   double constant, double variance, std::size_t rows) const;

  Differences differences_;
  double centre_ = 0;
  std::int64_t counted_ = 0;
  bool is_flat_ = false;
  std::vector<bool> is_missing_{};           ///< after the first
  std::vector<std::size_t> early_{};         ///< missing ones among the first
  std::vector<std::size_t> late_{};          ///< and after them
  std::vector<double> filled_{}, steady_{};  ///< readings; what a constant comes to
  std::vector<double> differenced_{};
  std::shared_ptr<const ArimaReadings> recent_{}, lighter_{};
};

struct ArimaFit {
  ArimaOrders orders{};
  std::size_t season = 1;
  std::vector<double> ar{}, ma{}, seasonal_ar{}, seasonal_ma{};
  ArimaLikelihood likelihood{};
  std::int64_t readings = 0;    ///< that the likelihood is of
  std::int64_t parameters = 0;  ///< the variance among them

  [[nodiscard]] Process process() const;
  [[nodiscard]] bool has_constant() const { return orders.has_constant(); }
  /// The partial correlations of each polynomial, one behind the other, cut or filled with 0 to
  /// other orders: what is left of a stationary one is stationary.
  [[nodiscard]] std::vector<double> partials(const ArimaOrders& as) const;
};

/// The likeliest of these orders, stationary and invertible, from several beginnings in a fixed
/// order, `near` (of any orders) the first of them; Effort::search goes from fewer; it and
/// Effort::wide may be of lighter().
[[nodiscard]] ArimaFit fit_arima(const ArimaReadings& readings, const ArimaOrders& orders,
                                 std::size_t season, Effort effort, const ArimaFit* near = nullptr);

/// How many parameters such a model has, the variance among them.
[[nodiscard]] std::int64_t parameters_of(const ArimaOrders& orders);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
