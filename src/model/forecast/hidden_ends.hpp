/// How models would have done: ends of a series are hidden, and forecast from what lies before.

#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/model/forecast_model.hpp>

#include "model/forecast/fitted_model.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What a model came to over the hidden ends; NaN of nothing.
struct EndsScore {
  std::int64_t rounds = 0, compared = 0;
  double mae = 0, rmse = 0, mase = 0;
  std::vector<double> within{};  ///< shares of what came, in the bands of each share asked for
  std::string instead{};         ///< why another model stood for it in some round
};

/// From `rounds` ends, each `ahead` rows before the next, the last `ahead` before the end: each
/// model is fitted to what lies before. Rounds with too little before them, no reading a season (a
/// row) after another, and none that came, are left out, for all models alike. Errors are of what
/// `original` makes of numbers: of logarithms the readings. Rounds and models run side by side.
[[nodiscard]] std::vector<EndsScore> score_ends(std::span<const ForecastModel> models,
                                                const Series& series, std::size_t ahead,
                                                std::int64_t rounds, const FitOptions& options,
                                                double (*original)(double));

/// A model, or, of automatic, the best of both families, seasonal and naive over the hidden ends,
/// of equals the simplest.
struct ChosenModel {
  FittedModel fitted{};
  std::vector<ForecastModel> compared{};  ///< none: it was named
  std::vector<EndsScore> scores{};        ///< of each
  std::size_t best = 0;
};

[[nodiscard]] ChosenModel choose_model(const ForecastModel& model, const Series& series,
                                       std::size_t ahead, std::int64_t rounds,
                                       const FitOptions& options, double (*original)(double));

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
