#include <algorithm>
#include <zerobeat/align/clock/findings.hpp>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/align/shift.hpp>

#include "align/clock/equations.hpp"
#include "align/clock/lag_peaks.hpp"
#include "align/clock/match.hpp"
#include "align/clock/source.hpp"

namespace zerobeat::testing {

namespace {

Tune by_level(bool drift = false) { return {.on = "level", .drift = drift}; }

Timeline quay(const Shape& shape, const Sampling& sampling, double days, unsigned seed,
              double (*reads)(double) = as_it_is) {
  return timeline_of(written(shape, sampling, days, seed, reads), "level", "quay");
}

std::string refusal_of(const Timeline& reference, const Timeline& other, const Tune& options) {
  try {
    (void)tune(reference, other, options);
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::limit);
    return error.what();
  }
  return "none";
}

/// Several strands under one key each.
Timeline stacked(const std::vector<std::pair<std::string, Written>>& all) {
  Rows rows;
  Readings readings;
  for (const auto& [key, own] : all) {
    rows.times.insert(rows.times.end(), own.times.begin(), own.times.end());
    rows.keys.insert(rows.keys.end(), own.times.size(), key);
    readings.insert(readings.end(), own.readings.begin(), own.readings.end());
  }
  rows.columns = {{"level", column_of(readings)}};
  return timeline_of(rows);
}

}  // namespace

TEST_CASE("an offset and a drift are found, and taken out", "[tune]") {
  const Shape shape(4);
  const auto reference = quay(shape, {}, 10, 1);
  const auto other =
      quay(shape, {.step_s = 600, .offset_s = 1234, .drift_ppm = 80}, 10, 2).named("pier");
  const Tuned tuned = tune(reference, other, by_level(true));
  REQUIRE(tuned.found.size() == 1);
  const Tuning& found = tuned.found[0];
  CHECK(std::fabs(found.offset_s - 1234) < 0.05 * 600);
  CHECK(std::fabs(found.offset_s - 1234) < 4 * found.offset_se_s);
  CHECK(std::fabs(found.drift_ppm - 80) < 4 * found.drift_se_ppm);
  CHECK(found.match_after.value() > 0.95);
  CHECK(found.match_before.value() < found.match_after.value());
  CHECK(found.readings > 1300);
  // Every time is t - offset - drift · (t - at), to the nanosecond.
  for (const std::size_t row : {std::size_t{0}, std::size_t{700}, other.rows() - 1}) {
    const auto t = other.times()[row];
    const long double since = static_cast<long double>((t - found.at).count());
    const auto by = std::llround(found.offset_s * 1e9) +
                    std::llround(since * static_cast<long double>(found.drift_ppm) / 1e6L);
    CHECK(tuned.timeline.times()[row] == t - Nanoseconds(by));
  }
  CHECK(tuned.timeline.name() == "pier");
  CHECK(tuned.timeline.values().column("level").numbers().data() ==
        other.values().column("level").numbers().data());
  // Both sides are in the account.
  CHECK(tuned.timeline.account().last().notes.size() == 1);
}

TEST_CASE("scales, curves, spikes and gaps do not throw a tuning off", "[tune]") {
  const Shape shape(9);
  const auto reference = quay(shape, {}, 8, 3);
  const Sampling other{.step_s = 480, .offset_s = -700};
  const auto near = [&](const Timeline& timeline, const Tuning& found) {
    INFO(timeline.rows());
    CHECK(std::fabs(found.offset_s + 700) < 0.05 * 480);
    CHECK(std::fabs(found.offset_s + 700) < 4 * found.offset_se_s);
    CHECK(found.match_after.value() > 0.9);
  };
  const auto scaled = quay(shape, other, 8, 4, [](double x) { return 1000 + 0.02 * x; });
  near(scaled, tune(reference, scaled, by_level()).found[0]);
  const auto curved = quay(shape, other, 8, 5, [](double x) { return std::exp(0.6 * x); });
  near(curved, tune(reference, curved, by_level()).found[0]);
  Sampling with_spikes = other;
  with_spikes.spikes = 0.02;
  const auto spiked = quay(shape, with_spikes, 8, 6);
  const auto compared = compare_clocks(reference, spiked, by_level());
  near(spiked, compared[0].tuning);
  CHECK(compared[0].spikes > 15);
  // Two days of the reference are gone, and one of the other.
  const auto without = [](Written written, int from_h, int to_h) {
    const Instant zero = at("2025-10-20T00:00:00Z");
    for (std::size_t i = 0; i < written.times.size(); ++i) {
      const auto since = written.times[i] - zero;
      if (since > std::chrono::hours(from_h) && since < std::chrono::hours(to_h)) {
        written.readings[i] = missing;
      }
    }
    return written;
  };
  const auto holed = timeline_of(without(written(shape, other, 8, 7), 120, 144), "level", "pier");
  const auto left = timeline_of(without(written(shape, {}, 8, 3), 40, 88), "level", "quay");
  near(holed, tune(left, holed, by_level()).found[0]);
}

