#include <random>
#include <zerobeat/model/test.hpp>

#include "model/tests/kinds.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

std::vector<double> normal_noise(std::size_t n, std::mt19937& random) {
  std::normal_distribution<double> normal;
  std::vector<double> x(n);
  for (double& value : x) value = normal(random);
  return x;
}

std::vector<double> seconds_of(std::size_t n) {
  std::vector<double> seconds(n);
  for (std::size_t i = 0; i < n; ++i) seconds[i] = 60 * static_cast<double>(i);
  return seconds;
}

/// In how many of so many draws a test rejects.
template <typename Draw>
double share_rejected(std::string_view word, int draws, unsigned seed, const Draw& draw,
                      const Test& options = {}) {
  const auto kind = std::ranges::find(detail::test_kinds(), word, &detail::TestKind::word);
  std::mt19937 random(seed);
  int rejected = 0;
  for (int i = 0; i < draws; ++i) {
    const std::vector<double> x = draw(random);
    const auto seconds = seconds_of(x.size());
    const auto outcome = kind->run({x, seconds, false}, options);
    REQUIRE(outcome);
    rejected += outcome->rejected ? 1 : 0;
  }
  return static_cast<double>(rejected) / draws;
}

std::vector<double> walk(std::size_t n, std::mt19937& random) {
  auto x = normal_noise(n, random);
  for (std::size_t t = 1; t < n; ++t) x[t] += x[t - 1];
  return x;
}

std::vector<double> following(std::size_t n, double share, std::mt19937& random) {
  auto x = normal_noise(n + 50, random);
  for (std::size_t t = 1; t < x.size(); ++t) x[t] += share * x[t - 1];
  return {x.begin() + 50, x.end()};
}

Timeline series_of(const Readings& readings) {
  std::vector<Instant> times;
  for (std::size_t i = 0; i < readings.size(); ++i) {
    times.push_back(clock("00:00") + std::chrono::minutes(i));
  }
  return timeline_of({times, {}, {{"level", column_of(readings)}}});
}

double number_in(const Table& table, const char* column, std::size_t row = 0) {
  const Column values = table.column(column).as_numbers();
  return values.valid(row) ? values.numbers()[row] : std::nan("");
}

}  // namespace

