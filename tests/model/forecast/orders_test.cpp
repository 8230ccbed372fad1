#include <random>

#include "model/forecast/arima.hpp"
#include "model/forecast/fitted_model.hpp"
#include "model/forecast/smoothing.hpp"
#include "model/seasonal.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

const detail::FitOptions a_band{.shares = {0.8}};

std::vector<double> noise(std::size_t rows, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::vector<double> out(rows);
  for (double& x : out) x = normal(random);
  return out;
}

std::vector<double> sums(std::vector<double> x) {
  for (std::size_t t = 1; t < x.size(); ++t) x[t] += x[t - 1];
  return x;
}

ArimaOrders chosen_orders(const std::vector<double>& x, std::size_t season = 1) {
  return *detail::choose_arima({x, season}, a_band).model.orders;
}

}  // namespace

TEST_CASE("differences are taken until a level is kept, and a strong season is taken once",
          "[forecast]") {
  for (const std::uint64_t seed : {1, 2, 3}) {
    const auto white = noise(200, seed);
    CHECK(chosen_orders(white).d == 0);
    CHECK(chosen_orders(sums(white)).d == 1);
    CHECK(chosen_orders(sums(sums(white))).d == 2);
    auto seasonal = white;
    for (std::size_t t = 0; t < seasonal.size(); ++t) {
      seasonal[t] += 5 * std::sin(2 * M_PI * static_cast<double>(t % 8) / 8);
    }
    CHECK(detail::season_strength(seasonal, 8) > 0.64);
    CHECK(chosen_orders(seasonal, 8).seasonal_d == 1);
    CHECK(detail::season_strength(white, 8) < 0.64);
    CHECK(chosen_orders(white, 8).seasonal_d == 0);
  }
}

TEST_CASE("a season's strength is that of decompose's parts", "[forecast]") {
  auto x = noise(80, 4);
  for (std::size_t t = 0; t < x.size(); ++t) x[t] += t % 4 == 0 ? 2 : 0;
  const auto parts = detail::seasonal_loess(x, detail::periodic_loess(4, x.size()));
  double rest = 0, rest_mean = 0, with = 0, with_mean = 0;
  const auto n = static_cast<double>(x.size());
  for (std::size_t t = 0; t < x.size(); ++t) {
    const double r = x[t] - parts.trend[t] - parts.season[t];
    rest_mean += r / n;
    with_mean += (r + parts.season[t]) / n;
  }
  for (std::size_t t = 0; t < x.size(); ++t) {
    const double r = x[t] - parts.trend[t] - parts.season[t];
    rest += (r - rest_mean) * (r - rest_mean);
    with += (r + parts.season[t] - with_mean) * (r + parts.season[t] - with_mean);
  }
  CHECK(detail::season_strength(x, 4) == Approx(1 - rest / with));
}

TEST_CASE("a drift is the mean of the differences, and goes on", "[forecast]") {
  auto x = sums(noise(120, 5));
  for (std::size_t t = 0; t < x.size(); ++t) x[t] += 0.7 * static_cast<double>(t);
  const auto fitted = detail::fit_arima_orders({x, 1}, {0, 1, 0, 0, 0, 0, true}, a_band);
  const double each = (x.back() - x.front()) / 119;
  CHECK(fitted.terms.back().first == "constant");
  CHECK(fitted.terms.back().second == Approx(each));
  const auto rows = fitted.ahead(10);
  CHECK(rows.value[9] == Approx(x.back() + 10 * each));
  const auto flat = detail::fit_arima_orders({x, 1}, {0, 1, 0}, a_band);
  CHECK(flat.terms.empty());
  CHECK(flat.ahead(10).value[9] == Approx(x.back()));
  CHECK(fitted.criterion(Forecast::Criterion::aicc) < flat.criterion(Forecast::Criterion::aicc));
  CHECK(fitted.name == "arima 0,1,0 with a drift");
}

