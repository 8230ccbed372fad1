#include "model/forecast/hidden_ends.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Family = ForecastModel::Family;

/// What lies before an end, and how far readings step over a season in it.
struct Round {
  std::size_t rows = 0;
  double scale = no_value;
};

double mean_step(std::span<const double> readings, std::size_t season, double (*original)(double)) {
  double sum = 0, count = 0;
  for (std::size_t t = season; t < readings.size(); ++t) {
    const double step = std::fabs(original(readings[t]) - original(readings[t - season]));
    if (std::isnan(step)) continue;
    sum += step;
    ++count;
  }
  return count > 0 ? sum / count : no_value;
}

std::vector<Round> rounds_of(const Series& series, std::size_t ahead, std::int64_t rounds,
                             double (*original)(double)) {
  std::vector<Round> out;
  const std::size_t rows = series.readings.size();
  for (std::size_t k = static_cast<std::size_t>(rounds); k >= 1; --k) {
    if (ahead == 0 || rows / k < ahead || rows - k * ahead == 0) continue;
    const Round round{rows - k * ahead,
                      mean_step(series.readings.first(rows - k * ahead), series.season, original)};
    const auto hidden = series.readings.subspan(round.rows, ahead);
    const bool any = std::ranges::any_of(hidden, [](double x) { return !std::isnan(x); });
    if (any && !std::isnan(round.scale)) out.push_back(round);
  }
  return out;
}

/// One round of one model.
struct RoundScore {
  std::int64_t compared = 0;
  double absolute = 0, squares = 0, scaled = 0;
  std::vector<std::int64_t> banded{}, within{};
  std::string instead{};
};

RoundScore score_round(const ForecastModel& model, const Series& series, const Round& round,
                       std::size_t ahead, std::int64_t rounds, const FitOptions& options,
                       double (*original)(double)) {
  RoundScore out;
  out.banded.assign(options.shares.size(), 0);
  out.within = out.banded;
  const Series before{series.readings.first(round.rows), series.season};
  const FittedModel fitted = choose_model(model, before, ahead, rounds, options, original).fitted;
  if (!fitted.is_fitted()) return out;
  out.instead = fitted.instead;
  const RowsAhead told = fitted.ahead(ahead);
  for (std::size_t h = 0; h < ahead; ++h) {
    const double came = original(series.readings[round.rows + h]);
    const double error = std::fabs(came - original(told.value[h]));
    if (std::isnan(error)) continue;
    ++out.compared;
    out.absolute += error;
    out.squares += error * error;
    out.scaled += error / round.scale;
    for (std::size_t k = 0; k < options.shares.size(); ++k) {
      const double low = original(told.low[k][h]), high = original(told.high[k][h]);
      if (std::isnan(low) || std::isnan(high)) continue;
      ++out.banded[k];
      out.within[k] += low <= came && came <= high ? 1 : 0;
    }
  }
  return out;
}

EndsScore sum_of(std::span<const RoundScore> rounds, std::size_t shares) {
  EndsScore out;
  out.rounds = static_cast<std::int64_t>(rounds.size());
  double absolute = 0, squares = 0, scaled = 0;
  std::vector<std::int64_t> banded(shares, 0), within(shares, 0);
  for (const RoundScore& round : rounds) {
    out.compared += round.compared;
    absolute += round.absolute;
    squares += round.squares;
    scaled += round.scaled;
    for (std::size_t k = 0; k < shares; ++k) {
      banded[k] += round.banded[k];
      within[k] += round.within[k];
    }
    if (out.instead.empty()) out.instead = round.instead;
  }
  const auto n = static_cast<double>(out.compared);
  out.mae = n > 0 ? absolute / n : no_value;
  out.rmse = n > 0 ? std::sqrt(squares / n) : no_value;
  out.mase = n > 0 ? scaled / n : no_value;
  for (std::size_t k = 0; k < shares; ++k) {
    out.within.push_back(
        banded[k] > 0 ? static_cast<double>(within[k]) / static_cast<double>(banded[k]) : no_value);
  }
  return out;
}

}  // namespace

std::vector<EndsScore> score_ends(std::span<const ForecastModel> models, const Series& series,
                                  std::size_t ahead, std::int64_t rounds, const FitOptions& options,
                                  double (*original)(double)) {
  const std::vector<Round> ends = rounds_of(series, ahead, rounds, original);
  std::vector<RoundScore> scores(models.size() * ends.size());
  parallel_for(std::size_t{0}, scores.size(), [&](std::size_t i) {
    scores[i] = score_round(models[i / ends.size()], series, ends[i % ends.size()], ahead, rounds,
                            options, original);
  });
  std::vector<EndsScore> out;
  for (std::size_t m = 0; m < models.size(); ++m) {
    out.push_back(
        sum_of(std::span(scores).subspan(m * ends.size(), ends.size()), options.shares.size()));
  }
  return out;
}

ChosenModel choose_model(const ForecastModel& model, const Series& series, std::size_t ahead,
                         std::int64_t rounds, const FitOptions& options,
                         double (*original)(double)) {
  ChosenModel out;
  if (model.family != Family::automatic) {
    out.fitted = fit_model(model, series, options);
    return out;
  }
  // The simplest first: of equals it stays.
  out.compared = {Family::naive};
  if (series.season > 1) out.compared.emplace_back(Family::seasonal);
  out.compared.emplace_back(Family::smoothing);
  out.compared.emplace_back(Family::arima);
  out.scores = score_ends(out.compared, series, ahead, rounds, options, original);
  // Without an end to hide nothing speaks for more than the readings say by themselves.
  if (out.scores[0].rounds == 0) {
    out.best = series.season > 1 && series.readings.size() >= 2 * series.season ? 1 : 0;
  }
  for (std::size_t i = 1; i < out.scores.size(); ++i) {
    if (out.scores[i].mae < out.scores[out.best].mae) out.best = i;
  }
  out.fitted = fit_model(out.compared[out.best], series, options);
  return out;
}

}  // namespace zerobeat::detail