TEST_CASE("at 5% white noise is rejected in 3 to 7% of 2,000 draws", "[test]") {
  const auto noise = [](std::mt19937& random) { return normal_noise(200, random); };
  for (const char* word : {"noise", "trend", "runs"}) {
    INFO(word);
    const double share = share_rejected(word, 2'000, 100, noise);
    CHECK(share > 0.03);
    CHECK(share < 0.07);
  }
  const auto uniform = [](std::mt19937& random) {
    std::uniform_real_distribution<double> of(2, 5);
    std::vector<double> x(80);
    for (double& value : x) value = of(random);
    return x;
  };
  const double share = share_rejected("uniform", 2'000, 4, uniform, {.range = {2, 5}});
  CHECK(share > 0.03);
  CHECK(share < 0.07);
  const auto longer = [](std::mt19937& random) { return normal_noise(1'000, random); };
  for (const char* word : {"normal", "level"}) {
    INFO(word);
    const double of_longer = share_rejected(word, 2'000, 6, longer);
    CHECK(of_longer > 0.03);
    CHECK(of_longer < 0.07);
  }
}

TEST_CASE("a random walk keeps its unit root as often, and no level", "[test]") {
  const double share = share_rejected("unit-root", 2'000, 11,
                                      [](std::mt19937& random) { return walk(200, random); });
  CHECK(share > 0.03);
  CHECK(share < 0.07);
  CHECK(share_rejected("level", 200, 12, [](std::mt19937& random) { return walk(500, random); }) >
        0.9);
}

TEST_CASE("both find what they should on readings that half follow the last", "[test]") {
  const auto half = [](std::mt19937& random) { return following(500, 0.5, random); };
  CHECK(share_rejected("unit-root", 300, 13, half) > 0.9);
  CHECK(share_rejected("level", 300, 14, half) < 0.1);
  CHECK(share_rejected("noise", 100, 15, half) > 0.99);
}

TEST_CASE("about a trend a line is no unit root, and keeps its trend", "[test]") {
  const auto line = [](std::mt19937& random) {
    auto x = normal_noise(300, random);
    for (std::size_t t = 0; t < x.size(); ++t) x[t] += 0.05 * static_cast<double>(t);
    return x;
  };
  CHECK(share_rejected("unit-root", 200, 16, line, {.trend = true}) > 0.95);
  CHECK(share_rejected("level", 200, 17, line, {.trend = true}) < 0.12);
  CHECK(share_rejected("level", 200, 18, line) > 0.95);
  CHECK(share_rejected("trend", 200, 19, line) > 0.99);
}

TEST_CASE("MacKinnon's surfaces give his critical values", "[test]") {
  // Of long series: -3.43, -2.86, -2.57 with a constant, -3.96, -3.41, -3.13 with a trend.
  const std::pair<double, double> with_constant[] = {{-3.43, 0.01}, {-2.86, 0.05}, {-2.57, 0.10}};
  for (const auto& [t, p] : with_constant) {
    CHECK(detail::mackinnon_p(t, false) == Approx(p).epsilon(0.03));
  }
  const std::pair<double, double> with_trend[] = {{-3.96, 0.01}, {-3.41, 0.05}, {-3.13, 0.10}};
  for (const auto& [t, p] : with_trend) {
    CHECK(detail::mackinnon_p(t, true) == Approx(p).epsilon(0.03));
  }
  CHECK(detail::mackinnon_p(-19, false) == 0);
  CHECK(detail::mackinnon_p(2.75, false) == 1);
  CHECK(detail::mackinnon_p(0.71, true) == 1);
}

TEST_CASE("Dickey and Fuller's statistic is that of its regression", "[test]") {
  std::mt19937 random(31);
  const auto x = walk(60, random);
  const auto outcome = detail::unit_root_test({x, {}, false}, {.lags = 0});
  // y = x[t] - x[t-1] on x[t-1] with a constant, by the formulas of one regressor.
  const std::size_t n = x.size() - 1;
  double mx = 0, my = 0;
  for (std::size_t t = 1; t <= n; ++t) mx += x[t - 1], my += x[t] - x[t - 1];
  mx /= static_cast<double>(n);
  my /= static_cast<double>(n);
  double sxx = 0, sxy = 0, syy = 0;
  for (std::size_t t = 1; t <= n; ++t) {
    const double a = x[t - 1] - mx, b = x[t] - x[t - 1] - my;
    sxx += a * a;
    sxy += a * b;
    syy += b * b;
  }
  const double slope = sxy / sxx;
  const double sigma = std::sqrt((syy - slope * sxy) / static_cast<double>(n - 2));
  CHECK(outcome->statistic == Approx(slope / (sigma / std::sqrt(sxx))));
  CHECK(outcome->lags == 0);
}

TEST_CASE("the level's statistic is that of its formula, its p between the table's", "[test]") {
  const std::vector<double> x{1, 2, 1.5, 3, 2.5, 4, 3.5, 5, 4.5, 6};
  const auto outcome = detail::level_test({x, {}, false}, {.lags = 1});
  double mean = 0;
  for (const double value : x) mean += value / 10;
  double partial = 0, squares = 0, variance = 0;
  for (std::size_t t = 0; t < x.size(); ++t) {
    partial += x[t] - mean;
    squares += partial * partial;
    variance += (x[t] - mean) * (x[t] - mean) / 10;
    if (t > 0) variance += 2 * 0.5 * (x[t] - mean) * (x[t - 1] - mean) / 10;
  }
  CHECK(outcome->statistic == Approx(squares / 100 / variance));
  const double s = outcome->statistic;
  REQUIRE(s > 0.463);
  REQUIRE(s < 0.739);
  const double expected = s < 0.574 ? 0.05 - (s - 0.463) / (0.574 - 0.463) * 0.025
                                    : 0.025 - (s - 0.574) / (0.739 - 0.574) * 0.015;
  CHECK(outcome->p == Approx(expected));
  CHECK(outcome->rejected);
}

TEST_CASE("Kolmogorov's p are those of his tables", "[test]") {
  // Of 5% and 1%: n = 5: 0.563, 0.669; 10: 0.409, 0.489; 20: 0.294, 0.352; 50: 0.188, 0.226.
  struct Tabled {
    std::size_t n;
    double d, p;
  };
  const Tabled tabled[] = {{5, 0.56327, 0.05},  {5, 0.66853, 0.01},  {10, 0.40925, 0.05},
                           {10, 0.48893, 0.01}, {20, 0.29408, 0.05}, {20, 0.35241, 0.01},
                           {100, 0.13403, 0.05}};
  for (const Tabled& row : tabled) {
    CHECK(detail::kolmogorov_p(row.d, row.n) == Approx(row.p).epsilon(0.01));
  }
  CHECK(detail::kolmogorov_p(1.3581 / std::sqrt(1e6), 1'000'000) == Approx(0.05).epsilon(0.002));
  // One reading: 2(1 - d) from a half on.
  CHECK(detail::kolmogorov_p(0.75, 1) == Approx(0.5));
  // Exact and limit are near where they meet.
  CHECK(detail::kolmogorov_p(0.1, 140) == Approx(detail::kolmogorov_p(0.1, 141)).epsilon(0.08));
}

TEST_CASE("normal and uniform statistics are those of their formulas", "[test]") {
  const std::vector<double> x{1, 2, 2, 3, 7};
  double mean = 3, m2 = 0, m3 = 0, m4 = 0;
  for (const double value : x) {
    const double d = value - mean;
    m2 += d * d / 5;
    m3 += d * d * d / 5;
    m4 += d * d * d * d / 5;
  }
  const double skewness = m3 / std::pow(m2, 1.5), kurtosis = m4 / (m2 * m2) - 3;
  const auto normal = detail::normal_test({x, {}, false}, {});
  CHECK(normal->statistic == Approx(5.0 / 6 * (skewness * skewness + kurtosis * kurtosis / 4)));
  CHECK(normal->p == Approx(std::exp(-normal->statistic / 2)));
  const auto uniform = detail::uniform_test({x, {}, false}, {.range = {0, 10}});
  CHECK(uniform->statistic == Approx(0.8 - 0.3));
}

TEST_CASE("the trend's figures are those of all pairs", "[test]") {
  std::mt19937 random(6);
  for (int again = 0; again < 60; ++again) {
    const std::size_t n = 3 + random() % 60;
    std::vector<double> x, seconds;
    double at = 0;
    for (std::size_t i = 0; i < n; ++i) {
      x.push_back(static_cast<double>(random() % 12));
      seconds.push_back(at += random() % 4 == 0 ? 0 : 60);
    }
    const auto outcome = detail::trend_test({x, seconds, false}, {});
    double s = 0;
    std::map<double, double> groups;
    for (std::size_t j = 0; j < n; ++j) {
      ++groups[x[j]];
      for (std::size_t i = 0; i < j; ++i) s += x[j] > x[i] ? 1 : x[j] < x[i] ? -1 : 0;
    }
    const auto count = static_cast<double>(n);
    double variance = count * (count - 1) * (2 * count + 5);
    for (const auto& [value, t] : groups) variance -= t * (t - 1) * (2 * t + 5);
    if (variance == 0) {
      CHECK(!outcome);
      continue;
    }
    REQUIRE(outcome);
    const double z = (s > 0 ? s - 1 : s < 0 ? s + 1 : 0) / std::sqrt(variance / 18);
    CHECK(outcome->statistic == Approx(z).margin(1e-12));
    CHECK(outcome->p == Approx(std::erfc(std::fabs(z) / std::sqrt(2))));
    const double slope = detail::median_slope_by_pairs(seconds, x);
    CHECK((std::isnan(slope) ? !outcome->slope : *outcome->slope == Approx(86'400 * slope)));
    CHECK((std::isnan(slope) ||
           detail::median_slope_by_counts(seconds, x) == Approx(slope).margin(1e-12)));
  }
}

TEST_CASE("inversions are counted as by pairs", "[test]") {
  std::mt19937 random(1);
  for (int again = 0; again < 100; ++again) {
    std::vector<double> x(random() % 100);
    for (double& value : x) value = static_cast<double>(random() % 20);
    std::int64_t plain = 0;
    for (std::size_t j = 0; j < x.size(); ++j) {
      for (std::size_t i = 0; i < j; ++i) plain += x[i] > x[j] ? 1 : 0;
    }
    auto sorted = x;
    CHECK(detail::count_inversions(sorted) == plain);
    CHECK(std::ranges::is_sorted(sorted));
  }
}

TEST_CASE("runs are counted about the median, equal readings left out", "[test]") {
  // Median 3: - - + + - + +, five below or above, of which two equal ones are left out.
  const std::vector<double> x{1, 2, 3, 5, 6, 1, 3, 7, 8};
  const auto outcome = detail::runs_test({x, {}, false}, {});
  const double below = 3, above = 4, n = 7, runs = 4;
  const double mean = 2 * below * above / n + 1;
  const double variance = 2 * below * above * (2 * below * above - n) / (n * n * (n - 1));
  CHECK(outcome->statistic == Approx((runs - mean) / std::sqrt(variance)));
}

TEST_CASE("tests of order take the longest run without a missing reading", "[test]") {
  std::mt19937 random(3);
  Readings readings;
  for (const double value : normal_noise(100, random)) readings.push_back(value);
  readings[30] = readings[31] = missing;
  const auto result = test(series_of(readings), {.of = {"noise", "normal"}});
  CHECK(number_in(result.table, "readings", 0) == 68);
  CHECK(number_in(result.table, "readings", 1) == 98);
  CHECK_THAT(result.account.last().notes[0],
             Catch::Contains("the longest run without a missing reading has 68 rows"));
}

TEST_CASE("a test that can't be made is a row of empty cells, with a note", "[test]") {
  const auto result = test(series_of(Readings(12, 5.0)), {.of = test_words(), .range = {0, 9}});
  REQUIRE(result.table.rows() == 7);
  for (std::size_t row = 0; row < 7; ++row) {
    const std::string word = result.table.column("test").text(row);
    INFO(word);
    if (word == "uniform") continue;  // equal readings are not uniform, and it says so
    CHECK(std::isnan(number_in(result.table, "statistic", row)));
    CHECK(!result.table.column("verdict").valid(row));
    CHECK(!result.table.column("readings").valid(row));
  }
  CHECK_THAT(result.account.last().notes[0], Catch::Contains("unit-root can't be made of 12"));
  CHECK(result.table.names().back() == "slope");
  CHECK(test(series_of({1, 2, 4})).table.names().back() == "verdict");
}

TEST_CASE("what test is asked for is checked by name", "[test]") {
  const auto level = series_of({1, 2, 4, 3, 5});
  CHECK_THROWS_WITH(test(level, {.of = {"unit-rot"}}), Catch::Contains("unit-root"));
  CHECK_THROWS_WITH(test(level, {.of = {"uniform"}}), Catch::Contains("‹range› LO,HI"));
  CHECK_THROWS_WITH(test(level, {.of = {"level"}, .at = 0.2}), Catch::Contains("0.01 to 0.1"));
  CHECK_THROWS_WITH(test(level, {.of = {"normal", "normal"}}), Catch::Contains("twice"));
  CHECK_THROWS_WITH(test(level, {.at = 0.0}), Catch::Contains("‹at› 0"));
  const auto uneven = strand("00:00 1", "00:10 2", "00:25 3", "00:35 4", "00:45 1");
  try {
    static_cast<void>(test(uneven, {.of = {"noise"}}));
    FAIL("it is not regular");
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::limit);
    CHECK_THAT(error.what(), Catch::Contains("from 2025-10-20T00:10:00Z to 2025-10-20T00:25:00Z is "
                                             "15 min, where 10 min is typical"));
  }
  CHECK(test(uneven, {.of = {"noise"}, .by_rows = true}).table.rows() == 1);
  CHECK(test(uneven, {.of = {"normal"}}).table.rows() == 1);
}

}  // namespace zerobeat::testing
