#include <catch2/catch.hpp>
#include <cmath>
#include <random>
#include <vector>

#include "model/forecast/arima.hpp"
#include "model/forecast/dense.hpp"
#include "model/forecast/whiten.hpp"

namespace zerobeat::testing {

using detail::Differences;
using detail::Process;

namespace {

std::vector<double> random_partials(std::mt19937& random, std::size_t size) {
  std::uniform_real_distribution<double> between(-0.9, 0.9);
  std::vector<double> out(size);
  for (double& x : out) x = between(random);
  return out;
}

detail::ArimaFit random_model(std::mt19937& random, const ArimaOrders& orders, std::size_t season) {
  detail::ArimaFit out;
  out.orders = orders;
  out.season = season;
  const auto drawn = [&](int size, double sign) {
    auto made = detail::from_partials(random_partials(random, static_cast<std::size_t>(size)));
    for (double& x : made) x *= sign;
    return made;
  };
  out.ar = drawn(orders.p, 1);
  out.seasonal_ar = drawn(orders.seasonal_p, 1);
  out.ma = drawn(orders.q, -1);
  out.seasonal_ma = drawn(orders.seasonal_q, -1);
  return out;
}

constexpr ArimaOrders orders_of_cases[] = {
    {1, 0, 0},          {0, 0, 1},          {2, 0, 1},          {3, 0, 2},
    {0, 1, 1},          {1, 1, 1},          {2, 2, 1},          {0, 0, 0},
    {1, 0, 1, 1, 0, 1}, {0, 1, 1, 0, 1, 1}, {2, 0, 0, 0, 1, 1}, {1, 1, 2, 1, 1, 0},
    {0, 1, 0, 0, 1, 1}};

}  // namespace

TEST_CASE("partial correlations and coefficients are two ways to say the same", "[forecast]") {
  std::mt19937 random(1);
  for (std::size_t size = 0; size < 8; ++size) {
    const auto partials = random_partials(random, size);
    const auto back = detail::to_partials(detail::from_partials(partials));
    REQUIRE(back.size() == size);
    for (std::size_t i = 0; i < size; ++i) CHECK(back[i] == Approx(partials[i]).margin(1e-9));
  }
  // 1 - 1.2 B has its root inside the unit circle.
  CHECK(detail::to_partials(std::vector<double>{1.2})[0] == 1.2);
}

TEST_CASE("a process' covariances are those of its responses to shocks", "[forecast]") {
  std::mt19937 random(2);
  for (const ArimaOrders& orders : orders_of_cases) {
    const Process process = random_model(random, orders, 4).process();
    const auto by_shocks = dense::covariances(process, 30);
    const auto found = detail::autocovariances(process, 30);
    for (std::size_t k = 0; k <= 30; ++k) {
      CHECK(found[k] == Approx(by_shocks[k]).epsilon(1e-8).margin(1e-8 * by_shocks[0]));
    }
  }
}

TEST_CASE("the likelihood is that of one draw from a dense normal", "[forecast]") {
  std::mt19937 random(3);
  std::normal_distribution<double> normal;
  std::bernoulli_distribution is_lost(0.15);
  for (const bool gaps : {false, true}) {
    for (const bool drift : {false, true}) {
      for (const ArimaOrders& orders : orders_of_cases) {
        const std::size_t season = 4, rows = 20 + random() % 41;
        const auto model = random_model(random, orders, season);
        const Process process = model.process();
        const auto differences = Differences::of(orders.d, orders.seasonal_d, season);
        std::vector<double> readings(rows);
        double level = 100;
        for (double& x : readings) x = level += normal(random);
        for (std::size_t t = 1; gaps && t + 1 < rows; ++t) {
          if (is_lost(random)) readings[t] = std::nan("");
        }
        const bool has_constant = drift || orders.differences() == 0;
        CAPTURE(gaps, drift, rows, orders_text(orders));
        const auto plain = dense::likelihood(readings, process, differences, has_constant, 9);
        const detail::ArimaReadings prepared(readings, orders.d, orders.seasonal_d, season);
        const auto found = prepared.likelihood(process, has_constant);
        CHECK(found.value == Approx(plain.log_likelihood).epsilon(1e-8));
        CHECK(found.variance == Approx(plain.variance).epsilon(1e-8));
        if (has_constant)
          CHECK(found.constant == Approx(plain.constant).epsilon(1e-7).margin(1e-7));
        const auto ahead = prepared.ahead(process, has_constant, found, 9);
        for (std::size_t h = 0; h < 9; ++h) {
          CHECK(ahead.value[h] == Approx(plain.ahead[h]).epsilon(1e-6));
          CHECK(ahead.deviation[h] == Approx(plain.deviation[h]).epsilon(1e-6));
        }
      }
    }
  }
}

TEST_CASE("both filters whiten alike", "[forecast]") {
  std::mt19937 random(4);
  std::normal_distribution<double> normal;
  for (const ArimaOrders& orders : orders_of_cases) {
    const Process process = random_model(random, orders, 5).process();
    std::vector<double> first(400), second(400, 1.0);
    for (double& x : first) x = normal(random);
    const std::vector<std::span<const double>> columns{first, second};
    const auto fast = detail::whiten(process, columns);
    const auto plain =
        detail::StateFilter(process, {}).take(columns, std::vector<bool>(first.size(), false));
    CHECK(fast.log_variances == Approx(plain.log_variances).epsilon(1e-9).margin(1e-9));
    for (std::size_t i = 0; i < 4; ++i) {
      CHECK(fast.products[i] == Approx(plain.products[i]).epsilon(1e-9).margin(1e-9));
    }
  }
}

TEST_CASE("a season too long for a square of it is told on by its responses", "[forecast]") {
  std::mt19937 random(5);
  std::normal_distribution<double> normal;
  const std::size_t season = 600, rows = 6 * season, ahead_rows = season + 2;
  detail::ArimaFit model;
  model.orders = {1, 0, 0, 0, 1, 1};
  model.season = season;
  model.ar = {0.5};
  model.seasonal_ma = {-0.01};
  std::vector<double> readings(rows), shocks(rows), w(rows);
  for (double& x : shocks) x = normal(random) / 10;
  for (std::size_t t = 0; t < rows; ++t) {
    w[t] = shocks[t] + (t > 0 ? 0.5 * w[t - 1] : 0) - (t >= season ? 0.01 * shocks[t - season] : 0);
    readings[t] = w[t] + (t >= season ? readings[t - season] : 0);
  }
  const detail::ArimaReadings prepared(readings, 0, 1, season);
  const Process process = model.process();
  const auto found = prepared.likelihood(process, false);
  const auto ahead = prepared.ahead(process, false, found, ahead_rows);
  // The equation itself, each shock ahead being 0: after five seasons the filter knows the shocks.
  std::vector<double> told = readings;
  for (std::size_t h = 0; h < ahead_rows; ++h) {
    const std::size_t t = rows + h;
    shocks.push_back(0);
    w.push_back(0.5 * w[t - 1] - 0.01 * shocks[t - season]);
    told.push_back(w[t] + told[t - season]);
    CHECK(ahead.value[h] == Approx(told[t]).margin(1e-6));
  }
  // Shocks spread by 1, 0.5, 0.25 …; from a season on each comes again, but for what it takes back.
  const double sigma = std::sqrt(found.variance);
  CHECK(ahead.deviation[0] == Approx(sigma));
  CHECK(ahead.deviation[1] == Approx(sigma * std::sqrt(1.25)));
  const double flat = 1 / (1 - 0.25);
  CHECK(ahead.deviation[season - 1] == Approx(sigma * std::sqrt(flat)));
  CHECK(ahead.deviation[season] == Approx(sigma * std::sqrt(flat + 0.99 * 0.99)).epsilon(1e-6));
}

}  // namespace zerobeat::testing
