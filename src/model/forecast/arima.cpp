#include "model/forecast/arima.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "kernel/sums.hpp"
#include "model/forecast/products.hpp"
#include "model/forecast/whiten.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Readings with lines put where some are missing: whatever stands there, the likelihood is the
/// same, but sums lose less.
std::vector<double> with_lines(std::span<const double> readings) {
  std::vector<double> out(readings.begin(), readings.end());
  for (std::size_t begin = 1; begin < out.size(); ++begin) {
    if (!std::isnan(out[begin])) continue;
    std::size_t end = begin;
    while (std::isnan(out[end])) ++end;
    const double from = out[begin - 1], to = out[end];
    for (std::size_t i = begin; i < end; ++i) {
      out[i] = from + (to - from) * static_cast<double>(i - begin + 1) /
                          static_cast<double>(end - begin + 1);
    }
    begin = end;
  }
  return out;
}

/// The same about each phase's mean.
std::vector<double> with_phases(std::span<const double> readings, std::size_t season) {
  std::vector<double> sums(season, 0.0), counts(season, 0.0);
  for (std::size_t t = 0; t < readings.size(); ++t) {
    if (std::isnan(readings[t])) continue;
    sums[t % season] += readings[t];
    ++counts[t % season];
  }
  std::vector<double> rest(readings.begin(), readings.end());
  const auto mean = [&](std::size_t t) {
    return counts[t % season] > 0 ? sums[t % season] / counts[t % season] : 0;
  };
  for (std::size_t t = 0; t < rest.size(); ++t) rest[t] -= mean(t);
  rest = with_lines(rest);
  for (std::size_t t = 0; t < rest.size(); ++t) rest[t] += mean(t);
  return rest;
}

}  // namespace

ArimaReadings::ArimaReadings(std::span<const double> readings, int ordinary, int seasonal,
                             std::size_t season)
    : differences_(Differences::of(ordinary, seasonal, season)) {
  const std::size_t given = differences_.size();
  filled_ = with_lines(readings);
  // Differences lose less of what lies about zero, and without any the mean is told apart.
  centre_ = sum_of(filled_).mean(filled_.size());
  for (double& x : filled_) x -= centre_;
  is_missing_.assign(readings.size(), false);
  for (std::size_t t = 0; t < readings.size(); ++t) {
    if (!std::isnan(readings[t])) continue;
    is_missing_[t] = t >= given;
    (t < given ? early_ : late_).push_back(t);
  }
  if (readings.size() <= given) return;
  counted_ = static_cast<std::int64_t>(readings.size()) - static_cast<std::int64_t>(given) -
             static_cast<std::int64_t>(early_.size() + late_.size());
  steady_.assign(readings.size(), 0.0);
  for (std::size_t t = given; t < steady_.size(); ++t) {
    steady_[t] = 1;
    for (std::size_t j = 0; j < given; ++j) {
      if (differences_.back[j] != 0) steady_[t] += differences_.back[j] * steady_[t - 1 - j];
    }
  }
  differenced_ = differences_.taken(filled_);
  constexpr double nothing = 16 * std::numeric_limits<double>::epsilon();
  const auto [least, most] = std::ranges::minmax(differenced_);
  is_flat_ = most - least <= nothing;
  if (is_flat_) return;
  // What the filter of missing readings costs, a state of some size taken.
  const double size = 2 * static_cast<double>(season) + 10;
  constexpr double much = 1e6;
  if (!late_.empty() && static_cast<double>(readings.size()) * size * size > much) {
    lighter_ = std::make_shared<const ArimaReadings>(with_phases(readings, season), ordinary,
                                                     seasonal, season);
    return;
  }
  constexpr std::size_t some = 3'000;
  if (readings.size() < 2 * (some + given)) return;
  auto tail = readings.last(some + given);
  while (std::isnan(tail.front())) tail = tail.subspan(1);
  recent_ = std::make_shared<const ArimaReadings>(tail, ordinary, seasonal, season);
}

namespace {

/// A state whose square would take more memory than readings do is not kept.
constexpr std::size_t largest_state = 1'000;

}  // namespace