TEST_CASE("either source may be the finer one", "[tune]") {
  const Shape shape(5);
  for (const double step : {60.0, 1200.0}) {
    const auto reference = quay(shape, {}, 6, 1);
    const auto other = quay(shape, {.step_s = step, .offset_s = 415, .drift_ppm = -60}, 6, 2);
    const Tuning found = tune(reference, other, by_level(true)).found[0];
    INFO(step);
    CHECK(std::fabs(found.offset_s - 415) < 0.05 * std::max(step, 360.0));
    CHECK(std::fabs(found.drift_ppm + 60) < 4 * found.drift_se_ppm);
  }
}

TEST_CASE("standard errors say how far off a tuning is", "[tune]") {
  double squares = 0, drifts = 0;
  constexpr int rounds = 30;
  for (unsigned round = 0; round < rounds; ++round) {
    const Shape shape(100 + round);
    const double offset = 60.0 * round - 900;
    const auto reference = quay(shape, {}, 6, 2 * round);
    const auto other = quay(shape, {.step_s = 400, .offset_s = offset, .drift_ppm = 3.0 * round}, 6,
                            2 * round + 1);
    const Tuning found = tune(reference, other, by_level(true)).found[0];
    squares += std::pow((found.offset_s - offset) / found.offset_se_s, 2);
    drifts += std::pow((found.drift_ppm - 3.0 * round) / found.drift_se_ppm, 2);
  }
  CHECK(std::sqrt(squares / rounds) > 0.7);
  CHECK(std::sqrt(squares / rounds) < 1.4);
  CHECK(std::sqrt(drifts / rounds) > 0.7);
  CHECK(std::sqrt(drifts / rounds) < 1.4);
}

TEST_CASE("a drift of a few parts in a million is found when there is enough to see", "[tune]") {
  const Shape shape(31, 0.25);
  const auto reference = quay(shape, {.step_s = 60}, 20, 1);
  const auto other = quay(shape, {.step_s = 120, .offset_s = 3000, .drift_ppm = 95}, 20, 2);
  const Tuning found = tune(reference, other, by_level(true)).found[0];
  CHECK(std::fabs(found.offset_s - 3000) < 0.05 * 120);
  CHECK(std::fabs(found.drift_ppm - 95) < 3);
}

TEST_CASE("what repeats within the range is ambiguous, and its offsets are named", "[tune]") {
  const Shape tide = Shape::wave(12.42);
  const auto reference = quay(tide, {}, 10, 1);
  const auto other = quay(tide, {.offset_s = 90}, 10, 2).named("pier");
  Tune options = by_level();
  options.within = std::chrono::hours(13);
  const std::string refusal = refusal_of(reference, other, options);
  CHECK_THAT(refusal, Catch::Contains("pier: ambiguous: within 13h these fit about as well"));
  CHECK_THAT(refusal, Catch::Contains("97.2 s ahead (a match of 0.991)"));
  CHECK_THAT(refusal, Catch::Contains("44626.8 s behind") && Catch::Contains("44806.2 s ahead"));
  // Within an hour it is not.
  CHECK(std::fabs(tune(reference, other, by_level()).found[0].offset_s - 90) < 40);
}

