#include <algorithm>
#include <cmath>
#include <limits>
#include <random>

#include "model/forecast/arima.hpp"
#include "model/forecast/minimum.hpp"

namespace zerobeat::inline v1::detail {

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

/// A search over the partial correlations of some orders: a look around from several beginnings,
/// then to the end from the best of them.
class PartialsSearch {
 public:
  PartialsSearch(const ArimaReadings& readings, const ArimaOrders& orders, std::size_t season,
                 Effort effort, const ArimaFit* near)
      : readings_(readings),
        light_(readings.lighter() != nullptr ? *readings.lighter() : readings),
        looked_at_(light_.recent() != nullptr ? *light_.recent() : light_),
        orders_(orders),
        season_(season),
        size_(static_cast<std::size_t>(orders.terms())),
        is_final_(effort == Effort::final),
        is_wide_(effort != Effort::search),
        near_(near),
        bounds_{std::vector<double>(size_, -edge), std::vector<double>(size_, edge)} {
    const auto seasonal = static_cast<std::size_t>(orders.seasonal_p + orders.seasonal_q);
    cost_ = static_cast<double>(readings.rows()) * static_cast<double>(season * seasonal + 1);
  }

  std::vector<double> run() {
    look_around();
    if (is_long()) best_ = from(light_, best_.at, fine_step, {is_final_ ? 1e-4 : 1e-2, 80});
    if (is_final_) finish();
    return best_.at;
  }

 private:
  static constexpr double edge = 1 - 1e-6;
  static constexpr double first_step = 0.2, near_step = 0.1, fine_step = 0.02;
  /// Of what one look costs, rows times the state.
  static constexpr double cheap = 3e4, much = 3e6;

  /// Whether the last of many readings tell where to begin.
  [[nodiscard]] bool is_long() const { return &looked_at_ != &light_; }

  [[nodiscard]] Minimum from(const ArimaReadings& readings, std::vector<double> start, double step,
                             const SearchEnd& end) const {
    const bool has_constant = orders_.has_constant();
    const ValueOf value = [&](std::span<const double> at) {
      const auto process = at_partials(orders_, season_, at).process();
      return -2 * readings.likelihood(process, has_constant).value;
    };
    return least_by_values(value, std::move(start), bounds_, step, end);
  }

  void begin(std::vector<double> start, double step) {
    const SearchEnd coarse{is_wide_ ? 1e-4 : 1e-2, is_wide_ ? 600 : 250};
    Minimum found = from(looked_at_, std::move(start), step, coarse);
    if (found.value < best_.value || best_.at.empty()) best_ = std::move(found);
  }

  void look_around() {
    if (near_ != nullptr) begin(near_->partials(orders_), near_step);
    if (is_final_ && near_ == nullptr && cost_ <= much) climb();
    // Where a look costs much a model near by is beginning enough.
    const bool is_near = is_long() && near_ != nullptr;
    const std::size_t most = cost_ > much ? 1
                             : is_wide_   ? (is_near ? 2 : std::size(beginnings))
                                          : (is_near ? 0 : 1);
    for (const Beginning& beginning : std::span(beginnings).first(most)) {
      begin(begun(orders_, beginning), first_step);
    }
    constexpr std::size_t many_terms = 4, scattered = 6;
    if (!is_wide_ || size_ < many_terms || cost_ > cheap) return;
    std::mt19937 random(1);
    for (std::size_t i = 0; i < scattered; ++i) begin(scattered_start(random, size_), first_step);
  }

  /// Up from fewer terms, each the beginning of the next: where there are many hills this is a road
  /// that a search over orders takes, too.
  void climb() {
    ArimaFit fewer = at_partials({.d = orders_.d, .seasonal_d = orders_.seasonal_d}, season_, {});
    fewer.orders.drift = orders_.drift;
    while (fewer.orders.terms() + 1 < orders_.terms()) {
      ArimaOrders next = fewer.orders;
      add_term(next, orders_);
      fewer = fit_arima(looked_at_, next, season_, Effort::search, &fewer);
    }
    begin(fewer.partials(orders_), near_step);
  }

  void finish() {
    if (&light_ != &readings_) {
      // As many looks as some seconds have, or none: the maximum of the lighter one is near.
      const double state = 2 * static_cast<double>(season_) + 10;
      const double looks = 4e9 / (static_cast<double>(readings_.rows()) * state * state);
      constexpr double least = 30, most = 150;
      if (looks < least) return;
      best_ = from(readings_, best_.at, fine_step, {1e-6, static_cast<int>(std::min(looks, most))});
      return;
    }
    // Twice: a search that has come near an edge goes on better from there.
    for (int again = 0; again < 2; ++again) {
      const double before = best_.value;
      best_ = from(readings_, best_.at, fine_step,
                   cost_ > much ? SearchEnd{1e-4, 100} : SearchEnd{1e-9, 1'000});
      constexpr double little = 1e-7;
      if (!(before - best_.value > little)) break;
    }
  }

  const ArimaReadings& readings_;
  const ArimaReadings& light_;
  const ArimaReadings& looked_at_;
  ArimaOrders orders_;
  std::size_t season_, size_;
  bool is_final_, is_wide_;
  const ArimaFit* near_;
  SearchBounds bounds_;
  double cost_ = 0;
  Minimum best_{{}, std::numeric_limits<double>::infinity()};
};

}  // namespace

ArimaFit fit_arima(const ArimaReadings& readings, const ArimaOrders& orders, std::size_t season,
                   Effort effort, const ArimaFit* near) {
  std::vector<double> best(static_cast<std::size_t>(orders.terms()), 0.0);
  if (!best.empty() && !readings.is_flat()) {
    best = PartialsSearch(readings, orders, season, effort, near).run();
  }
  ArimaFit out = at_partials(orders, season, best);
  const bool is_light = effort != Effort::final && readings.lighter() != nullptr;
  const ArimaReadings& told_of = is_light ? *readings.lighter() : readings;
  out.likelihood = told_of.likelihood(out.process(), orders.has_constant());
  out.readings = told_of.counted();
  out.parameters = parameters_of(orders);
  return out;
}

}  // namespace zerobeat::detail
