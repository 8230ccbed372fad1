#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "model/forecast/fitted_model.hpp"
#include "model/seasonal.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Family = ForecastModel::Family;
using Part = SmoothingForm::Part;

/// A season longer than this is taken off, and not looked for.
constexpr std::size_t longest_season = 24;

/// A season that was found once, of each row by its place, and what is left.
struct SeasonOff {
  std::vector<double> season{}, rest{};
};

SeasonOff take_season_off(const Series& series) {
  const SeasonalParts parts =
      seasonal_loess(series.readings, periodic_loess(series.season, series.readings.size()));
  SeasonOff out;
  out.season.assign(parts.season.begin(),
                    parts.season.begin() + static_cast<std::ptrdiff_t>(series.season));
  for (std::size_t t = 0; t < series.readings.size(); ++t) {
    out.rest.push_back(series.readings[t] - parts.season[t]);
  }
  return out;
}

bool takes_season_off(const ForecastModel& model, const Series& series) {
  return (model.family == Family::arima || model.family == Family::smoothing) &&
         !model.needs_season() && series.season > longest_season;
}

/// What stands for a model that has too few readings: one with less in it.
std::optional<ForecastModel> simpler(const ForecastModel& model) {
  ForecastModel out = model;
  if (model.family == Family::arima && model.orders) {
    ArimaOrders& orders = *out.orders;
    const int terms = orders.p + orders.q;
    if (orders.is_seasonal()) {
      orders.seasonal_p = orders.seasonal_d = orders.seasonal_q = 0;
      orders.drift = orders.drift && orders.d > 0;
    } else if (terms > 0 || orders.d > 1) {
      orders.p = orders.q = 0;
      orders.d = std::min(orders.d, 1);
    } else {
      return ForecastModel(orders.d == 0  ? Family::mean
                           : orders.drift ? Family::drift
                                          : Family::naive);
    }
    return out;
  }
  if (model.family == Family::smoothing && model.form) {
    SmoothingForm& form = *out.form;
    if (form.season != Part::none) {
      form.season = Part::none;
    } else if (form.trend != Part::none) {
      form.trend = Part::none;
    } else if (form.error != Part::additive) {
      form.error = Part::additive;
    } else {
      return ForecastModel(Family::naive);
    }
    return out;
  }
  if (model.family == Family::naive) return std::nullopt;
  return ForecastModel(Family::naive);
}

/// Of very many rows the last choose the form or the orders, and all of them what is fitted.
FittedModel choose_by_the_last(const ForecastModel& model, const Series& series,
                               const FitOptions& options) {
  constexpr std::size_t some = 10'000;
  auto last = series.readings.last(some);
  while (std::isnan(last.front())) last = last.subspan(1);
  const Series recent{last, series.season};
  const FittedModel chosen = model.family == Family::smoothing ? choose_smoothing(recent, options)
                                                               : choose_arima(recent, options);
  if (!chosen.is_fitted()) return {};
  FittedModel out = chosen.model.form ? fit_smoothing_form(series, *chosen.model.form, options)
                                      : fit_arima_orders(series, *chosen.model.orders, options);
  out.name += fmt::format(", chosen by the last {} rows", grouped(some));
  return out;
}

FittedModel fit_once(const ForecastModel& model, const Series& series, const FitOptions& options) {
  constexpr std::size_t many = 20'000;
  const bool is_family = (model.family == Family::smoothing && !model.form) ||
                         (model.family == Family::arima && !model.orders);
  if (is_family && series.readings.size() > many && series.season < many / 4) {
    return choose_by_the_last(model, series, options);
  }
  switch (model.family) {
    case Family::mean:
      return fit_mean(series, options);
    case Family::naive:
      return fit_naive(series, options);
    case Family::drift:
      return fit_drift(series, options);
    case Family::seasonal:
      return fit_seasonal(series, options);
    case Family::smoothing:
      return model.form ? fit_smoothing_form(series, *model.form, options)
                        : choose_smoothing(series, options);
    case Family::arima:
      return model.orders ? fit_arima_orders(series, *model.orders, options)
                          : choose_arima(series, options);
    case Family::automatic:
      break;
  }
  return {};
}

/// Why a model can't be fitted.
std::string reason_against(const ForecastModel& model, const Series& series) {
  const bool multiplies = model.form && (model.form->error == Part::multiplicative ||
                                         model.form->season == Part::multiplicative);
  const bool all_positive = std::ranges::none_of(series.readings, [](double x) { return x <= 0; });
  return to_text(model) +
         (multiplies && !all_positive ? " takes readings above 0 alone" : " needs more readings");
}

/// Readings over a power of two, so that none is far from 1: no square of one leaves what a number
/// holds, and no digit changes.
class Scaled {
 public:
  explicit Scaled(std::span<const double> readings) : readings_(readings.begin(), readings.end()) {
    double largest = 0;
    for (const double x : readings) {
      if (!std::isnan(x)) largest = std::max(largest, std::fabs(x));
    }
    if (largest > 0) std::frexp(largest, &power_);
    for (double& x : readings_) x = std::ldexp(x, -power_);
  }

