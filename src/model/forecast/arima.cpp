#include "model/forecast/arima.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "kernel/sums.hpp"
#include "model/forecast/minimum.hpp"
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
  const bool has_constant = orders.differences() == 0 || orders.drift;
  return orders.p + orders.q + orders.seasonal_p + orders.seasonal_q + (has_constant ? 1 : 0) + 1;
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

std::vector<double> ArimaFit::partials() const {
  std::vector<double> out;
  const auto add = [&](const std::vector<double>& coefficients, double sign) {
    std::vector<double> signed_ones;
    for (const double x : coefficients) signed_ones.push_back(sign * x);
    for (const double x : to_partials(signed_ones)) out.push_back(x);
  };
  add(ar, 1);
  add(seasonal_ar, 1);
  add(ma, -1);
  add(seasonal_ma, -1);
  return out;
}

namespace {

/// The orders' polynomials from their partial correlations, one behind the other.
ArimaFit at_partials(const ArimaOrders& orders, std::size_t season,
                     std::span<const double> partials) {
  ArimaFit out;
  out.orders = orders;
  out.season = season;
  std::size_t at = 0;
  const auto next = [&](int size, double sign) {
    auto coefficients = from_partials(partials.subspan(at, static_cast<std::size_t>(size)));
    for (double& x : coefficients) x *= sign;
    at += static_cast<std::size_t>(size);
    return coefficients;
  };
  out.ar = next(orders.p, 1);
  out.seasonal_ar = next(orders.seasonal_p, 1);
  out.ma = next(orders.q, -1);
  out.seasonal_ma = next(orders.seasonal_q, -1);
  return out;
}

/// As much of what is known of a model near it as these orders have.
std::vector<double> from_near(const ArimaFit& near, const ArimaOrders& orders) {
  // Cut by their partial correlations, so that what is left is stationary.
  std::vector<double> out;
  const auto add = [&](const std::vector<double>& had, int size, double sign) {
    std::vector<double> signed_ones;
    for (const double x : had) signed_ones.push_back(sign * x);
    std::vector<double> partials = to_partials(signed_ones);
    partials.resize(static_cast<std::size_t>(size), 0.0);
    out.insert(out.end(), partials.begin(), partials.end());
  };
  add(near.ar, orders.p, 1);
  add(near.seasonal_ar, orders.seasonal_p, 1);
  add(near.ma, orders.q, -1);
  add(near.seasonal_ma, orders.seasonal_q, -1);
  return out;
}

/// Where a search begins: each polynomial's first partial correlation.
struct Beginning {
  double ar, ma;
};
constexpr Beginning beginnings[] = {{0.1, 0.1}, {0.7, 0.5}, {0.5, -0.5}, {-0.5, 0.5}, {0.95, 0.9}};

std::vector<double> begun(const ArimaOrders& orders, const Beginning& beginning) {
  std::vector<double> out;
  const auto add = [&](int size, double first) {
    for (int i = 0; i < size; ++i) out.push_back(i == 0 ? first : 0.0);
  };
  add(orders.p, beginning.ar);
  add(orders.seasonal_p, beginning.ar);
  add(orders.q, beginning.ma);
  add(orders.seasonal_q, beginning.ma);
  return out;
}

constexpr double first_step = 0.2, near_step = 0.1, fine_step = 0.02;

/// A search over the partial correlations of some orders.
class PartialsSearch {
 public:
  PartialsSearch(const ArimaOrders& orders, std::size_t season, std::size_t size)
      : orders_(orders),
        season_(season),
        bounds_{std::vector<double>(size, -edge), std::vector<double>(size, edge)} {}

  [[nodiscard]] Minimum from(const ArimaReadings& readings, std::vector<double> start, double step,
                             const SearchEnd& end) const {
    const bool has_constant = orders_.differences() == 0 || orders_.drift;
    const ValueOf value = [&](std::span<const double> at) {
      const auto process = at_partials(orders_, season_, at).process();
      return -2 * readings.likelihood(process, has_constant).value;
    };
    return least_by_values(value, std::move(start), bounds_, step, end);
  }

 private:
  static constexpr double edge = 1 - 1e-6;

