// Each method of filling against its formula.

#include <algorithm>

#include "clean/filled.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;
using How = Fill::How;

double seconds(Instant a, Instant b) { return static_cast<double>((b - a).count()) / 1e9; }

struct PlainKnot {
  double t, x;
};

/// Readings of one instant as their mean.
std::vector<PlainKnot> plain_knots(const Timeline& timeline, const Strand& strand,
                                   const Readings& level) {
  std::vector<PlainKnot> knots;
  for (std::size_t i = strand.begin; i < strand.end;) {
    const Instant t = timeline.times()[i];
    double sum = 0, n = 0;
    for (; i < strand.end && timeline.times()[i] == t; ++i) {
      if (level[i]) sum += *level[i], ++n;
    }
    if (n > 0) knots.push_back({seconds(timeline.times()[strand.begin], t), sum / n});
  }
  return knots;
}

/// Fritsch and Butland's cubic, formula by formula.
std::optional<double> plain_monotone(const std::vector<PlainKnot>& k, double t) {
  if (k.size() < 2 || t < k.front().t || t > k.back().t) return std::nullopt;
  const auto d = [&](std::size_t i) { return (k[i + 1].x - k[i].x) / (k[i + 1].t - k[i].t); };
  const auto h = [&](std::size_t i) { return k[i + 1].t - k[i].t; };
  const auto end = [](double h1, double h2, double d1, double d2) {
    double s = ((2 * h1 + h2) * d1 - h1 * d2) / (h1 + h2);
    if ((s > 0) != (d1 > 0) || d1 == 0)
      s = 0;
    else if ((d1 > 0) != (d2 > 0) && std::fabs(s) > 3 * std::fabs(d1))
      s = 3 * d1;
    return s;
  };
  const std::size_t n = k.size();
  const auto slope = [&](std::size_t i) {
    if (n == 2) return d(0);
    if (i == 0) return end(h(0), h(1), d(0), d(1));
    if (i == n - 1) return end(h(n - 2), h(n - 3), d(n - 2), d(n - 3));
    if (d(i - 1) * d(i) <= 0) return 0.0;
    const double w1 = 2 * h(i) + h(i - 1), w2 = h(i) + 2 * h(i - 1);
    return (w1 + w2) / (w1 / d(i - 1) + w2 / d(i));
  };
  std::size_t i = 0;
  while (i + 2 < n && k[i + 1].t < t) ++i;
  const double s = (t - k[i].t) / h(i);
  return k[i].x * (1 + 2 * s) * (1 - s) * (1 - s) + slope(i) * h(i) * s * (1 - s) * (1 - s) +
         k[i + 1].x * s * s * (3 - 2 * s) + slope(i + 1) * h(i) * s * s * (s - 1);
}

/// The natural spline by its second derivatives, solved by plain elimination.
std::optional<double> plain_spline(const std::vector<PlainKnot>& k, double t) {
  if (k.size() < 2 || t < k.front().t || t > k.back().t) return std::nullopt;
  const std::size_t n = k.size();
  std::vector<std::vector<long double>> a(n, std::vector<long double>(n + 1, 0));
  a[0][0] = a[n - 1][n - 1] = 1;
  for (std::size_t i = 1; i + 1 < n; ++i) {
    const long double h0 = k[i].t - k[i - 1].t, h1 = k[i + 1].t - k[i].t;
    a[i][i - 1] = h0;
    a[i][i] = 2 * (h0 + h1);
    a[i][i + 1] = h1;
    a[i][n] = 6 * ((k[i + 1].x - k[i].x) / h1 - (k[i].x - k[i - 1].x) / h0);
  }
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t r = i + 1; r < n; ++r) {
      const long double f = a[r][i] / a[i][i];
      for (std::size_t c = i; c <= n && f != 0; ++c) a[r][c] -= f * a[i][c];
    }
  }
  std::vector<long double> m(n);
  for (std::size_t i = n; i-- > 0;) {
    long double sum = a[i][n];
    for (std::size_t c = i + 1; c < n; ++c) sum -= a[i][c] * m[c];
    m[i] = sum / a[i][i];
  }
  std::size_t i = 0;
  while (i + 2 < n && k[i + 1].t < t) ++i;
  const long double h = k[i + 1].t - k[i].t, u = k[i + 1].t - t, v = t - k[i].t;
  return static_cast<double>(m[i] * u * u * u / (6 * h) + m[i + 1] * v * v * v / (6 * h) +
                             (k[i].x / h - m[i] * h / 6) * u +
                             (k[i + 1].x / h - m[i + 1] * h / 6) * v);
}

}  // namespace

