#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>

#include "kernel/sums.hpp"
#include "model/forecast/arima.hpp"
#include "model/forecast/fitted_model.hpp"
#include "model/seasonal.hpp"
#include "model/tests/kinds.hpp"

namespace zerobeat::inline v1::detail {

namespace {

FittedModel fitted_of(const ArimaReadings& readings, const ArimaFit& fit,
                      const FitOptions& options) {
  FittedModel out;
  out.model = ForecastModel(ForecastModel::Family::arima);
  out.model.orders = fit.orders;
  out.name = "arima " + orders_text(fit.orders);
  if (fit.orders.is_seasonal()) out.name += " with a season of " + std::to_string(fit.season);
  if (fit.orders.drift) out.name += fit.orders.is_seasonal() ? " and a drift" : " with a drift";
  out.readings = fit.readings;
  out.parameters = fit.parameters;
  out.sigma = std::sqrt(fit.likelihood.variance);
  out.log_likelihood = fit.likelihood.value;
  out.next_best = no_value;
  const auto add = [&](const char* name, const std::vector<double>& terms) {
    for (std::size_t i = 0; i < terms.size(); ++i) {
      out.terms.emplace_back(name + std::to_string(i + 1), terms[i]);
    }
  };
  add("ar", fit.ar);
  add("ma", fit.ma);
  add("sar", fit.seasonal_ar);
  add("sma", fit.seasonal_ma);
  if (fit.has_constant()) out.terms.emplace_back("constant", fit.likelihood.constant);
  out.ahead = [readings, fit, shares = options.shares](std::size_t rows) {
    auto found = readings.ahead(fit.process(), fit.has_constant(), fit.likelihood, rows);
    return normal_bands(std::move(found.value), found.deviation, shares);
  };
  return out;
}

/// Whether there are readings enough for as many parameters, and one more.
bool fits(const ArimaReadings& readings, const ArimaOrders& orders) {
  return readings.counted() - parameters_of(orders) - 1 > 0;
}

/// The longest run without a missing reading.
std::vector<double> longest_run(std::span<const double> readings) {
  std::size_t best = 0, most = 0, begin = 0;
  for (std::size_t t = 0; t <= readings.size(); ++t) {
    if (t < readings.size() && !std::isnan(readings[t])) continue;
    if (t - begin > most) {
      most = t - begin;
      best = begin;
    }
    begin = t + 1;
  }
  const auto run = readings.subspan(best, most);
  return {run.begin(), run.end()};
}

/// How many differences leave readings that keep a level.
int differences_of(std::vector<double> readings) {
  constexpr int most = 2;
  for (int d = 0; d < most; ++d) {
    const std::vector<double> seconds(readings.size(), 0.0);
    const auto outcome = level_test({.readings = readings, .seconds = seconds}, Test{});
    if (!outcome || !outcome->rejected) return d;
    readings = Differences::of(1, 0, 1).taken(readings);
  }
  return most;
}

/// The search of Hyndman and Khandakar (2008): from some simple orders one step at a time.
class ArimaSearch {
 public:
  ArimaSearch(const Series& series, int d, int seasonal_d, const FitOptions& options)
      : season_(series.season),
        d_(d),
        seasonal_d_(seasonal_d),
        options_(options),
        readings_(series.readings, d, seasonal_d, series.season) {}

  FittedModel run() {
    begin();
    if (!best_) return {};
    while (step()) {
    }
    settle();
    while (look_again()) {
    }
    FittedModel out = fitted_of(readings_, tried_[*best_].fit, options_);
    out.next_best = no_value;
    const bool all_told = readings_.lighter() == nullptr;
    for (std::size_t i = 0; i < tried_.size(); ++i) {
      if (i == *best_ || !std::isfinite(tried_[i].criterion)) continue;
      if (!all_told && !tried_[i].is_final) continue;
      if (!(tried_[i].criterion >= out.next_best)) out.next_best = tried_[i].criterion;
    }
    return out;
  }

 private:
  struct Tried {
    ArimaFit fit;
    double criterion;
    bool is_final = false, is_wide = false;
  };

  [[nodiscard]] ArimaOrders orders(int p, int q, int seasonal_p, int seasonal_q, bool drift) const {
    return {p, d_, q, seasonal_p, seasonal_d_, seasonal_q, drift && may_drift()};
  }
  [[nodiscard]] bool may_drift() const { return d_ + seasonal_d_ == 1; }
  [[nodiscard]] bool is_allowed(const ArimaOrders& o) const {
    constexpr int most = 5, most_seasonal = 2;
    const bool in_range = std::min({o.p, o.q, o.seasonal_p, o.seasonal_q}) >= 0 &&
                          std::max(o.p, o.q) <= most &&
                          std::max(o.seasonal_p, o.seasonal_q) <= most_seasonal;
    return in_range && (season_ > 1 || o.seasonal_p + o.seasonal_q == 0) && fits(readings_, o);
  }
  [[nodiscard]] double criterion_of_fit(const ArimaFit& fit) const {
    return criterion_of(fit.likelihood.value, fit.parameters, fit.readings, options_.by);
  }

  /// Fits orders that were not tried; whether they are the best now.
  bool attempt(const ArimaOrders& o) {
    if (!is_allowed(o)) return false;
    for (const Tried& tried : tried_) {
      if (tried.fit.orders == o) return false;
    }
    ArimaFit fit =
        fit_arima(readings_, o, season_, Effort::search, best_ ? &tried_[*best_].fit : nullptr);
    const double criterion = criterion_of_fit(fit);
    tried_.push_back({std::move(fit), criterion});
    if (!std::isfinite(criterion) || (best_ && criterion >= tried_[*best_].criterion)) return false;
    best_ = tried_.size() - 1;
    return true;
  }