TEST_CASE("sources that do not see the same thing are refused, with what was found", "[tune]") {
  const auto reference = quay(Shape(1), {}, 8, 1);
  CHECK_THAT(refusal_of(reference, quay(Shape(2), {}, 8, 2), by_level()),
             Catch::StartsWith("quay: no match"));
  // Beyond the range.
  Tune near = by_level();
  near.within = std::chrono::minutes(10);
  CHECK_THAT(refusal_of(reference, quay(Shape(1), {.offset_s = 2400}, 8, 2), near),
             Catch::Contains("no match"));
  // Turned upside down is not alike.
  CHECK(refusal_of(reference, quay(Shape(1), {}, 8, 2, [](double x) { return -x; }), by_level()) !=
        "none");
  // A match that is too poor.
  Tune strict = by_level();
  strict.least = 0.999;
  CHECK_THAT(refusal_of(reference, quay(Shape(1), {}, 8, 2), strict),
             Catch::Contains("‹least› asks for 0.999"));
  // No time in common; one reading; nothing but one value.
  const auto later = shift(reference, [] {
    Shift options;
    from_text("30d", options.by.emplace());
    return options;
  }());
  CHECK_THAT(
      refusal_of(reference, later, by_level()),
      Catch::Contains("do not overlap in time") && Catch::Contains("it runs from 2025-11-1"));
  CHECK_THAT(refusal_of(reference, strand("00:10 1"), by_level()),
             Catch::Contains("of 1 readings and"));
  CHECK(refusal_of(reference, quay(Shape(1), {}, 8, 2, [](double) { return 4.0; }), by_level()) !=
        "none");
}

TEST_CASE("strands go together by key, and all are refused when one is", "[tune]") {
  const Shape shape(6), foreign(7);
  const Sampling ahead{.offset_s = 200}, behind{.offset_s = -300};
  const auto reference =
      stacked({{"a", written(shape, {}, 6, 1)}, {"b", written(foreign, {}, 6, 2)}});
  const auto other =
      stacked({{"b", written(foreign, behind, 6, 3)}, {"a", written(shape, ahead, 6, 4)}});
  const Tuned tuned = tune(reference, other, by_level());
  REQUIRE(tuned.found.size() == 2);
  CHECK(tuned.found[0].key == "b");
  CHECK(std::fabs(tuned.found[0].offset_s + 300) < 20);
  CHECK(std::fabs(tuned.found[1].offset_s - 200) < 20);
  // A reference without a key serves all; then b is no match, and nothing is tuned.
  const auto one = quay(shape, {}, 6, 1);
  CHECK_THAT(refusal_of(one, other, by_level()), Catch::StartsWith("b: no match"));
  const auto lacking = stacked({{"a", written(shape, {}, 6, 1)}});
  CHECK_THAT(refusal_of(lacking, other, by_level()), Catch::Contains("has no such strand"));
  CHECK_THROWS_WITH(tune(reference, one, by_level()), Catch::Contains("has none; give"));

  Tune within = by_level();
  within.against = "a";
  const auto probes =
      stacked({{"a", written(shape, {}, 6, 1)}, {"c", written(shape, ahead, 6, 5)}});
  const Tuned result = tune(probes, within);
  REQUIRE(result.found.size() == 1);
  CHECK(result.found[0].key == "c");
  const auto first = probes.strands()[0];
  CHECK(std::equal(probes.times().begin(), probes.times().begin() + first.end,
                   result.timeline.times().begin()));
  CHECK(probes.times()[first.end] - result.timeline.times()[first.end] ==
        Nanoseconds(std::llround(result.found[0].offset_s * 1e9)));
  within.against = "d";
  CHECK_THROWS_WITH(tune(probes, within),
                    Catch::Contains("there is no such strand; there is a, c"));
}

TEST_CASE("elapsed times are tuned, counts are not", "[tune]") {
  const Shape shape(8);
  const auto as = [](const Timeline& timeline, ElapsedUnit unit) {
    Timeline::Parts parts = timeline.parts();
    parts.axis = {unit};
    return Timeline(std::move(parts));
  };
  const auto reference = quay(shape, {}, 6, 1), other = quay(shape, {.offset_s = 321}, 6, 2);
  const Tuned tuned = tune(as(reference, ElapsedUnit::s), as(other, ElapsedUnit::s), by_level());
  CHECK(std::fabs(tuned.found[0].offset_s - 321) < 18);
  CHECK(table_of(tuned.found, tuned.timeline.axis()).column("at").type() == Column::Type::number);
  CHECK_THROWS_WITH(
      tune(as(reference, ElapsedUnit::count), as(other, ElapsedUnit::count), by_level()),
      Catch::Contains("count steps"));
  CHECK_THROWS_WITH(tune(as(reference, ElapsedUnit::s), other, by_level()),
                    Catch::Contains("no common axis"));
}

