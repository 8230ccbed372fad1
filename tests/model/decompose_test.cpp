#include <random>
#include <zerobeat/model/decompose.hpp>

#include "model/loess.hpp"
#include "model/seasonal.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// As it is defined: every point's distance, the window's furthest, a weighted line.
double plain_loess(const std::vector<double>& places, const std::vector<double>& values,
                   const std::vector<double>& weights, std::size_t window, int degree, double at) {
  std::vector<double> distances;
  for (const double place : places) distances.push_back(std::fabs(place - at));
  auto sorted = distances;
  std::ranges::sort(sorted);
  const std::size_t n = places.size();
  const double furthest =
      window <= n ? sorted[window - 1]
                  : sorted[n - 1] * static_cast<double>(window) / static_cast<double>(n);
  double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const double u = distances[i] / furthest;
    if (u >= 1) continue;
    const double cube = 1 - u * u * u;
    const double w = cube * cube * cube * (weights.empty() ? 1 : weights[i]);
    const double x = places[i] - at;
    sw += w;
    sx += w * x;
    sy += w * values[i];
    sxx += w * x * x;
    sxy += w * x * values[i];
  }
  const double det = sw * sxx - sx * sx;
  if (degree == 0 || det < 1e-9 * sw * sw) return sy / sw;
  return (sxx * sy - sx * sxy) / det;
}

Timeline daily(const Readings& readings) {
  std::vector<Instant> times;
  for (std::size_t i = 0; i < readings.size(); ++i) {
    times.push_back(clock("00:00") + std::chrono::hours(24 * i));
  }
  return timeline_of({times, {}, {{"level", column_of(readings)}}});
}

std::vector<double> column(const Timeline& timeline, const char* name) {
  const Column values = timeline.values().column(name);
  std::vector<double> out;
  for (std::size_t row = 0; row < timeline.rows(); ++row) {
    out.push_back(values.valid(row) ? values.numbers()[row] : std::nan(""));
  }
  return out;
}

}  // namespace

TEST_CASE("a fast smooth is the plain one", "[decompose]") {
  std::mt19937 random(40);
  for (int again = 0; again < 120; ++again) {
    const std::size_t n = 3 + random() % 120;
    const bool gaps = random() % 2 == 0, weighted = random() % 2 == 0;
    const int degree = static_cast<int>(random() % 2);
    const std::size_t window = 3 + 2 * (random() % 30);
    std::vector<double> places, values, weights;
    for (std::size_t i = 0; i < n; ++i) {
      if (gaps && random() % 4 == 0) continue;
      places.push_back(static_cast<double>(i));
      values.push_back(static_cast<double>(random() % 1000) / 10);
      if (weighted) weights.push_back(0.05 + static_cast<double>(random() % 100) / 100);
    }
    if (places.size() < 3) continue;
    const detail::LoessPoints points{places, values, weights};
    const double first = gaps ? -1 : places[0];
    const std::size_t count = gaps ? n + 2 : n;
    const auto fast = detail::loess(points, window, degree, first, count);
    for (std::size_t i = 0; i < count; ++i) {
      const double at = first + static_cast<double>(i);
      const double plain = plain_loess(places, values, weights, window, degree, at);
      INFO(n << " rows, window " << window << ", at " << at);
      if (std::isnan(plain)) continue;  // all that is near stands at the window's edge
      CHECK(fast[i] == Approx(plain).margin(1e-8));
      CHECK(detail::loess_at(points, window, degree, at) == Approx(plain).margin(1e-8));
    }
  }
}

TEST_CASE("a smooth of degree 1 leaves a line as it is", "[decompose]") {
  std::vector<double> places, values;
  for (int i = 0; i < 400; ++i) {
    places.push_back(i);
    values.push_back(3 - 0.25 * i);
  }
  for (const std::size_t window : {5u, 31u, 399u, 701u}) {
    const auto smooth = detail::loess({places, values, {}}, window, 1, 0, 400);
    for (std::size_t i = 0; i < 400; ++i) CHECK(smooth[i] == Approx(values[i]));
  }
}

