// The fast kernels that buckets rest on, each against the plain loop that defines it.

#include <algorithm>
#include <cmath>
#include <numeric>

#include "kernel/row_search.hpp"
#include "kernel/sums.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// Sizes about the width of vectors, and where lanes begin to be used.
constexpr std::size_t sizes[] = {1, 2, 3, 7, 8, 9, 31, 32, 33, 64, 65, 1000};

std::vector<double> some_readings(std::size_t n, std::mt19937& random) {
  std::vector<double> readings(n);
  for (double& reading : readings) {
    reading = std::ldexp(static_cast<double>(random() % 20001) - 10000,
                         static_cast<int>(random() % 20) - 10);
  }
  return readings;
}

}  // namespace

TEST_CASE("a row is found from any guess", "[kernels]") {
  std::mt19937 random(101);
  for (const std::size_t n : sizes) {
    for (int round = 0; round < 60; ++round) {
      const std::size_t answer = random() % (n + 1);
      const std::size_t from = random() % (answer + 1);
      const std::size_t guess = random() % (2 * n + 2);
      std::size_t asked = 0;
      const std::size_t found = detail::first_not(from, n, guess, [&](std::size_t i) {
        REQUIRE(i < n);
        ++asked;
        return i < answer;
      });
      INFO(from << " to " << n << ", guess " << guess);
      REQUIRE(found == answer);
      // Twice the logarithm of how far off the guess was, and a step or two.
      const auto off = static_cast<double>(std::max(std::min(guess, n), answer) -
                                           std::min(std::max(guess, from), answer));
      REQUIRE(static_cast<double>(asked) <= 2 * std::log2(off + 1) + 6);
    }
  }
  CHECK(detail::first_not(5, 5, 0, [](std::size_t) { return true; }) == 5);
}

TEST_CASE("sums, extremes and deviations are those of plain loops, at every width", "[kernels]") {
  std::mt19937 random(102);
  for (const std::size_t n : sizes) {
    for (int round = 0; round < 20; ++round) {
      const auto x = some_readings(n, random), w = some_readings(n, random);
      const auto count = static_cast<long double>(n);
      long double sum = 0, products = 0;
      for (std::size_t i = 0; i < n; ++i) {
        sum += x[i];
        products += static_cast<long double>(x[i]) * w[i];
      }
      long double squares = 0, cubes = 0, fourths = 0;
      for (const double value : x) {
        const long double off = value - sum / count;
        squares += off * off;
        cubes += off * off * off;
        fourths += off * off * off * off;
      }
      const auto is_near = [](double value, long double truth, long double scale) {
        return std::fabs(static_cast<long double>(value) - truth) <=
               1e-12L * (std::fabs(scale) + 1);
      };
      INFO(n << " readings");
      REQUIRE(is_near(detail::sum_of(x).value(), sum, sum));
      REQUIRE(is_near(detail::sum_of(x).mean(n), sum / count, sum / count));
      REQUIRE(is_near(detail::sum_of_products(x, w).value(), products, products));
      REQUIRE(detail::extremes_of(x).least == *std::min_element(x.begin(), x.end()));
      REQUIRE(detail::extremes_of(x).most == *std::max_element(x.begin(), x.end()));
      const double mean = detail::sum_of(x).mean(n);
      const auto deviations = detail::deviations_of(x, mean, true);
      REQUIRE(is_near(deviations.squares, squares, squares));
      REQUIRE(is_near(deviations.cubes, cubes, fourths + squares * squares));
      REQUIRE(is_near(deviations.fourths, fourths, fourths));
      REQUIRE(detail::deviations_of(x, mean, false).squares == deviations.squares);
      if (n > 1) REQUIRE(is_near(detail::variance_of(x), squares / (count - 1), squares));
    }
  }
}

TEST_CASE("extremes of whole numbers go to the ends of their range", "[kernels]") {
  std::mt19937_64 random(103);
  for (const std::size_t n : sizes) {
    std::vector<std::int64_t> x(n);
    for (auto& value : x) value = static_cast<std::int64_t>(random());
    x[random() % n] = std::numeric_limits<std::int64_t>::min();
    const auto found = detail::extremes_of(std::span<const std::int64_t>(x));
    CHECK(found.least == std::numeric_limits<std::int64_t>::min());
    CHECK(found.most == *std::max_element(x.begin(), x.end()));
  }
}

}  // namespace zerobeat::testing