TEST_CASE("curves agree with their formulas on irregular rows", "[fill]") {
  for (const unsigned seed : {3u, 4u, 5u}) {
    const Timeline timeline = random_timeline(240, seed, 3, 0.4);
    const Readings level = readings(timeline, "level");
    const Readings monotone = filled(timeline, {.how = How::monotone, .on = {"level"}});
    const Readings spline = filled(timeline, {.how = How::spline, .on = {"level"}});
    for (const Strand& strand : timeline.strands()) {
      const auto knots = plain_knots(timeline, strand, level);
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        const double t = seconds(timeline.times()[strand.begin], timeline.times()[i]);
        INFO("seed " << seed << ", row " << i);
        REQUIRE(near({monotone[i]}, {level[i] ? level[i] : plain_monotone(knots, t)}, 1e-8));
        REQUIRE(near({spline[i]}, {level[i] ? level[i] : plain_spline(knots, t)}, 1e-7));
      }
    }
  }
}

TEST_CASE("a monotone curve does not overshoot, and keeps plateaus", "[fill]") {
  const auto level = strand("00:00 1", "00:10 -", "00:20 1", "00:30 -", "00:40 5", "00:50 -",
                            "01:00 5", "01:10 -", "01:20 4");
  const auto curve = filled(level, {.how = How::monotone});
  CHECK(*curve[1] == 1);
  CHECK((*curve[3] > 1 && *curve[3] < 5));
  CHECK(*curve[5] == 5);
  CHECK((*curve[7] > 4 && *curve[7] < 5));
  CHECK(near(filled(strand("00:00 1", "00:10 -", "00:40 5"), {.how = How::monotone}), {1, 2, 5}));
  CHECK(near(filled(strand("00:00 1", "00:10 -", "00:40 5"), {.how = How::spline}), {1, 2, 5}));
  CHECK(filled(strand("00:00 -", "00:10 3", "00:40 -"), {.how = How::spline}) ==
        Readings{missing, 3, missing});
}

TEST_CASE("a curve through a level of a billion keeps its digits", "[fill]") {
  Rows rows;
  Readings low, high;
  for (int i = 0; i < 60; ++i) {
    rows.times.push_back(at("2025-10-20T00:00:00Z") + std::chrono::minutes(i));
    const bool gone = i % 4 == 2;
    low.push_back(gone ? std::nullopt : std::optional(std::sin(i / 5.0)));
    high.push_back(gone ? std::nullopt : std::optional(1e9 + std::sin(i / 5.0)));
  }
  rows.columns = {{"level", column_of(low)}, {"high", column_of(high)}};
  for (const How how : {How::spline, How::monotone, How::linear}) {
    const Timeline made = fill(timeline_of(rows), {.how = how});
    const Readings a = readings(made, "level"), b = readings(made, "high");
    for (std::size_t i = 0; i < a.size(); ++i) CHECK(std::fabs(*b[i] - 1e9 - *a[i]) < 3e-7);
  }
}