bool ArimaReadings::by_state(const Process& process) const {
  const std::size_t size = process.dimension() + differences_.size();
  constexpr std::size_t most_columns = 400;
  if (late_.empty() || size > largest_state) return false;
  if (late_.size() > most_columns) return true;
  const auto products = static_cast<double>(late_.size() * late_.size());
  const double by_columns =
      static_cast<double>(late_.size()) * 3 * static_cast<double>(process.dimension()) +
      products / 2;
  return 4 * static_cast<double>(size * size) < by_columns;
}

ArimaLikelihood ArimaReadings::likelihood(const Process& process, bool has_constant) const {
  ArimaLikelihood out;
  out.value = -std::numeric_limits<double>::infinity();
  if (counted_ <= 0) return out;
  const std::size_t rows = filled_.size(), given = differences_.size();
  const bool by_state = this->by_state(process);
  // The readings, the missing ones that are no gap to the filter, and what a constant comes to.
  std::vector<std::size_t> unknown = early_;
  if (!by_state) unknown.insert(unknown.end(), late_.begin(), late_.end());
  const std::size_t begin = by_state ? 0 : given;
  std::vector<std::vector<double>> made;
  made.reserve(unknown.size() + 1);
  for (const std::size_t t : unknown) {
    std::vector<double> column(rows - begin, 0.0);
    if (by_state) {
      column[t] = 1;
    } else {
      if (t >= given) column[t - given] = 1;
      for (std::size_t j = 0; j < given; ++j) {
        const std::size_t at = t + 1 + j;
        if (at >= given && at < rows) column[at - given] -= differences_.back[j];
      }
    }
    made.push_back(std::move(column));
  }
  if (has_constant) made.push_back(by_state ? steady_ : std::vector<double>(rows - given, 1.0));
  std::vector<std::span<const double>> columns(made.begin(), made.end());
  columns.push_back(by_state ? std::span<const double>(filled_)
                             : std::span<const double>(differenced_));
  Whitened whitened = by_state ? StateFilter(process, differences_).take(columns, is_missing_)
                               : whiten(process, columns);
  std::vector<double>& triangle = whitened.products;
  const std::size_t n = columns.size(), y = n - 1;
  if (!decompose_products(triangle, n)) return out;
  double log_determinant = whitened.log_variances;
  for (std::size_t i = 0; i < unknown.size(); ++i) {
    log_determinant += 2 * std::log(triangle[i * n + i]);
  }
  const auto count = static_cast<double>(counted_);
  const double rest = triangle[y * n + y] * triangle[y * n + y];
  constexpr double nothing = 1e-30;
  out.variance = rest / count;
  out.value = -0.5 * (count * (log_two_pi + std::log(std::max(out.variance, nothing)) + 1) +
                      log_determinant);
  const std::vector<double> share = shares_of_last(triangle, n);
  out.missing.assign(share.begin(), share.begin() + static_cast<std::ptrdiff_t>(unknown.size()));
  if (has_constant) out.constant = share.back() + (given == 0 ? centre_ : 0);
  return out;
}