TEST_CASE("a trend and a season that are exact come out, and nothing is left", "[decompose]") {
  const double shape[] = {3, -1, 0, -4, 2, 1, -1};  // of which the sum is nothing
  Readings readings;
  for (int i = 0; i < 140; ++i) readings.push_back(10 + 0.5 * i + shape[i % 7]);
  for (const auto how : {Decompose::How::loess, Decompose::How::means}) {
    for (const bool robust : {false, true}) {
      if (robust && how == Decompose::How::means) continue;
      // Of phases that are all alike two passes come near to it, sixteen reach it.
      const bool lines = how == Decompose::How::loess && !robust;
      const Timeline parts = decompose(
          daily(readings),
          {.season = "1wk", .how = how, .season_window = {lines ? 35 : 0}, .robust = robust});
      const auto trend = column(parts, "level_trend"), season = column(parts, "level_season"),
                 rest = column(parts, "level_rest"), adjusted = column(parts, "level_adjusted");
      for (std::size_t i = 3; i + 3 < readings.size(); ++i) {
        CHECK(trend[i] == Approx(10 + 0.5 * static_cast<double>(i)).margin(1e-6));
        CHECK(season[i] == Approx(shape[i % 7]).margin(1e-6));
        CHECK(rest[i] == Approx(0).margin(1e-6));
        CHECK(adjusted[i] == Approx(*readings[i] - season[i]));
      }
      CHECK_THAT(parts.account().last().notes[0],
                 Catch::Contains("level: trend 1.00, season 1.00 of the rest's variance"));
    }
  }
}

TEST_CASE("parts add up to the reading; multiplied they give it", "[decompose]") {
  std::mt19937 random(2);
  Readings readings;
  for (int i = 0; i < 200; ++i) {
    readings.push_back(50 + 20 * std::sin(i / 30.0) + 10 * std::cos(i * 0.8976) +
                       static_cast<double>(random() % 10));
  }
  const auto level = daily(readings);
  for (const bool multiply : {false, true}) {
    const Timeline parts =
        decompose(level, {.season = 7, .season_window = {9}, .multiply = multiply});
    const auto trend = column(parts, "level_trend"), season = column(parts, "level_season"),
               rest = column(parts, "level_rest"), adjusted = column(parts, "level_adjusted");
    for (std::size_t i = 0; i < readings.size(); ++i) {
      const double x = *readings[i];
      CHECK((multiply ? trend[i] * season[i] * rest[i] : trend[i] + season[i] + rest[i]) ==
            Approx(x));
      CHECK(adjusted[i] == Approx(multiply ? x / season[i] : x - season[i]));
    }
  }
}

TEST_CASE("missing readings are no points, and trend and season have values there", "[decompose]") {
  const double shape[] = {5, -5, 0, 0};
  Readings readings;
  for (int i = 0; i < 80; ++i) readings.push_back(100 + i + shape[i % 4]);
  for (const std::size_t i : {9u, 10u, 11u, 41u}) readings[i] = missing;
  const Timeline parts = decompose(daily(readings), {.season = 4});
  const auto trend = column(parts, "level_trend"), season = column(parts, "level_season"),
             rest = column(parts, "level_rest");
  // Two passes come near to it.
  for (std::size_t i = 2; i < 78; ++i) {
    CHECK(trend[i] == Approx(100 + static_cast<double>(i)).margin(0.25));
    CHECK(season[i] == Approx(shape[i % 4]).margin(0.25));
  }
  CHECK(std::isnan(rest[9]));
  CHECK(std::isnan(column(parts, "level_adjusted")[41]));
  // By means a window with a missing reading has no trend.
  const auto means = column(decompose(daily(readings), {.season = 4, .how = Decompose::How::means}),
                            "level_trend");
  CHECK(std::isnan(means[8]));
  CHECK(std::isnan(means[1]));
  CHECK(means[20] == Approx(120));
}