TEST_CASE("means and medians are of the window or of the strand, ends too", "[fill]") {
  const Timeline timeline = random_timeline(300, 12, 2, 0.4);
  const Readings level = readings(timeline, "level");
  for (const std::int64_t n : {0, 1, 2, 3, 7, 64, 149, 150, 151}) {
    for (const How how : {How::mean, How::median}) {
      Fill options{.how = how, .on = {"level"}};
      if (n > 0) options.window = n;
      const Readings after = filled(timeline, options);
      for (const Strand& strand : timeline.strands()) {
        const auto size = static_cast<std::int64_t>(strand.size());
        for (std::int64_t i = 0; i < size; ++i) {
          const std::int64_t from = n == 0 ? 0 : std::max<std::int64_t>(0, i - n / 2);
          const std::int64_t until = n == 0 ? size : std::min(size, i + (n - 1) / 2 + 1);
          std::vector<double> window;
          for (std::int64_t k = from; k < until; ++k) {
            const auto reading = level[strand.begin + static_cast<std::size_t>(k)];
            if (reading) window.push_back(*reading);
          }
          std::ranges::sort(window);
          std::optional<double> expected;
          if (!window.empty() && how == How::median) {
            expected = (window[(window.size() - 1) / 2] + window[window.size() / 2]) / 2;
          } else if (!window.empty()) {
            double sum = 0;
            for (const double x : window) sum += x;
            expected = sum / static_cast<double>(window.size());
          }
          const std::size_t row = strand.begin + static_cast<std::size_t>(i);
          if (level[row]) expected = level[row];
          INFO("window " << n << ", row " << row);
          REQUIRE(near({after[row]}, {expected}));
        }
      }
    }
  }
  CHECK_THROWS_WITH(fill(timeline, {.window = 3}), Catch::Contains("of mean and median"));
}

TEST_CASE("a season is the mean at each phase, and lines fill what is left", "[fill]") {
  // Two days, a reading every six hours; the second day stands 10 higher.
  Rows rows;
  const Readings level{1, 5, missing, 3, 11, missing, 17, 13, missing};
  for (std::size_t i = 0; i < level.size(); ++i) {
    rows.times.push_back(at("2025-10-20T00:00:00Z") + std::chrono::hours(6 * i));
  }
  rows.columns = {{"level", column_of(level)}};
  const auto timeline = timeline_of(rows);
  const Fill daily{.how = Fill::Seasonal{Period::of_days(1)}};
  // Means of phases: 6, 5, 17, 8; of them 9; seasons -3, -4, 8, -1. Left: 4, 9, -, 4, 14, -, 9, 14.
  CHECK(near(filled(timeline, daily), {1, 5, 6.5 + 8, 3, 11, 11.5 - 4, 17, 13, missing}));
  Fill holding = daily;
  holding.ends = Fill::Ends::hold;
  CHECK(near({filled(timeline, holding)[8]}, {14 - 3}));
  CHECK(filled(timeline, {.how = Fill::Seasonal{Period(24h)}}) == filled(timeline, daily));

  // A phase that no reading has stays open, and the account says so.
  const auto two = strand("00:00 1", "06:00 -", "12:00 2", "18:00 4");
  const auto open = fill(two, daily);
  CHECK(readings(open, "level") == Readings{1, missing, 2, 4});
  CHECK_THAT(open.account().last().notes.back(), Catch::Contains("of a phase without readings"));
}

TEST_CASE("phases go by the clock on the wall, through the night that clocks go back", "[fill]") {
  Rows rows;
  Readings level;
  const Zone dublin = Zone::find("Europe/Dublin");
  Instant t = at("2025-10-24T23:00:00Z");  // midnight there
  for (int i = 0; i < 24 * 4; ++i, t += 1h) {
    const auto hour = std::chrono::floor<std::chrono::hours>(dublin.local_of(t)) -
                      std::chrono::floor<std::chrono::days>(dublin.local_of(t));
    rows.times.push_back(t);
    level.emplace_back(static_cast<double>(hour.count()));
  }
  const Readings truth = level;
  for (const std::size_t gone : {30u, 31u, 50u, 70u}) level[gone] = missing;
  rows.columns = {{"level", column_of(level)}};
  CHECK(
      near(filled(timeline_of(rows, dublin), {.how = Fill::Seasonal{Period::of_days(1)}}), truth));
}

