/// A model fitted to one column of one strand: what it is, how well it fits, what it says of the
/// rows ahead.

#pragma once

#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/model/forecast.hpp>

#include "model/forecast/rows_ahead.hpp"
#include "take/definitions.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Readings one beat apart, NaN where one is missing.
struct Series {
  std::span<const double> readings{};
  std::size_t season = 1;  ///< rows; 1: none
};

/// How a model is looked for.
struct FitOptions {
  Forecast::Criterion by = Forecast::Criterion::aicc;
  std::vector<double> shares{};  ///< of the bands
  std::uint64_t seed = 1;
};

struct FittedModel {
  ForecastModel model{};        ///< as it can be named
  std::string name{};           ///< for people: "arima 1,0,1 with a season of 5"
  std::int64_t readings = 0;    ///< that the likelihood is of
  std::int64_t parameters = 0;  ///< the variance among them
  double sigma = 0;
  double log_likelihood = 0;
  std::vector<std::pair<std::string, double>> terms{};
  double next_best = 0;  ///< the criterion of the second best of its family; NaN: it was not chosen
  std::string instead{};  ///< why it is not what was asked for; empty: it is
  std::function<RowsAhead(std::size_t rows)> ahead{};  ///< after the last reading

  [[nodiscard]] bool is_fitted() const { return static_cast<bool>(ahead); }
  [[nodiscard]] double criterion(Forecast::Criterion by) const;
};

/// What a criterion makes of a likelihood: Akaike's (1974), corrected (Hurvich and Tsai 1989), or
/// Schwarz's (1978). Infinite where there are too few readings for it.
[[nodiscard]] double criterion_of(double log_likelihood, std::int64_t parameters,
                                  std::int64_t readings, Forecast::Criterion by);

/// A model, not automatic, fitted to a series; where it needs more readings than there are, the
/// next simpler one, and `instead` says so. Of no readings nothing is fitted. What it says of the
/// rows ahead are those after the series' last row.
[[nodiscard]] FittedModel fit_model(const ForecastModel& model, const Series& series,
                                    const FitOptions& options);

/// The families, of trimmed series: the first and the last reading are there.
[[nodiscard]] FittedModel fit_mean(const Series& series, const FitOptions& options);
[[nodiscard]] FittedModel fit_naive(const Series& series, const FitOptions& options);
[[nodiscard]] FittedModel fit_drift(const Series& series, const FitOptions& options);
/// Nothing is fitted when a phase has no reading.
[[nodiscard]] FittedModel fit_seasonal(const Series& series, const FitOptions& options);
/// Nothing is fitted when there are too few readings.
[[nodiscard]] FittedModel fit_smoothing_form(const Series& series, const SmoothingForm& form,
                                             const FitOptions& options);
[[nodiscard]] FittedModel choose_smoothing(const Series& series, const FitOptions& options);
[[nodiscard]] FittedModel fit_arima_orders(const Series& series, const ArimaOrders& orders,
                                           const FitOptions& options);
[[nodiscard]] FittedModel choose_arima(const Series& series, const FitOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
