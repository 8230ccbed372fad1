#include <cmath>
#include <limits>

#include "model/forecast/fitted_model.hpp"
#include "model/forecast/smoothing.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Part = SmoothingForm::Part;

FittedModel fitted_of(const SmoothingFit& fit, const FitOptions& options, std::size_t season) {
  FittedModel out;
  out.model = ForecastModel(ForecastModel::Family::smoothing);
  out.model.form = fit.form;
  out.name = "smoothing " + form_text(fit.form);
  if (has_season(fit.form)) out.name += " with a season of " + std::to_string(season);
  out.readings = fit.readings;
  out.parameters = fit.parameters;
  out.sigma = std::sqrt(fit.variance);
  out.log_likelihood = fit.log_likelihood;
  out.next_best = no_value;
  out.terms.emplace_back("alpha", fit.begin.alpha);
  if (has_trend(fit.form)) out.terms.emplace_back("beta", fit.begin.beta);
  if (has_season(fit.form)) out.terms.emplace_back("gamma", fit.begin.gamma);
  if (is_damped(fit.form)) out.terms.emplace_back("phi", fit.begin.phi);
  out.terms.emplace_back("level", fit.begin.level);
  if (has_trend(fit.form)) out.terms.emplace_back("slope", fit.begin.slope);
  for (std::size_t k = 0; k < fit.begin.season.size(); ++k) {
    out.terms.emplace_back("season" + std::to_string(k + 1), fit.begin.season[k]);
  }
  out.ahead = [fit, options](std::size_t rows) {
    return smoothing_ahead(fit, rows, options.shares, options.seed);
  };
  return out;
}

bool fits(const SmoothingReadings& readings, const SmoothingForm& form) {
  if (multiplies(form) && !readings.all_positive()) return false;
  if (has_season(form) && readings.season() < 2) return false;
  return readings.counted() - parameters_of(form, readings.season()) - 1 > 0;
}

std::vector<SmoothingForm> every_form() {
  std::vector<SmoothingForm> out;
  for (const Part error : {Part::additive, Part::multiplicative}) {
    for (const Part season : {Part::none, Part::additive, Part::multiplicative}) {
      for (const Part trend : {Part::none, Part::additive, Part::damped}) {
        out.push_back({error, trend, season});
      }
    }
  }
  return out;
}

}  // namespace

FittedModel fit_smoothing_form(const Series& series, const SmoothingForm& form,
                               const FitOptions& options) {
  const SmoothingReadings readings(series.readings, series.season);
  if (!fits(readings, form)) return {};
  return fitted_of(fit_smoothing(readings, form, Effort::final), options, series.season);
}

FittedModel choose_smoothing(const Series& series, const FitOptions& options) {
  const SmoothingReadings readings(series.readings, series.season);
  struct Tried {
    SmoothingFit fit;
    double criterion;
  };
  std::vector<Tried> all;
  const auto criterion_of_fit = [&](const SmoothingFit& fit) {
    return criterion_of(fit.log_likelihood, fit.parameters, fit.readings, options.by);
  };
  double least = std::numeric_limits<double>::infinity();
  for (const SmoothingForm& form : every_form()) {
    if (!fits(readings, form)) continue;
    SmoothingFit fit = fit_smoothing(readings, form, Effort::search);
    const double criterion = criterion_of_fit(fit);
    least = std::min(least, criterion);
    all.push_back({std::move(fit), criterion});
  }
  // What comes near is fitted to the last digit; of missing readings a search knows less.
  const double near = least + (readings.has_gaps() ? 10 : 2);
  const SmoothingFit* best = nullptr;
  double next = least = std::numeric_limits<double>::infinity();
  for (Tried& tried : all) {
    if (tried.criterion <= near) {
      tried.fit = fit_smoothing(readings, tried.fit.form, Effort::final);
      tried.criterion = criterion_of_fit(tried.fit);
    }
    if (tried.criterion < least) {
      next = least;
      least = tried.criterion;
      best = &tried.fit;
    } else {
      next = std::min(next, tried.criterion);
    }
  }
  if (best == nullptr) return {};
  FittedModel out = fitted_of(*best, options, series.season);
  out.next_best = std::isfinite(next) ? next : no_value;
  return out;
}

}  // namespace zerobeat::detail
