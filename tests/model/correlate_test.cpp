#include <random>
#include <zerobeat/model/correlate.hpp>

#include "model/correlations.hpp"
#include "model/lag_sums.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

std::vector<double> noise(std::size_t n, unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<double> normal;
  std::vector<double> x(n);
  for (double& value : x) value = normal(random);
  return x;
}

Timeline minutes_of(const Readings& readings) {
  std::vector<Instant> times;
  for (std::size_t i = 0; i < readings.size(); ++i) {
    times.push_back(clock("00:00") + std::chrono::minutes(i));
  }
  return timeline_of({times, {}, {{"level", column_of(readings)}}});
}

std::vector<double> cells(const Table& table, const char* name) {
  const Column column = table.column(name);
  std::vector<double> out;
  for (std::size_t row = 0; row < table.rows(); ++row) {
    out.push_back(column.valid(row) ? column.numbers()[row] : std::nan(""));
  }
  return out;
}

}  // namespace

TEST_CASE("sums of products by lag are the same by passes and by transform", "[correlate]") {
  for (const std::size_t n : {1u, 2u, 3u, 7u, 64u, 1000u, 5000u}) {
    for (const std::size_t lags :
         {std::size_t{0}, std::size_t{1}, std::size_t{5}, n - 1, n, n + 3}) {
      const auto x = noise(n, 1), y = noise(n, 2);
      std::vector<double> plain(lags + 1);
      for (std::size_t k = 0; k <= lags; ++k) {
        for (std::size_t t = 0; t + k < n; ++t) plain[k] += x[t] * y[t + k];
      }
      const double scale = static_cast<double>(n);
      for (const auto& fast :
           {detail::lag_sums_by_passes(x, y, lags), detail::lag_sums_by_transform(x, y, lags),
            detail::lag_sums(x, y, lags)}) {
        REQUIRE(fast.size() == plain.size());
        for (std::size_t k = 0; k <= lags; ++k) {
          CHECK(std::fabs(fast[k] - plain[k]) <= 1e-12 * scale);
        }
      }
    }
  }
}

TEST_CASE("correlations are over pairs that are there, about the mean of all", "[correlate]") {
  const Readings readings{1, 4, missing, 2, 8, 5, 7, missing, 1};
  const Table table = correlate(minutes_of(readings), {.lags = 3}).table;
  double sum = 0, n = 0;
  for (const auto& reading : readings) {
    if (reading) sum += *reading, ++n;
  }
  const double mean = sum / n;
  double squares = 0;
  for (const auto& reading : readings) {
    if (reading) squares += (*reading - mean) * (*reading - mean);
  }
  double q = 0;
  for (std::size_t k = 1; k <= 3; ++k) {
    double products = 0;
    for (std::size_t t = 0; t + k < readings.size(); ++t) {
      if (readings[t] && readings[t + k]) {
        products += (*readings[t] - mean) * (*readings[t + k] - mean);
      }
    }
    const double r = products / squares;
    q += r * r / (n - static_cast<double>(k));
    CHECK(cells(table, "correlation")[k - 1] == Approx(r));
    CHECK(cells(table, "q")[k - 1] == Approx(n * (n + 2) * q));
  }
  CHECK(cells(table, "bound")[0] == Approx(1.96 / std::sqrt(7.0)));
  // The first partial one is the first correlation; the second by its closed form.
  const auto r = cells(table, "correlation"), partial = cells(table, "partial");
  CHECK(partial[0] == Approx(r[0]));
  CHECK(partial[1] == Approx((r[1] - r[0] * r[0]) / (1 - r[0] * r[0])));
  // Chi-squared of two degrees is exponential.
  CHECK(cells(table, "p")[1] == Approx(std::exp(-cells(table, "q")[1] / 2)));
}

TEST_CASE("of a process that follows its last reading the partial correlations end after one",
          "[correlate]") {
  auto x = noise(40'000, 9);
  for (std::size_t t = 1; t < x.size(); ++t) x[t] += 0.6 * x[t - 1];
  const Table table = correlate(minutes_of({x.begin(), x.end()})).table;
  // Ten times log10 of 40,000.
  CHECK(table.rows() == 46);
  const auto r = cells(table, "correlation"), partial = cells(table, "partial");
  for (std::size_t k = 0; k < 5; ++k) {
    CHECK(r[k] == Approx(std::pow(0.6, static_cast<double>(k + 1))).margin(0.02));
  }
  for (std::size_t k = 1; k < partial.size(); ++k) CHECK(std::fabs(partial[k]) < 0.02);
}

TEST_CASE("with another column lags go both ways", "[correlate]") {
  const auto x = noise(500, 4);
  Readings a, b;
  for (std::size_t t = 0; t < x.size(); ++t) {
    a.push_back(x[t]);
    b.push_back(t >= 3 ? std::optional(x[t - 3]) : missing);  // three rows later
  }
  auto timeline = minutes_of(a);
  auto parts = timeline.parts();
  parts.values.add("later", column_of(b));
  const Table table = correlate(Timeline(parts), {.lags = 5, .with = "later"}).table;
  REQUIRE(table.rows() == 11);
  const Column lag = table.column("lag");
  CHECK(lag.integers()[0] == -5);
  CHECK(lag.integers()[10] == 5);
  const auto r = cells(table, "correlation");
  CHECK(r[8] > 0.98);  // at lag 3
  for (std::size_t i = 0; i < r.size(); ++i) CHECK((i == 8 || std::fabs(r[i]) < 0.2));
  CHECK(cells(table, "bound")[0] == Approx(1.96 / std::sqrt(497.0)));
  CHECK(table.names() == std::vector<std::string>{"column", "with", "lag", "correlation", "bound"});
}

TEST_CASE("equal readings and too few have no correlations, and a note", "[correlate]") {
  const auto same = correlate(minutes_of(Readings(20, 3.7)), {.lags = 2});
  CHECK(std::isnan(cells(same.table, "correlation")[0]));
  CHECK_THAT(same.account.last().notes[0], Catch::Contains("all readings are equal"));
  const auto few = correlate(minutes_of({1, missing, missing}), {.lags = 2});
  CHECK(few.table.rows() == 2);
  CHECK_THAT(few.account.last().notes[0], Catch::Contains("fewer than two readings"));
  // Lags of n and more are missing.
  const Table long_lags = correlate(minutes_of({1, 4, 2}), {.lags = 5}).table;
  const auto r = cells(long_lags, "correlation");
  CHECK(std::isfinite(r[1]));
  CHECK(std::isnan(r[2]));
  CHECK_THROWS_WITH(correlate(minutes_of({1, 2}), {.lags = 0}), Catch::Contains("‹lags› 0"));
}

TEST_CASE("partial correlations are missing from where they leave (-1, 1)", "[correlate]") {
  const auto partial = detail::partial_of(std::vector<double>{1, 0.9, 0.1, 0.5});
  CHECK(partial[1] == 0.9);
  CHECK(std::isnan(partial[2]));
  CHECK(std::isnan(partial[3]));
}

}  // namespace zerobeat::testing