TEST_CASE("an autoregression comes back to its mean, its bands to their width", "[forecast]") {
  std::vector<double> x = noise(400, 6);
  for (std::size_t t = 1; t < x.size(); ++t) x[t] += 0.8 * x[t - 1];
  for (double& v : x) v += 30;
  const auto fitted = detail::fit_arima_orders({x, 1}, {1, 0, 0}, a_band);
  const double phi = fitted.terms[0].second, mean = fitted.terms[1].second;
  CHECK(phi == Approx(0.8).margin(0.1));
  const auto rows = fitted.ahead(60);
  double told = x.back() - mean, variance = 0;
  for (std::size_t h = 0; h < 60; ++h) {
    told *= phi;
    variance += std::pow(phi, 2 * static_cast<double>(h));
    CHECK(rows.value[h] == Approx(mean + told));
    CHECK((rows.high[0][h] - rows.low[0][h]) / 2 ==
          Approx(1.2815515655446004 * fitted.sigma * std::sqrt(variance)).epsilon(1e-6));
  }
  CHECK(rows.value[59] == Approx(mean).margin(1e-3));
}

TEST_CASE("of many readings with many missing ones a lighter likelihood only leads the way",
          "[forecast]") {
  // Long enough that the filter of missing readings would take long.
  std::vector<double> x = noise(6'000, 7);
  for (std::size_t t = 1; t < x.size(); ++t) x[t] += 0.6 * x[t - 1];
  for (std::size_t t = 5; t + 1 < x.size(); t += 9) x[t] = std::nan("");
  const detail::ArimaReadings readings(x, 0, 0, 12);
  REQUIRE(readings.lighter() != nullptr);
  const auto found = detail::fit_arima(readings, {1, 0, 0}, 12, detail::Effort::final);
  CHECK(found.readings == readings.counted());
  CHECK(found.ar[0] == Approx(0.6).margin(0.05));
  for (const double by : {-0.004, 0.004}) {
    auto nudged = found;
    nudged.ar[0] += by;
    CHECK(readings.likelihood(nudged.process(), true).value < found.likelihood.value + 1e-4);
  }
  // Few of them are not worth it.
  CHECK(detail::ArimaReadings(std::span(x).first(300), 0, 0, 1).lighter() == nullptr);
}

TEST_CASE("where errors add and the season multiplies the bands are those of paths", "[forecast]") {
  std::vector<double> x = noise(80, 8);
  for (std::size_t t = 0; t < x.size(); ++t) {
    x[t] += (100 + static_cast<double>(t)) * (t % 4 == 0 ? 1.2 : t % 4 == 2 ? 0.8 : 1);
  }
  const detail::SmoothingReadings readings(x, 4);
  const SmoothingForm form{SmoothingForm::Part::additive, SmoothingForm::Part::additive,
                           SmoothingForm::Part::multiplicative};
  const auto fit = detail::fit_smoothing(readings, form, detail::Effort::final);
  const double shares[] = {0.5, 0.95};
  const auto rows = detail::smoothing_ahead(fit, 6, shares, 1);
  const auto again = detail::smoothing_ahead(fit, 6, shares, 1);
  const auto other = detail::smoothing_ahead(fit, 6, shares, 2);
  CHECK(rows.low == again.low);
  CHECK(rows.low != other.low);
  // The first step is normal, whatever multiplies later.
  const double sigma = std::sqrt(fit.variance);
  CHECK(rows.high[1][0] - rows.value[0] == Approx(1.96 * sigma).epsilon(0.06));
  CHECK(rows.value[0] - rows.low[0][0] == Approx(0.6745 * sigma).epsilon(0.08));
  for (std::size_t h = 0; h < 6; ++h) {
    CHECK(rows.low[1][h] < rows.low[0][h]);
    CHECK(rows.high[0][h] < rows.high[1][h]);
    CHECK(other.low[1][h] == Approx(rows.low[1][h]).margin(0.3 * sigma));
  }
}

}  // namespace zerobeat::testing