TEST_CASE("a match is the correlation with the reference's line", "[tune]") {
  std::mt19937 random(3);
  for (int attempt = 0; attempt < 40; ++attempt) {
    detail::ClockReadings reference, other;
    reference.step = 1;
    double t = 0;
    for (int i = 0; i < 60; ++i) {
      t += random() % 5 == 0 ? 4 : 1 + (random() % 8) / 16.0;
      reference.at.push_back(t);
      reference.values.push_back(random() % 100 / 10.0);
    }
    for (int i = 0; i < 40; ++i) {
      other.at.push_back(i * 2 + (random() % 4) / 4.0);
      other.values.push_back(random() % 100 / 10.0);
    }
    const double offset = static_cast<int>(random() % 64) / 8.0 - 4, drift = 0.001;
    // Plainly: for each reading the step it falls into.
    std::vector<std::pair<double, double>> met;
    for (std::size_t i = 0; i < other.size(); ++i) {
      const double at = other.at[i] - offset - drift * other.at[i];
      for (std::size_t k = 0; k + 1 < reference.size(); ++k) {
        const double a = reference.at[k], b = reference.at[k + 1];
        if (at < a || at > b || (at == b && k + 2 < reference.size())) continue;
        if (b - a > 3 && at != a && at != b) continue;
        met.emplace_back(reference.values[k] +
                             (reference.values[k + 1] - reference.values[k]) * (at - a) / (b - a),
                         other.values[i]);
        break;
      }
    }
    double x = 0, y = 0, xx = 0, yy = 0, xy = 0;
    for (const auto& [line, reading] : met) {
      x += line / static_cast<double>(met.size());
      y += reading / static_cast<double>(met.size());
    }
    for (const auto& [line, reading] : met) {
      xx += (line - x) * (line - x);
      yy += (reading - y) * (reading - y);
      xy += (line - x) * (reading - y);
    }
    const auto match = detail::clock_match(reference, other, offset, drift);
    CHECK(match.readings == static_cast<std::int64_t>(met.size()));
    CHECK(match.match.value() == Approx(xy / std::sqrt(xx * yy)));
  }
}

TEST_CASE("a smooth line is the local least squares line at each point", "[tune]") {
  std::mt19937 random(5);
  detail::ClockReadings readings;
  readings.step = 1;
  double t = 0;
  for (int i = 0; i < 200; ++i) {
    t += 0.25 + (random() % 100) / 60.0 + (i == 90 ? 5 : 0);
    readings.at.push_back(t);
    readings.values.push_back(std::sin(t / 4) + (random() % 100) / 200.0);
  }
  const detail::LineGrid grid{-1, 0.5, 460};
  const detail::SmoothLine line(readings, 2.5, grid);
  for (std::size_t i = 0; i < grid.points; ++i) {
    const double x = grid.at(i);
    // Weighted normal equations, over all readings.
    double s0 = 0, s1 = 0, s2 = 0, t0 = 0, t1 = 0;
    double before = -1e9, after = 1e9;
    for (std::size_t k = 0; k < readings.size(); ++k) {
      const double u = readings.at[k] - x;
      if (u <= 0) before = std::max(before, u);
      if (u > 0) after = std::min(after, u);
      if (std::fabs(u) >= 2.5) continue;
      const double w = std::pow(1 - u * u / 6.25, 3);
      s0 += w;
      s1 += w * u;
      s2 += w * u * u;
      t0 += w * readings.values[k];
      t1 += w * u * readings.values[k];
    }
    const bool there = before > -1e9 && after < 1e9 && after - before <= 3;
    INFO(x);
    if (!there || !(s0 * s2 - s1 * s1 > 1e-6)) {
      CHECK((std::isnan(line.values()[i]) || there));
    } else {
      CHECK(line.values()[i] == Approx((s2 * t0 - s1 * t1) / (s0 * s2 - s1 * s1)).margin(1e-9));
    }
  }
}