  void begin() {
    const bool seasonal = season_ > 1;
    if (readings_.is_flat()) {
      attempt(orders(0, 0, 0, 0, true));
      return;
    }
    attempt(orders(2, 2, seasonal ? 1 : 0, seasonal ? 1 : 0, true));
    attempt(orders(0, 0, 0, 0, true));
    attempt(orders(1, 0, seasonal ? 1 : 0, 0, true));
    attempt(orders(0, 1, 0, seasonal ? 1 : 0, true));
    if (may_drift()) attempt(orders(0, 0, 0, 0, false));
  }

  /// Orders one step from the best: one up or down, two together, the drift there or not.
  [[nodiscard]] std::vector<ArimaOrders> around(const ArimaOrders& o) const {
    std::vector<ArimaOrders> out;
    const auto add = [&](int p, int q, int seasonal_p, int seasonal_q) {
      ArimaOrders next = o;
      next.p += p;
      next.q += q;
      next.seasonal_p += seasonal_p;
      next.seasonal_q += seasonal_q;
      if (is_allowed(next)) out.push_back(next);
    };
    for (const int by : {-1, 1}) {
      add(0, 0, by, 0);
      add(0, 0, 0, by);
      add(0, 0, by, by);
      add(0, 0, by, -by);
      add(by, 0, 0, 0);
      add(0, by, 0, 0);
      add(by, by, 0, 0);
      add(by, -by, 0, 0);
    }
    if (may_drift()) {
      ArimaOrders next = o;
      next.drift = !o.drift;
      if (is_allowed(next)) out.push_back(next);
    }
    return out;
  }

  bool step() {
    if (readings_.is_flat()) return false;
    const ArimaOrders from = tried_[*best_].fit.orders;
    for (const ArimaOrders& next : around(from)) {
      if (attempt(next)) return true;
    }
    return false;
  }

  /// Fits one to the end.
  void finish(std::size_t which) {
    Tried& tried = tried_[which];
    if (tried.is_final) return;
    const ArimaFit near = tried.fit;
    tried.fit = fit_arima(readings_, near.orders, season_, Effort::final, &near);
    tried.criterion = criterion_of_fit(tried.fit);
    tried.is_final = true;
    // One of a lighter likelihood is not compared with it.
    if (!tried_[*best_].is_final || tried.criterion < tried_[*best_].criterion) best_ = which;
  }

  /// The best to the end, and what came so near that it may be better.
  void settle() {
    constexpr double near = 1.0;
    const bool is_heavy = readings_.recent() != nullptr || readings_.lighter() != nullptr;
    const std::size_t most = is_heavy ? 2 : 3;
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < tried_.size(); ++i) {
      if (tried_[i].criterion < tried_[*best_].criterion + near) order.push_back(i);
    }
    std::ranges::stable_sort(order, {}, [&](std::size_t i) { return tried_[i].criterion; });
    order.resize(std::min(order.size(), most));
    const std::size_t first = *best_;
    finish(first);
    for (const std::size_t i : order) finish(i);
  }

  /// A search from one beginning may have missed what lies a step away: where it costs little,
  /// those are looked for from all of them.
  bool look_again() {
    constexpr double most_cost = 30'000;
    const ArimaOrders from = tried_[*best_].fit.orders;
    const auto dimension = static_cast<double>(tried_[*best_].fit.process().dimension());
    if (readings_.is_flat() || readings_.lighter() != nullptr ||
        static_cast<double>(readings_.rows()) * dimension > most_cost) {
      return false;
    }
    const std::size_t before = *best_;
    for (const ArimaOrders& next : around(from)) {
      attempt(next);
      const auto found =
          std::ranges::find(tried_, next, [](const Tried& tried) { return tried.fit.orders; });
      if (found == tried_.end()) continue;
      widen(*found);
      if (found->criterion >= tried_[before].criterion) continue;
      best_ = static_cast<std::size_t>(found - tried_.begin());
      finish(*best_);
      return true;
    }
    return false;
  }

  /// Looks for one from all beginnings, when it is near enough to become the best.
  void widen(Tried& tried) {
    constexpr double near = 10;
    if (tried.is_final || tried.is_wide || !(tried.criterion < tried_[*best_].criterion + near)) {
      return;
    }
    tried.is_wide = true;
    ArimaFit fit = fit_arima(readings_, tried.fit.orders, season_, Effort::wide, &tried.fit);
    const double criterion = criterion_of_fit(fit);
    if (!(criterion < tried.criterion)) return;
    tried.fit = std::move(fit);
    tried.criterion = criterion;
  }

  std::size_t season_;
  int d_, seasonal_d_;
  const FitOptions& options_;
  ArimaReadings readings_;
  std::vector<Tried> tried_{};
  std::optional<std::size_t> best_{};
};

}  // namespace

FittedModel fit_arima_orders(const Series& series, const ArimaOrders& orders,
                             const FitOptions& options) {
  const ArimaReadings readings(series.readings, orders.d, orders.seasonal_d, series.season);
  if (!fits(readings, orders) || (orders.is_seasonal() && series.season < 2)) return {};
  return fitted_of(readings, fit_arima(readings, orders, series.season, Effort::final), options);
}

FittedModel choose_arima(const Series& series, const FitOptions& options) {
  int seasonal_d = 0;
  if (series.season > 1) {
    constexpr double strong = 0.64;
    const auto strength = season_strength(series.readings, series.season);
    seasonal_d = strength > strong ? 1 : 0;
  }
  const auto seasonal = Differences::of(0, seasonal_d, series.season).taken(series.readings);
  const int d = differences_of(longest_run(seasonal));
  return ArimaSearch(series, d, seasonal_d, options).run();
}

}  // namespace zerobeat::detail
