#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "base/parallel.hpp"
#include "model/forecast/smoothing.hpp"
#include "take/definitions.hpp"

namespace zerobeat::inline v1::detail {

namespace {

using Part = SmoothingForm::Part;

/// What a state says of the rows after it, each error being 0.
class StateCourse {
 public:
  StateCourse(const SmoothingFit& fit) : form_(fit.form), state_(fit.end) {}

  /// The trend's part, and the season's of the row.
  [[nodiscard]] double trend() const { return state_.level + state_.phi * state_.slope; }
  [[nodiscard]] double season() const { return has_season(form_) ? state_.season[phase_] : 0; }
  [[nodiscard]] double told() const {
    return form_.season == Part::multiplicative ? trend() * season() : trend() + season();
  }
  void advance() {
    state_.level = trend();
    state_.slope *= state_.phi;
    if (has_season(form_)) phase_ = (phase_ + 1) % state_.season.size();
  }

 private:
  const SmoothingForm form_;
  SmoothingState state_;
  std::size_t phase_ = 0;
};

/// What an error does to the trend so many rows later, and to the reading.
double response(const SmoothingFit& fit, std::size_t rows, double damped, bool with_season) {
  const SmoothingState& s = fit.end;
  double out = s.alpha + s.beta * damped;
  if (with_season && rows % s.season.size() == 0) out += s.gamma;
  return out;
}

/// The variance of rows ahead that what was not seen near the end adds, in shocks.
double open_variance(const SmoothingFit& fit, std::size_t h) {
  if (fit.end_covariance.empty()) return 0;
  const std::size_t size = 2 + (has_season(fit.form) ? fit.end.season.size() : 0);
  double damped = 0, power = 1;
  for (std::size_t i = 0; i <= h; ++i) damped += power *= fit.end.phi;
  std::vector<double> load(size, 0.0);
  load[0] = 1;
  load[1] = damped;
  if (size > 2) load[2 + h % (size - 2)] = 1;
  double out = 0;
  for (std::size_t i = 0; i < size; ++i) {
    for (std::size_t k = 0; k < size; ++k) {
      out += load[i] * load[k] * fit.end_covariance[i * size + k];
    }
  }
  return out;
}

/// Variances of the rows ahead (Hyndman and others 2008, chapter 6: classes 1, 2 and 3).
std::vector<double> variances_ahead(const SmoothingFit& fit, std::size_t rows, double variance) {
  const bool is_relative = fit.form.error == Part::multiplicative;
  const bool is_product = fit.form.season == Part::multiplicative;
  const bool adds_season = has_season(fit.form) && !is_product;
  std::vector<double> out(rows), squares, theta(rows);
  StateCourse course(fit);
  double sum = 0, damped = 0, power = 1;
  for (std::size_t h = 0; h < rows; ++h, course.advance()) {
    if (h > 0) {
      damped += power *= fit.end.phi;
      const double c = response(fit, h, damped, adds_season);
      squares.push_back(c * c);
      sum += c * c;
    }
    if (!is_relative) {
      out[h] = variance * (1 + sum + open_variance(fit, h));
      continue;
    }
    const double told = is_product ? course.trend() : course.told();
    theta[h] = told * told;
    for (std::size_t j = 1; j <= h; ++j) theta[h] += variance * squares[j - 1] * theta[h - j];
    if (!is_product) {
      out[h] = (1 + variance) * theta[h] - told * told;
      continue;
    }
    const std::size_t seasons = h / fit.end.season.size();
    const double grown =
        std::pow(1 + fit.end.gamma * fit.end.gamma * variance, static_cast<double>(seasons));
    out[h] = course.season() * course.season() * (theta[h] * (1 + variance) * grown - told * told);
  }
  return out;
}

/// Bands of paths that are drawn, row by row: memory for a state each, whatever the rows.
void simulate(const SmoothingFit& fit, double deviation, std::span<const double> shares,
              std::uint64_t seed, RowsAhead& out) {
  constexpr std::size_t paths = 5'000;
  std::mt19937_64 random(seed);
  const std::size_t season = fit.end.season.size();
  std::vector<SmoothingState> states(paths, fit.end);
  std::vector<double> drawn(paths);
  // Uniform in 53 bits, off both ends, then by the normal's quantile: the same everywhere.
  const auto normal = [&random] {
    const double u = (static_cast<double>(random() >> 11) + 0.5) * 0x1p-53;
    return normal_quantile(u);
  };
  for (std::size_t h = 0; h < out.value.size(); ++h) {
    check_stopped();
    const std::size_t phase = h % season;
    for (std::size_t i = 0; i < paths; ++i) {
      SmoothingState& s = states[i];
      const double error = deviation * normal();
      const double trend = s.level + s.phi * s.slope, part = s.season[phase];
      const double reading = trend * part + error;
      // A path that has left all numbers has no order among them.
      drawn[i] = std::isnan(reading) ? std::numeric_limits<double>::infinity() : reading;
      s.level = trend + s.alpha * error / part;
      s.slope = s.phi * s.slope + s.beta * error / part;
      s.season[phase] = part + s.gamma * error / trend;
    }
    std::ranges::sort(drawn);
    for (std::size_t k = 0; k < shares.size(); ++k) {
      const auto at = [&](std::size_t place) { return drawn[place]; };
      out.low[k][h] = quantile_at(paths, (1 - shares[k]) / 2, at);
      out.high[k][h] = quantile_at(paths, (1 + shares[k]) / 2, at);
    }
  }
}

}  // namespace

RowsAhead smoothing_ahead(const SmoothingFit& fit, std::size_t rows, std::span<const double> shares,
                          std::uint64_t seed) {
  std::vector<double> value;
  StateCourse course(fit);
  for (std::size_t h = 0; h < rows; ++h, course.advance()) value.push_back(course.told());
  if (fit.form.error == Part::additive && fit.form.season == Part::multiplicative) {
    RowsAhead out{.value = std::move(value)};
    out.low.assign(shares.size(), std::vector<double>(rows));
    out.high = out.low;
    simulate(fit, std::sqrt(fit.variance), shares, seed, out);
    return out;
  }
  std::vector<double> deviation = variances_ahead(fit, rows, fit.variance);
  for (double& x : deviation) x = std::sqrt(std::max(x, 0.0));
  return normal_bands(std::move(value), deviation, shares);
}

}  // namespace zerobeat::detail