ArimaReadings::Ahead ArimaReadings::ahead(const Process& process, bool has_constant,
                                          const ArimaLikelihood& fitted, std::size_t rows) const {
  const std::size_t given = differences_.size();
  std::vector<double> level = filled_;
  const double constant = has_constant ? fitted.constant - (given == 0 ? centre_ : 0) : 0;
  for (std::size_t t = 0; t < level.size(); ++t) level[t] -= constant * steady_[t];
  for (std::size_t i = 0; i < early_.size(); ++i) {
    level[early_[i]] -= fitted.missing[i];
  }
  if (process.dimension() + given > largest_state) {
    for (std::size_t i = 0; i < late_.size(); ++i) {
      level[late_[i]] -= fitted.missing[early_.size() + i];
    }
    return by_responses(process, level, constant, fitted.variance, rows);
  }
  // What the missing ones among the first leave open spreads into what comes.
  std::vector<std::vector<double>> early;
  for (const std::size_t t : early_) {
    early.emplace_back(filled_.size(), 0.0);
    early.back()[t] = 1;
  }
  std::vector<std::span<const double>> columns(early.begin(), early.end());
  columns.emplace_back(level);
  StateFilter filter(process, differences_);
  Whitened whitened = filter.take(columns, is_missing_);
  const StateAhead found = filter.ahead(rows);
  const std::size_t n = columns.size(), y = n - 1;
  static_cast<void>(decompose_products(whitened.products, n));
  Ahead out;
  const double deviation = std::sqrt(fitted.variance);
  std::vector<double> steady = steady_;
  for (std::size_t h = 0; h < rows; ++h) {
    double next = 1;
    for (std::size_t j = 0; j < given; ++j) {
      next += differences_.back[j] * steady[steady.size() - 1 - j];
    }
    steady.push_back(given == 0 ? 1 : next);
    out.value.push_back(found.values[y][h] + constant * steady.back() + centre_);
    double variance = found.variance[h];
    std::vector<double> part(y);
    for (std::size_t i = 0; i < y; ++i) {
      part[i] = found.values[i][h];
      for (std::size_t k = 0; k < i; ++k) part[i] -= whitened.products[i * n + k] * part[k];
      part[i] /= whitened.products[i * n + i];
      variance += part[i] * part[i];
    }
    out.deviation.push_back(deviation * std::sqrt(variance));
  }
  return out;
}

/// Readings about their constant, none missing, told on from the filter's last state; the variance
/// is that of shocks to come, as the filter of so long a series has settled.
ArimaReadings::Ahead ArimaReadings::by_responses(const Process& process,
                                                 const std::vector<double>& level, double constant,
                                                 double variance, std::size_t rows) const {
  const std::size_t given = differences_.size();
  const std::vector<double> differenced = differences_.taken(level);
  const std::vector<std::span<const double>> columns{differenced};
  std::vector<std::vector<double>> last;
  static_cast<void>(whiten(process, columns, &last));
  std::vector<double> state = std::move(last[0]), told = level, steady = steady_;
  std::vector<double> spread = responses(process, rows);
  Ahead out;
  double sum = 0;
  for (std::size_t h = 0; h < rows; ++h) {
    double next = state[0], next_steady = 1;
    const double first = state[0];
    std::copy(state.begin() + 1, state.end(), state.begin());
    state.back() = 0;
    for (std::size_t i = 0; i < process.ar.size(); ++i) state[i] += process.ar[i] * first;
    for (std::size_t j = 0; j < given; ++j) {
      if (differences_.back[j] == 0) continue;
      next += differences_.back[j] * told[told.size() - 1 - j];
      next_steady += differences_.back[j] * steady[steady.size() - 1 - j];
      if (h > j) spread[h] += differences_.back[j] * spread[h - 1 - j];
    }
    told.push_back(next);
    steady.push_back(next_steady);
    sum += spread[h] * spread[h];
    out.value.push_back(next + constant * next_steady + centre_);
    out.deviation.push_back(std::sqrt(variance * sum));
  }
  return out;
}

std::int64_t parameters_of(const ArimaOrders& orders) {
  return orders.terms() + (orders.has_constant() ? 1 : 0) + 1;
}

Process ArimaFit::process() const {
  Process out;
  out.ar = times_seasonal(ar, seasonal_ar, season);
  // With a plus sign: 1 + Σ θ B^i.
  std::vector<double> minus, seasonal_minus;
  for (const double x : ma) minus.push_back(-x);
  for (const double x : seasonal_ma) seasonal_minus.push_back(-x);
  out.ma = times_seasonal(minus, seasonal_minus, season);
  for (double& x : out.ma) x = -x;
  return out;
}

std::vector<double> ArimaFit::partials(const ArimaOrders& as) const {
  std::vector<double> out;
  const auto add = [&](std::vector<double> coefficients, int size, double sign) {
    for (double& x : coefficients) x *= sign;
    std::vector<double> partials = to_partials(coefficients);
    partials.resize(static_cast<std::size_t>(size), 0.0);
    out.insert(out.end(), partials.begin(), partials.end());
  };
  add(ar, as.p, 1);
  add(seasonal_ar, as.seasonal_p, 1);
  add(ma, as.q, -1);
  add(seasonal_ma, as.seasonal_q, -1);
  return out;
}

}  // namespace zerobeat::detail