  ArimaOrders orders_;
  std::size_t season_;
  SearchBounds bounds_;
};

/// Somewhere, the same at every run: 32 bits of a generator that is defined to the bit.
std::vector<double> scattered_start(std::mt19937& random, std::size_t size) {
  std::vector<double> out(size);
  constexpr double widest = 0.9;
  for (double& x : out) x = widest * (2 * static_cast<double>(random()) / 0x1p32 - 1);
  return out;
}

/// One term more of those that are wanted: of the kind that lacks most.
void add_term(ArimaOrders& orders, const ArimaOrders& wanted) {
  int* const kinds[] = {&orders.p, &orders.q, &orders.seasonal_p, &orders.seasonal_q};
  const int most[] = {wanted.p, wanted.q, wanted.seasonal_p, wanted.seasonal_q};
  std::size_t lacks = 0;
  for (std::size_t k = 1; k < std::size(kinds); ++k) {
    if (most[k] - *kinds[k] > most[lacks] - *kinds[lacks]) lacks = k;
  }
  ++*kinds[lacks];
}

std::vector<double> likeliest_partials(const ArimaReadings& readings, const ArimaOrders& orders,
                                       std::size_t season, Effort effort, const ArimaFit* near) {
  const auto size =
      static_cast<std::size_t>(orders.p + orders.q + orders.seasonal_p + orders.seasonal_q);
  const PartialsSearch search(orders, season, size);
  const bool is_final = effort == Effort::final;
  const SearchEnd coarse{is_final ? 1e-4 : 1e-2, is_final ? 600 : 250};
  // What one look costs: rows times the state.
  const auto cost =
      static_cast<double>(readings.rows()) *
      static_cast<double>(season * static_cast<std::size_t>(orders.seasonal_p + orders.seasonal_q) +
                          1);
  constexpr double much = 3e6;
  // Of many readings the last tell where to begin.
  const ArimaReadings& light = readings.lighter() != nullptr ? *readings.lighter() : readings;
  const ArimaReadings& looked_at = light.recent() != nullptr ? *light.recent() : light;
  Minimum best{{}, std::numeric_limits<double>::infinity()};
  const auto begin = [&](std::vector<double> start, double step) {
    Minimum found = search.from(looked_at, std::move(start), step, coarse);
    if (found.value < best.value || best.at.empty()) best = std::move(found);
  };
  if (near != nullptr) begin(from_near(*near, orders), near_step);
  if (is_final && near == nullptr && cost <= much) {
    // Up from fewer terms, each the beginning of the next: where there are many hills this is a
    // road that a search over orders takes, too.
    ArimaFit fewer = at_partials({.d = orders.d, .seasonal_d = orders.seasonal_d}, season, {});
    fewer.orders.drift = orders.drift;
    while (fewer.orders.p + fewer.orders.q + fewer.orders.seasonal_p + fewer.orders.seasonal_q + 1 <
           orders.p + orders.q + orders.seasonal_p + orders.seasonal_q) {
      ArimaOrders next = fewer.orders;
      add_term(next, orders);
      fewer = fit_arima(looked_at, next, season, Effort::search, &fewer);
    }
    begin(from_near(fewer, orders), near_step);
  }
  // Where a look costs much a model near by is beginning enough.
  const bool is_long = &looked_at != &light;
  const bool is_near = is_long && near != nullptr;
  const std::size_t most = cost > much ? 1
                           : is_final  ? (is_near ? 2 : std::size(beginnings))
                                       : (is_near ? 0 : 1);
  for (const Beginning& beginning : std::span(beginnings).first(most)) {
    begin(begun(orders, beginning), first_step);
  }
  constexpr double cheap = 3e4;
  constexpr std::size_t many_terms = 4, scattered = 6;
  if (is_final && size >= many_terms && cost < cheap) {
    std::mt19937 random(1);
    for (std::size_t i = 0; i < scattered; ++i) begin(scattered_start(random, size), first_step);
  }
  if (is_long) {
    best = search.from(light, best.at, fine_step, {is_final ? 1e-4 : 1e-2, 80});
  }
  if (is_final && &light != &readings) {
    return search.from(readings, best.at, fine_step, {1e-6, 150}).at;
  }
  // Twice: a search that has come near an edge goes on better from there.
  for (int again = 0; is_final && again < 2; ++again) {
    const double before = best.value;
    best = search.from(readings, best.at, fine_step,
                       cost > much ? SearchEnd{1e-4, 100} : SearchEnd{1e-9, 1'000});
    constexpr double little = 1e-7;
    if (!(before - best.value > little)) break;
  }
  return best.at;
}

}  // namespace

ArimaFit fit_arima(const ArimaReadings& readings, const ArimaOrders& orders, std::size_t season,
                   Effort effort, const ArimaFit* near) {
  const bool has_constant = orders.differences() == 0 || orders.drift;
  const auto size =
      static_cast<std::size_t>(orders.p + orders.q + orders.seasonal_p + orders.seasonal_q);
  std::vector<double> best(size, 0.0);
  if (size > 0 && !readings.is_flat()) {
    best = likeliest_partials(readings, orders, season, effort, near);
  }
  ArimaFit out = at_partials(orders, season, best);
  const bool is_light = effort == Effort::search && readings.lighter() != nullptr;
  const ArimaReadings& told_of = is_light ? *readings.lighter() : readings;
  out.likelihood = told_of.likelihood(out.process(), has_constant);
  out.readings = told_of.counted();
  out.parameters = parameters_of(orders);
  return out;
}

}  // namespace zerobeat::detail
