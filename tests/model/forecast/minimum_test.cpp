#include "model/forecast/minimum.hpp"

#include <Eigen/Dense>
#include <random>

#include "model/forecast/products.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

using detail::least_by_slopes;
using detail::least_by_values;
using detail::SearchBounds;

namespace {

/// A valley that bends (Rosenbrock 1960): its least value is 0, at 1, 1, ….
double valley(std::span<const double> x, std::span<double> slopes) {
  double sum = 0;
  std::ranges::fill(slopes, 0.0);
  for (std::size_t i = 0; i + 1 < x.size(); ++i) {
    const double across = x[i + 1] - x[i] * x[i], along = 1 - x[i];
    sum += 100 * across * across + along * along;
    if (slopes.empty()) continue;
    slopes[i] += -400 * across * x[i] - 2 * along;
    slopes[i + 1] += 200 * across;
  }
  return sum;
}

double valley_value(std::span<const double> x) { return valley(x, {}); }

SearchBounds within(std::size_t size, double low, double high) {
  return {std::vector<double>(size, low), std::vector<double>(size, high)};
}

}  // namespace

TEST_CASE("the least value is found by values alone, and by slopes", "[forecast]") {
  const auto by_values = least_by_values(valley_value, {-1.2, 1}, within(2, -5, 5), 0.5,
                                         {.tolerance = 1e-14, .most_calls = 5'000});
  CHECK(by_values.value < 1e-6);
  CHECK(by_values.at[0] == Approx(1).margin(1e-3));
  // With slopes a matrix of them all is kept, and of many numbers a few vectors.
  for (const std::size_t size : {2, 10, 100}) {
    std::vector<double> start(size, -0.5);
    const auto found = least_by_slopes(valley, start, within(size, -5, 5),
                                       {.tolerance = 1e-15, .most_calls = 20'000});
    CAPTURE(size);
    CHECK(found.value < 1e-6);
    CHECK(found.at.back() == Approx(1).margin(1e-2));
  }
  const auto one = least_by_values([](std::span<const double> x) { return std::cosh(x[0] - 2); },
                                   {0}, within(1, -5, 5), 0.5, {.tolerance = 1e-14});
  CHECK(one.at[0] == Approx(2).margin(1e-5));
}

TEST_CASE("bounds hold, and a least value on one is found", "[forecast]") {
  bool all_within = true;
  const auto distance = [&](std::span<const double> x, std::span<double> slopes) {
    double sum = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
      all_within &= x[i] >= 0 && x[i] <= 1;
      sum += (x[i] - 3) * (x[i] - 3);
      if (!slopes.empty()) slopes[i] = 2 * (x[i] - 3);
    }
    return sum;
  };
  const auto by_slopes = least_by_slopes(distance, {0.2, 0.7}, within(2, 0, 1));
  CHECK(by_slopes.value == Approx(8));
  const auto by_values = least_by_values([&](std::span<const double> x) { return distance(x, {}); },
                                         {7.0, -3.0}, within(2, 0, 1), 0.1);
  CHECK(by_values.value == Approx(8).epsilon(1e-6));
  CHECK(all_within);
}

TEST_CASE("what has no value is a wall, and what is thrown comes out", "[forecast]") {
  const auto walled = [](std::span<const double> x) {
    return x[0] < 0.5 ? std::numeric_limits<double>::infinity()
           : x[1] < 0 ? std::nan("")
                      : x[0] * x[0] + x[1] * x[1];
  };
  const auto found = least_by_values(walled, {2, 2}, within(2, -4, 4), 0.3);
  CHECK(std::isfinite(found.value));
  CHECK(found.at[0] >= 0.5);
  CHECK(found.value < 1);
  int asked = 0;
  const auto breaks = [&](std::span<const double> x) -> double {
    if (++asked == 5) fail_usage("{} is too much", 5);
    return x[0] * x[0] + x[1];
  };
  CHECK_THROWS_WITH(least_by_values(breaks, {1, 1}, within(2, -1, 1), 0.1),
                    Catch::Contains("5 is too much"));
  CHECK(asked == 5);
}

TEST_CASE("what a column leaves of itself stands on the triangle", "[forecast]") {
  std::mt19937 random(6);
  std::normal_distribution<double> normal;
  Eigen::MatrixXd x(40, 4);
  for (Eigen::Index i = 0; i < x.size(); ++i) x.data()[i] = normal(random);
  const Eigen::MatrixXd products = x.transpose() * x;
  std::vector<double> triangle(products.data(), products.data() + products.size());
  REQUIRE(detail::decompose_products(triangle, 4));
  const auto share = detail::shares_of_last(triangle, 4);
  const Eigen::VectorXd solved = x.leftCols(3).householderQr().solve(x.col(3));
  for (Eigen::Index j = 0; j < 3; ++j) {
    CHECK(share[static_cast<std::size_t>(j)] == Approx(solved[j]));
  }
  CHECK(triangle[15] == Approx((x.col(3) - x.leftCols(3) * solved).norm()));
  // A column twice leaves nothing of itself, unless it is the last.
  std::vector<double> twice{1, 1, 0.5, 1, 1, 0.5, 0.5, 0.5, 1};
  CHECK_FALSE(detail::decompose_products(twice, 3));
  std::vector<double> at_end{1, 1, 1, 1};
  CHECK(detail::decompose_products(at_end, 2));
  CHECK(at_end[3] == 0);
}

}  // namespace zerobeat::testing