  [[nodiscard]] std::span<const double> readings() const { return readings_; }

  /// What was fitted to them as it is of the readings.
  [[nodiscard]] FittedModel back(FittedModel fitted) const {
    const bool is_relative = fitted.model.form && fitted.model.form->error == Part::multiplicative;
    if (!is_relative) fitted.sigma = std::ldexp(fitted.sigma, power_);
    const double logarithm = power_ * std::log(2.0) * static_cast<double>(fitted.readings);
    fitted.log_likelihood -= logarithm;
    fitted.next_best += 2 * logarithm;
    const bool is_product = fitted.model.form && fitted.model.form->season == Part::multiplicative;
    for (auto& [name, value] : fitted.terms) {
      const bool is_season = name.starts_with("season");
      if (name == "constant" || name == "level" || name == "slope" || (is_season && !is_product)) {
        value = std::ldexp(value, power_);
      }
    }
    if (power_ == 0) return fitted;
    fitted.ahead = [inner = std::move(fitted.ahead), power = power_](std::size_t rows) {
      RowsAhead ahead = inner(rows);
      const auto scale = [power](std::vector<double>& numbers) {
        for (double& x : numbers) x = std::ldexp(x, power);
      };
      scale(ahead.value);
      for (auto& numbers : ahead.low) scale(numbers);
      for (auto& numbers : ahead.high) scale(numbers);
      return ahead;
    };
    return fitted;
  }

 private:
  std::vector<double> readings_;
  int power_ = 0;
};

/// The season back on what was said without it.
RowsAhead with_season(RowsAhead ahead, const std::vector<double>& season, std::size_t first) {
  const auto add = [&](std::vector<double>& rows) {
    for (std::size_t h = 0; h < rows.size(); ++h) rows[h] += season[(first + h) % season.size()];
  };
  add(ahead.value);
  for (auto& rows : ahead.low) add(rows);
  for (auto& rows : ahead.high) add(rows);
  return ahead;
}

/// Less the first rows.
RowsAhead from_row(RowsAhead ahead, std::size_t first) {
  const auto cut = [&](std::vector<double>& rows) {
    rows.erase(rows.begin(), rows.begin() + static_cast<std::ptrdiff_t>(first));
  };
  cut(ahead.value);
  for (auto& rows : ahead.low) cut(rows);
  for (auto& rows : ahead.high) cut(rows);
  return ahead;
}

/// season1 is the first row's, wherever the first reading stands.
void name_seasons_from(FittedModel& fitted, std::size_t rows_before, std::size_t season) {
  constexpr std::string_view start = "season";
  const auto is_season = [&](const auto& term) { return term.first.starts_with(start); };
  auto first = std::ranges::find_if(fitted.terms, is_season);
  if (first == fitted.terms.end() || season < 2) return;
  std::vector<double> values(season);
  for (std::size_t k = 0; k < season; ++k) {
    values[(k + rows_before) % season] = (first + static_cast<std::ptrdiff_t>(k))->second;
  }
  for (const double value : values) (first++)->second = value;
}

}  // namespace

FittedModel fit_model(const ForecastModel& model, const Series& series, const FitOptions& options) {
  const auto is_there = [](double x) { return !std::isnan(x); };
  const auto all = series.readings;
  const auto first = std::ranges::find_if(all, is_there);
  if (first == all.end()) return {};
  const auto rows_before = static_cast<std::size_t>(first - all.begin());
  std::size_t rows = all.size() - rows_before;
  while (std::isnan(all[rows_before + rows - 1])) --rows;
  const std::size_t rows_after = all.size() - rows_before - rows;
  const Scaled scaled(all.subspan(rows_before, rows));
  Series trimmed{scaled.readings(), series.season};

  SeasonOff off;
  const bool is_off = takes_season_off(model, trimmed) && rows >= 2 * trimmed.season;
  const std::size_t taken = trimmed.season;
  if (is_off) {
    off = take_season_off(trimmed);
    trimmed = {off.rest, 1};
  } else if (rows < 2 * trimmed.season && model.family != Family::seasonal) {
    trimmed.season = 1;
  }
  std::string against;
  std::optional<ForecastModel> attempt = model;
  FittedModel out;
  while (attempt && !out.is_fitted()) {
    out = fit_once(*attempt, trimmed, options);
    if (out.is_fitted()) break;
    if (against.empty()) against = reason_against(*attempt, trimmed);
    attempt = simpler(*attempt);
  }
  if (!out.is_fitted()) return out;
  out.instead = against;
  name_seasons_from(out, rows_before, trimmed.season);
  if (is_off) out.name += fmt::format(" after a season of {} is taken off", taken);
  if (is_off || rows_after > 0) {
    out.ahead = [inner = std::move(out.ahead), season = std::move(off.season), rows,
                 rows_after](std::size_t wanted) {
      RowsAhead ahead = inner(wanted + rows_after);
      if (!season.empty()) ahead = with_season(std::move(ahead), season, rows % season.size());
      return from_row(std::move(ahead), rows_after);
    };
  }
  return scaled.back(std::move(out));
}

}  // namespace zerobeat::detail