TEST_CASE("a peak stands where the plain sums of products are highest", "[tune]") {
  const Shape shape(12, 0.4);
  const auto source = [&](double offset, unsigned seed) {
    const Written result =
        written(shape, {.step_s = 60, .jitter = 0, .dropouts = 0, .offset_s = offset}, 2, seed);
    detail::ClockReadings out;
    out.step = 60;
    for (std::size_t i = 0; i < result.times.size(); ++i) {
      out.at.push_back(static_cast<double>((result.times[i] - result.times[0]).count()) / 1e9 -
                       86'400 + offset);
      out.values.push_back(*result.readings[i]);
    }
    return out;
  };
  const auto reference = source(0, 1), other = source(1380, 2);
  const auto peaks = detail::lag_peaks(reference, other, {.within_s = 3600, .drift = false});
  REQUIRE(!peaks.peaks.empty());
  // On the sampling's own grid, lag by lag.
  double most = 0;
  int best = 0;
  for (int lag = -60; lag <= 60; ++lag) {
    double sum = 0;
    for (std::size_t i = 100; i + 100 < reference.size(); ++i) {
      sum += reference.values[i] * other.values[i + static_cast<std::size_t>(100 + lag) - 100 - 23];
    }
    if (sum > most) {
      most = sum;
      best = lag;
    }
  }
  CHECK(best == 23);
  CHECK(std::fabs(peaks.peaks[0].offset_s - 1380) <= 60);
}

TEST_CASE("the clock of a strand that is off the others is found", "[tune]") {
  const Shape shape(14);
  const auto probes = stacked({{"a", written(shape, {}, 6, 1)},
                               {"b", written(shape, {.offset_s = 150, .drift_ppm = 300}, 6, 2)},
                               {"c", written(shape, {}, 6, 3)},
                               {"d", written(Shape(15), {}, 6, 4)}});
  const auto findings = clock_findings(probes, "level");
  REQUIRE(findings.size() == 2);
  CHECK(findings[0].key == "b");
  CHECK(findings[0].finding.kind == "clock-off");
  CHECK_THAT(findings[0].finding.message,
             Catch::Contains("ahead of the others") && Catch::Contains("gains"));
  CHECK(findings[1].key == "d");
  CHECK(findings[1].finding.kind == "clock-unlike");

  const auto agreeing = stacked({{"a", written(shape, {}, 6, 1)}, {"c", written(shape, {}, 6, 3)}});
  const auto none = clock_findings(agreeing, "level");
  REQUIRE(none.size() == 1);
  CHECK(none[0].finding.kind == "clock-agree");
  // Which of two is right the records don't say.
  const auto two =
      stacked({{"a", written(shape, {}, 6, 1)}, {"b", written(shape, {.offset_s = 150}, 6, 2)}});
  CHECK_THAT(clock_findings(two, "level")[0].finding.message,
             Catch::Contains("or the other way round"));
  CHECK_THROWS_WITH(clock_findings(quay(shape, {}, 1, 1), "level"), Catch::Contains("no key"));
}

TEST_CASE("the match over offsets is highest at the offset that is found", "[tune]") {
  const Shape shape(4);
  const auto reference = quay(shape, {}, 6, 1), other = quay(shape, {.offset_s = 600}, 6, 2);
  const Tune options = by_level();
  const Tuning found = tune(reference, other, options).found[0];
  const MatchCurve curve = match_curve(reference, other, options, found, 241);
  REQUIRE(curve.offsets_s.size() == 241);
  CHECK(curve.offsets_s.front() == -3600);
  CHECK(curve.offsets_s.back() == 3600);
  const auto best = std::ranges::max_element(curve.matches, {},
                                             [](const auto& match) { return match.value_or(-1); });
  const double at_best = curve.offsets_s[static_cast<std::size_t>(best - curve.matches.begin())];
  CHECK(std::fabs(at_best - found.offset_s) < 120);
  CHECK(**best == Approx(*found.match_after).margin(0.01));
}

}  // namespace zerobeat::testing