TEST_CASE("like fills by least squares through another column", "[fill]") {
  const Timeline timeline = random_timeline(200, 31, 2, 0.3);
  const Readings level = readings(timeline, "level"), weight = readings(timeline, "weight");
  const Readings after = filled(timeline, {.how = Fill::Like{"weight"}, .on = {"level"}});
  for (const Strand& strand : timeline.strands()) {
    double n = 0, x = 0, y = 0, xx = 0, xy = 0;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (!level[i] || !weight[i]) continue;
      ++n, x += *weight[i], y += *level[i], xx += *weight[i] * *weight[i],
          xy += *weight[i] * *level[i];
    }
    const double b = (n * xy - x * y) / (n * xx - x * x), a = (y - b * x) / n;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      std::optional<double> expected = level[i];
      if (!expected && weight[i]) expected = a + b * *weight[i];
      REQUIRE(near({after[i]}, {expected}, 1e-8));
    }
  }
  const auto flat = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:30")},
                                 {},
                                 {{"level", column_of({1.0, 2.0, 3.0, missing})},
                                  {"same", column_of({0.1, 0.1, 0.1, 0.1})},
                                  {"few", column_of({1.0, 2.0, missing, 3.0})}}});
  const auto by = [&](const std::string& column) {
    return fill(flat, {.how = Fill::Like{column}, .on = {"level"}});
  };
  CHECK(readings(by("same"), "level") == Readings{1, 2, 3, missing});
  CHECK_THAT(by("same").account().last().notes.back(), Catch::Contains("is constant there"));
  CHECK_THAT(by("few").account().last().notes.back(), Catch::Contains("fewer than 3 rows"));
  CHECK_THROWS_WITH(by("level"), Catch::Contains("by itself"));
  CHECK_THROWS_WITH(by("sam"), Catch::Contains("did you mean same"));
}

TEST_CASE("filling never touches a reading nor a time", "[fill]") {
  const Fill::Method methods[] = {
      How::previous,       How::next, How::nearest, How::linear,         How::monotone,
      How::spline,         How::mean, How::median,  Fill::Constant{7.5}, Fill::Seasonal{Period(3h)},
      Fill::Like{"weight"}};
  for (const unsigned seed : {1u, 2u}) {
    const Timeline timeline = random_timeline(150, seed, 3, 0.5);
    const Readings level = readings(timeline, "level"), kg = readings(timeline, "kg");
    for (const Fill::Method& how : methods) {
      for (const Fill::Ends ends : {Fill::Ends::open, Fill::Ends::hold}) {
        const Timeline made =
            fill(timeline, {.how = how, .ends = ends, .on = {"level", "kg"}, .flag = true});
        INFO(to_text(how));
        CHECK(made.times().data() == timeline.times().data());
        const Readings after = readings(made, "level"), kg_after = readings(made, "kg"),
                       flags = readings(made, "level_filled");
        std::int64_t cells = 0;
        for (std::size_t i = 0; i < level.size(); ++i) {
          if (level[i]) REQUIRE(after[i] == level[i]);
          if (kg[i]) REQUIRE(kg_after[i] == kg[i]);
          REQUIRE((*flags[i] == 1) == (!level[i] && after[i]));
          cells += (!level[i] && after[i]) + (!kg[i] && kg_after[i]);
        }
        CHECK(made.account().last().cells_filled == cells);
        const bool whole = ends == Fill::Ends::hold && !std::holds_alternative<Fill::Like>(how) &&
                           !std::holds_alternative<Fill::Seasonal>(how);
        if (whole) CHECK(std::ranges::none_of(after, [](const auto& x) { return !x; }));
      }
    }
  }
}

