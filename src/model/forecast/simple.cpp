#include <cmath>
#include <limits>

#include "model/forecast/fitted_model.hpp"
#include "model/forecast/products.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Errors, each of a variance that is so many times the others'.
class Errors {
 public:
  void add(double error, double times) {
    squares_ += error * error / times;
    logarithms_ += std::log(times);
    ++count_;
  }
  [[nodiscard]] std::int64_t count() const { return count_; }

  /// Puts what is told of them; `freedom` parameters besides the variance were fitted.
  void put(FittedModel& out, std::int64_t freedom) const {
    const auto n = static_cast<double>(count_);
    out.readings = count_;
    out.parameters = freedom + 1;
    out.sigma =
        count_ > freedom ? std::sqrt(squares_ / static_cast<double>(count_ - freedom)) : no_value;
    out.log_likelihood = count_ > 0
                             ? -0.5 * (n * (log_two_pi + std::log(squares_ / n) + 1) + logarithms_)
                             : no_value;
    out.next_best = no_value;
  }

 private:
  double squares_ = 0, logarithms_ = 0;
  std::int64_t count_ = 0;
};

double mean_of(std::span<const double> readings) {
  // In two passes, and halves, so that readings near the end of what a number holds do not leave
  // it.
  double sum = 0, rest = 0, count = 0;
  for (const double x : readings) count += std::isnan(x) ? 0 : 1;
  for (const double x : readings) {
    if (!std::isnan(x)) sum += x / count;
  }
  for (const double x : readings) {
    if (!std::isnan(x)) rest += (x - sum) / count;
  }
  return sum + rest;
}

/// Steps between readings, over missing ones.
template <typename Use>
void for_each_step(std::span<const double> readings, std::size_t every, const Use& use) {
  for (std::size_t phase = 0; phase < every; ++phase) {
    double before = no_value;
    std::size_t at = 0;
    for (std::size_t t = phase; t < readings.size(); t += every) {
      if (std::isnan(readings[t])) continue;
      if (!std::isnan(before)) use(readings[t] - before, static_cast<double>((t - at) / every));
      before = readings[t];
      at = t;
    }
  }
}

}  // namespace

double criterion_of(double log_likelihood, std::int64_t parameters, std::int64_t readings,
                    Forecast::Criterion by) {
  const auto k = static_cast<double>(parameters), n = static_cast<double>(readings);
  if (by == Forecast::Criterion::bic) return -2 * log_likelihood + k * std::log(n);
  const double aic = -2 * log_likelihood + 2 * k;
  if (by == Forecast::Criterion::aic) return aic;
  if (readings - parameters - 1 <= 0) return std::numeric_limits<double>::infinity();
  return aic + 2 * k * (k + 1) / (n - k - 1);
}

double FittedModel::criterion(Forecast::Criterion by) const {
  return criterion_of(log_likelihood, parameters, readings, by);
}

FittedModel fit_mean(const Series& series, const FitOptions& options) {
  FittedModel out;
  out.name = "mean";
  out.model = ForecastModel::Family::mean;
  const double mean = mean_of(series.readings);
  Errors errors;
  for (const double x : series.readings) {
    if (!std::isnan(x)) errors.add(x - mean, 1);
  }
  errors.put(out, 1);
  out.terms = {{"constant", mean}};
  const double n = static_cast<double>(errors.count());
  out.ahead = [mean, deviation = out.sigma * std::sqrt(1 + 1 / n),
               shares = options.shares](std::size_t rows) {
    return normal_bands(std::vector<double>(rows, mean), std::vector<double>(rows, deviation),
                        shares);
  };
  return out;
}

FittedModel fit_naive(const Series& series, const FitOptions& options) {
  FittedModel out;
  out.name = "naive";
  out.model = ForecastModel::Family::naive;
  Errors errors;
  for_each_step(series.readings, 1, [&](double step, double rows) { errors.add(step, rows); });
  errors.put(out, 0);
  out.ahead = [last = series.readings.back(), sigma = out.sigma,
               shares = options.shares](std::size_t rows) {
    std::vector<double> deviation;
    for (std::size_t h = 1; h <= rows; ++h) {
      deviation.push_back(sigma * std::sqrt(static_cast<double>(h)));
    }
    return normal_bands(std::vector<double>(rows, last), deviation, shares);
  };
  return out;
}

FittedModel fit_drift(const Series& series, const FitOptions& options) {
  if (series.readings.size() < 2) return {};
  FittedModel out;
  out.name = "drift";
  out.model = ForecastModel::Family::drift;
  const auto steps = static_cast<double>(series.readings.size() - 1);
  const double last = series.readings.back();
  const double each = last / steps - series.readings.front() / steps;
  Errors errors;
  for_each_step(series.readings, 1,
                [&](double step, double rows) { errors.add(step - each * rows, rows); });
  errors.put(out, 1);
  out.terms = {{"constant", each}};
  out.ahead = [last, each, steps, sigma = out.sigma, shares = options.shares](std::size_t rows) {
    std::vector<double> value, deviation;
    for (std::size_t row = 1; row <= rows; ++row) {
      const auto h = static_cast<double>(row);
      value.push_back(last + h * each);
      deviation.push_back(sigma * std::sqrt(h * (1 + h / steps)));
    }
    return normal_bands(std::move(value), deviation, shares);
  };
  return out;
}

FittedModel fit_seasonal(const Series& series, const FitOptions& options) {
  const std::size_t season = series.season;
  if (season < 2) return {};
  // The last reading of each phase, and how many seasons before the last row it stands.
  std::vector<double> last(season, no_value), seasons_before(season, 0);
  const std::size_t rows = series.readings.size();
  for (std::size_t back = 0; back < rows; ++back) {
    const double x = series.readings[rows - 1 - back];
    // The phase of the row that comes `season - 1 - back` rows after the last.
    const std::size_t phase = season - 1 - back % season;
    if (std::isnan(x) || !std::isnan(last[phase])) continue;
    last[phase] = x;
    seasons_before[phase] = static_cast<double>(back / season);
  }
  for (const double x : last) {
    if (std::isnan(x)) return {};
  }
  FittedModel out;
  out.name = "seasonal";
  out.model = ForecastModel::Family::seasonal;
  Errors errors;
  for_each_step(series.readings, season, [&](double step, double n) { errors.add(step, n); });
  errors.put(out, 0);
  out.ahead = [last, seasons_before, sigma = out.sigma,
               shares = options.shares](std::size_t ahead) {
    std::vector<double> value, deviation;
    for (std::size_t h = 0; h < ahead; ++h) {
      const std::size_t phase = h % last.size();
      value.push_back(last[phase]);
      deviation.push_back(
          sigma * std::sqrt(static_cast<double>(h / last.size() + 1) + seasons_before[phase]));
    }
    return normal_bands(std::move(value), deviation, shares);
  };
  return out;
}

}  // namespace zerobeat::detail