TEST_CASE("outliers do not bend robust trends and seasons", "[decompose]") {
  const double shape[] = {3, -1, 0, -4, 2, 1, -1};
  Readings readings, spiked;
  std::mt19937 random(9);
  for (int i = 0; i < 210; ++i) {
    readings.push_back(20 + shape[i % 7] + static_cast<double>(random() % 100) / 200);
    spiked.push_back(*readings.back() + (i % 40 == 13 ? 90 : 0));
  }
  const auto off = [&](bool robust) {
    const auto season =
        column(decompose(daily(spiked), {.season = 7, .robust = robust}), "level_season");
    double most = 0;
    for (std::size_t i = 0; i < season.size(); ++i) {
      most = std::max(most, std::fabs(season[i] - shape[i % 7]));
    }
    return most;
  };
  CHECK(off(true) < 0.3);
  CHECK(off(false) > 1);
}

TEST_CASE("the classical way is that of its formulas", "[decompose]") {
  std::mt19937 random(13);
  for (const std::size_t season : {2u, 3u, 4u, 7u}) {
    std::vector<double> x(5 * season + 3);
    for (double& value : x) value = static_cast<double>(random() % 100);
    const auto parts = detail::seasonal_means(x, season);
    const std::size_t half = season / 2;
    std::vector<double> sums(season), counts(season);
    for (std::size_t i = 0; i < x.size(); ++i) {
      if (i < half || i + half >= x.size()) {
        CHECK(std::isnan(parts.trend[i]));
        continue;
      }
      double mean = 0;
      for (std::size_t j = i - half; j <= i + half; ++j) {
        const bool end = season % 2 == 0 && (j == i - half || j == i + half);
        mean += x[j] * (end ? 0.5 : 1) / static_cast<double>(season);
      }
      CHECK(parts.trend[i] == Approx(mean));
      sums[i % season] += x[i] - mean;
      ++counts[i % season];
    }
    double all = 0;
    for (std::size_t phase = 0; phase < season; ++phase) all += sums[phase] / counts[phase];
    for (std::size_t i = 0; i < x.size(); ++i) {
      CHECK(parts.season[i] ==
            Approx(sums[i % season] / counts[i % season] - all / static_cast<double>(season))
                .margin(1e-9));
    }
  }
}

TEST_CASE("strands without two seasons have missing columns; none has them: a limit",
          "[decompose]") {
  std::vector<Instant> times;
  std::vector<std::string> keys;
  Readings readings;
  for (int i = 0; i < 30; ++i) {
    times.push_back(clock("00:00") + std::chrono::hours(i));
    keys.push_back("long");
    readings.push_back(i % 3);
  }
  for (int i = 0; i < 5; ++i) {
    times.push_back(clock("00:00") + std::chrono::hours(i));
    keys.push_back("short");
    readings.push_back(i);
  }
  const Timeline both = timeline_of({times, keys, {{"level", column_of(readings)}}});
  const Timeline parts = decompose(both, {.season = 3});
  CHECK(std::isfinite(column(parts, "level_trend")[0]));
  CHECK(std::isnan(column(parts, "level_trend")[32]));
  CHECK_THAT(parts.account().last().notes[1], Catch::Contains("level, short: 5 rows are less"));
  try {
    static_cast<void>(decompose(both, {.season = 20}));
    FAIL("no strand has two seasons");
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::limit);
  }
}

TEST_CASE("what decompose can't do is named", "[decompose]") {
  const auto level = daily({1, 2, 3, -4, 5, 6});
  CHECK_THROWS_WITH(decompose(level, {}), Catch::Contains("‹season› N or PERIOD"));
  CHECK_THROWS_WITH(decompose(level, {.season = 2, .multiply = true}),
                    Catch::Contains("level is -4 at 2025-10-23T00:00:00Z"));
  CHECK_THROWS_WITH(decompose(level, {.season = 2, .trend_window = 4}),
                    Catch::Contains("‹trend_window› 4"));
  CHECK_THROWS_WITH(decompose(level, {.season = 2, .how = Decompose::How::means, .robust = true}),
                    Catch::Contains("only ‹how› loess"));
  SeasonWindow window;
  CHECK_THROWS_WITH(from_text("8", window), Catch::Contains("odd number"));
  from_text("periodic", window);
  CHECK(window.rows == 0);
  from_text("9", window);
  CHECK(to_text(window) == "9");
}

}  // namespace zerobeat::testing