TEST_CASE("held ends get the nearest reading, as far as the longest gap allows", "[fill]") {
  const auto level = strand("00:00 -", "00:10 1", "00:20 -", "00:30 3", "00:40 -", "01:00 -");
  const auto held = [&](How how, std::optional<Extent> max_gap = {}) {
    return filled(level, {.how = how, .max_gap = max_gap, .ends = Fill::Ends::hold});
  };
  CHECK(held(How::linear) == Readings{1, 1, 2, 3, 3, 3});
  CHECK(held(How::previous) == Readings{1, 1, 1, 3, 3, 3});
  CHECK(held(How::nearest) == Readings{1, 1, 1, 3, 3, 3});
  CHECK(held(How::monotone, Extent(20min)) == Readings{1, 1, 2, 3, missing, missing});
  CHECK(held(How::linear, Extent(1)) == Readings{1, 1, 2, 3, missing, missing});
  const auto note = fill(level, {.max_gap = Extent(20min)}).account().last().notes.at(0);
  CHECK(note == "level: 1 filled, the longest gap 20 min; 2 gaps stay open, the longest 30 min");
}

TEST_CASE("ways of filling are tried on readings that are hidden", "[fill]") {
  Rows rows;
  Readings level;
  for (int i = 0; i < 400; ++i) {
    rows.times.push_back(at("2025-10-20T00:00:00Z") + std::chrono::minutes(10 * i));
    const bool gone = i % 80 >= 76;
    level.push_back(gone ? std::nullopt : std::optional(std::sin(i / 6.0)));
  }
  rows.columns = {{"level", column_of(level)}};
  const auto timeline = timeline_of(rows);
  Fill options{.trial = {How::spline, How::linear, Fill::Constant{0}}, .hide = 0.2};
  const FillTrial trial = try_fill(timeline, options);
  REQUIRE(trial.table.rows() == 3);
  CHECK(trial.table.names() == std::vector<std::string>{"how", "column", "hidden", "filled", "mae",
                                                        "rmse", "bias", "worst"});
  const auto number = [&](const char* name, std::size_t row) {
    return trial.table.column(name).numbers_or(0)[row];
  };
  CHECK(trial.table.column("how").text(2) == "constant:0");
  CHECK(number("hidden", 0) == 76);  // blocks of four, up to a fifth of 380
  CHECK(number("filled", 0) == 76);
  CHECK(number("rmse", 0) < 0.1 * number("rmse", 1));
  CHECK(number("rmse", 1) < number("rmse", 2));
  CHECK(number("worst", 1) >= number("mae", 1));
  CHECK_THAT(trial.did.notes.at(0), Catch::StartsWith("level: spline comes nearest"));
  // The same readings for one seed, others for another.
  CHECK(try_fill(timeline, options).table.column("mae").numbers_or(0)[1] == number("mae", 1));
  options.seed = 2;
  CHECK(try_fill(timeline, options).table.column("mae").numbers_or(0)[1] != number("mae", 1));
  // What the longest gap leaves open is not filled, and has no figures.
  options.max_gap = Extent(2);
  const FillTrial open = try_fill(timeline, options);
  CHECK(open.table.column("filled").integers()[0] == 0);
  CHECK(!open.table.column("mae").valid(0));
  CHECK_THROWS_WITH(try_fill(timeline, {.trial = {How::linear}, .hide = 1.5}),
                    Catch::Contains("between 0 and 1"));
  CHECK_THROWS_WITH(fill(timeline, {.hide = 0.5}), Catch::Contains("go with ‹try›"));
}

TEST_CASE("methods are read as they are written", "[fill]") {
  const auto back = [](const std::string& text) {
    Fill::Method how;
    from_text(text, how);
    return to_text(how);
  };
  for (const char* text : {"spline", "monotone", "constant:-2.5", "seasonal:1d", "like:level_m"}) {
    CHECK(back(text) == text);
  }
  CHECK_THROWS_WITH(back("seasonal"), Catch::Contains("seasonal:1d"));
  CHECK_THROWS_WITH(back("like"), Catch::Contains("like:level_m"));
  CHECK_THROWS_WITH(back("splin"), Catch::Contains("did you mean spline"));
  CHECK_THROWS_WITH(back("seasonal:0s"), Catch::Contains("has a length"));
}

}  // namespace zerobeat::testing
