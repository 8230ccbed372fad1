// The parts of which a tuning is made, each by itself.

#include <algorithm>
#include <cmath>

#include "align/clock/comparison.hpp"
#include "align/clock/fit.hpp"
#include "align/clock/match.hpp"
#include "align/clock/readings.hpp"
#include "align/clock/scale.hpp"
#include "align/clock/verdict.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace detail;

/// A tide of two waves.
double tide(double t) { return 2 * std::sin(t / 900) + std::cos(t / 410 + 1); }

ClockReadings readings_of(double from, double until, double step, double (*value)(double)) {
  ClockReadings out;
  for (double t = from; t < until; t += step) {
    out.at.push_back(t);
    out.values.push_back(value(t));
  }
  out.step = step;
  return out;
}

/// The same seen by a clock that is ahead.
ClockReadings ahead(ClockReadings readings, double offset, double drift = 0) {
  for (double& value : readings.at) value = (value + offset) / (1 - drift);
  return readings;
}

}  // namespace

TEST_CASE("readings that are there are taken in seconds from an instant", "[tune]") {
  const Timeline level = strand("00:00 1", "00:10 -", "00:20 3", "00:20 5", "00:30 2", "00:40 2");
  const Instant zero = clock("00:20");
  const auto all = clock_readings(level.times(), level.values().column("level"), 0, 6, zero, false);
  CHECK(all.at == std::vector<double>{-1200, 0, 0, 600, 1200});
  CHECK(all.values == std::vector<double>{1, 3, 5, 2, 2});
  CHECK(all.step == 600);
  // Those of one instant as their mean.
  const auto once = clock_readings(level.times(), level.values().column("level"), 0, 6, zero, true);
  CHECK(once.at == std::vector<double>{-1200, 0, 600, 1200});
  CHECK(once.values == std::vector<double>{1, 4, 2, 2});
  const auto some = clock_readings(level.times(), level.values().column("level"), 1, 3, zero, true);
  CHECK(some.at == std::vector<double>{0});
  CHECK(some.step == 0);
}

TEST_CASE("spikes are left out, and counted", "[tune]") {
  std::vector<Instant> times;
  Readings level;
  for (int i = 0; i < 400; ++i) {
    times.push_back(clock("00:00") + std::chrono::minutes(i));
    level.push_back(i % 57 == 20 ? 500.0 : tide(i * 60.0));
  }
  const auto own = clock_readings(times, column_of(level), 0, times.size(), times.front(), true);
  CHECK(own.spikes == 7);
  CHECK(own.size() == 393);
  CHECK(std::ranges::max(own.values) < 4);
}

TEST_CASE("readings between two times, and in units of their deviation", "[tune]") {
  const auto all = readings_of(0, 1000, 100, [](double t) { return t; });
  const auto some = between(all, 200, 500);
  CHECK(some.at == std::vector<double>{200, 300, 400, 500});
  CHECK(some.step == 100);
  CHECK(between(all, 2000, 3000).size() == 0);
  const auto scaled = standardised(all);
  double sum = 0, squares = 0;
  for (const double x : scaled.values) {
    sum += x;
    squares += x * x;
  }
  CHECK(std::fabs(sum) < 1e-12);
  CHECK(squares / 10 == Approx(1).epsilon(0.12));
}

TEST_CASE("readings meet the reference's line, over steps that are not too long", "[tune]") {
  ClockReadings reference;
  reference.at = {0, 10, 20, 100, 110};
  reference.values = {0, 1, 2, 10, 11};
  reference.step = 10;
  ClockReadings other;
  other.at = {-5, 0, 5, 20, 60, 105, 200};
  other.values = {9, 9, 9, 9, 9, 9, 9};
  std::vector<double> line;
  meet(reference, other, 0, 0, 0, [&](double value, double) { line.push_back(value); });
  // Before the first, within the long step, and after the last there is no line.
  CHECK(line == std::vector<double>{0, 0.5, 2, 10.5});
  line.clear();
  // Set back by 5 seconds: -10, -5, 0, 15, 55, 100, 195.
  meet(reference, other, 5, 0, 0, [&](double value, double) { line.push_back(value); });
  CHECK(line == std::vector<double>{0, 1.5, 10});
  line.clear();
  meet(reference, other, 0, 0, 3, [&](double value, double) { line.push_back(value); });
  CHECK(line.size() <= 3);
}

TEST_CASE("a match is the correlation of what meets", "[tune]") {
  const auto reference = readings_of(0, 40'000, 60, tide);
  const auto other = ahead(readings_of(30, 40'000, 90, tide), 200);
  const auto right = clock_match(reference, other, 200, 0);
  REQUIRE(right.match);
  CHECK(*right.match > 0.9999);
  CHECK(right.readings > 400);
  const auto wrong = clock_match(reference, other, 0, 0);
  CHECK(*wrong.match < 0.99);
  CHECK(!clock_match(reference, readings_of(1e6, 2e6, 90, tide), 0, 0).match);
  const auto flat = readings_of(0, 40'000, 60, [](double) { return 4.0; });
  CHECK(!clock_match(reference, flat, 0, 0).match);
}

TEST_CASE("a curve of straight pieces goes on beyond its ends", "[tune]") {
  const RisingCurve curve({{0, 0}, {1, 10}, {3, 20}});
  CHECK(curve(0.5) == 5);
  CHECK(curve(1) == 10);
  CHECK(curve(2) == 15);
  CHECK(curve(-1) == -10);
  CHECK(curve(5) == 30);
}

TEST_CASE("a scale that is straight needs no curve, a bent one has one", "[tune]") {
  const auto reference = readings_of(0, 200'000, 60, tide);
  ClockFit fit;
  fit.done = true;
  const auto straight = readings_of(0, 200'000, 90, [](double t) { return 3 * tide(t) - 7; });
  CHECK(!curved_scale(reference, straight, fit));
  const auto bent = readings_of(0, 200'000, 90, [](double t) { return std::exp(tide(t)); });
  const auto curve = curved_scale(reference, bent, fit);
  REQUIRE(curve);
  // It takes the other's readings to the reference's.
  for (const double t : {1'000.0, 40'000.0, 90'000.0}) {
    CHECK((*curve)(std::exp(tide(t))) == Approx(tide(t)).margin(0.3));
  }
}

TEST_CASE("offset and drift are found, and how sure they are", "[tune]") {
  const auto reference = readings_of(-100'000, 100'000, 60, tide);
  for (const double offset : {-300.0, 0.0, 45.5, 800.0}) {
    for (const double drift : {0.0, 30e-6}) {
      const auto other = ahead(readings_of(-99'000, 99'000, 97, tide), offset, drift);
      ClockSearch search;
      search.within_s = 1'800;
      search.drift = drift != 0;
      const ClockVerdict verdict = judge_clocks(reference, other, search);
      INFO(offset << " " << drift);
      REQUIRE(verdict.kind == ClockVerdict::Kind::found);
      CHECK(verdict.fit.offset_s == Approx(offset).margin(3));
      CHECK(verdict.fit.drift == Approx(drift).margin(5e-6));
      CHECK(verdict.fit.likeness > 0.95);
      CHECK(verdict.fit.offset_se_s < 3);
      CHECK(verdict.fit.clearness > least_clearness);
    }
  }
}

TEST_CASE("a verdict says why there is no offset", "[tune]") {
  using Kind = ClockVerdict::Kind;
  const auto reference = readings_of(0, 200'000, 60, tide);
  ClockSearch search;
  search.within_s = 1'000;
  const auto verdict = [&](const ClockReadings& other) {
    return judge_clocks(reference, other, search).kind;
  };
  CHECK(verdict(readings_of(0, 500, 90, tide)) == Kind::too_few);
  CHECK(verdict(readings_of(1e7, 2e7, 900, tide)) == Kind::too_few);
  CHECK(verdict(ahead(readings_of(0, 200'000, 90, tide), 120)) == Kind::found);
  std::mt19937 random(3);
  ClockReadings noise = readings_of(0, 200'000, 90, tide);
  for (double& value : noise.values) value = static_cast<double>(random() % 1000);
  const Kind unlike = verdict(noise);
  CHECK((unlike == Kind::no_peak || unlike == Kind::unclear || unlike == Kind::ambiguous ||
         unlike == Kind::beyond));
  // What repeats within the range could be any of them.
  const auto wave = readings_of(0, 200'000, 90, [](double t) { return std::sin(t / 100); });
  const auto same = readings_of(0, 200'000, 60, [](double t) { return std::sin(t / 100); });
  const auto repeated = judge_clocks(same, wave, search);
  CHECK(repeated.kind == Kind::ambiguous);
  CHECK(!repeated.rivals.empty());
}

TEST_CASE("strands are compared by their keys, and told in words", "[tune]") {
  const Timeline two =
      timeline_of({{clock("00:00"), clock("00:00")}, {"a", "b"}, {{"x", column_of({1, 2})}}});
  const Timeline one = timeline_of({{clock("00:00")}, {}, {{"x", column_of({1})}}}, {}, "gauge");
  const Timeline lacking = timeline_of({{clock("00:00")}, {"a"}, {{"x", column_of({1})}}});
  REQUIRE(pairs_of(two, two).size() == 2);
  CHECK(pairs_of(two, two)[1].reference == &two.strands()[1]);
  // A reference without a key serves every strand; one that lacks a key has none for it.
  CHECK(pairs_of(one, two)[1].reference == &one.strands()[0]);
  CHECK(pairs_of(lacking, two)[1].reference == nullptr);
  // Each other one with the strand that is right.
  const auto others = pairs_of(two, two.strands()[0]);
  REQUIRE(others.size() == 1);
  CHECK(others[0].other == &two.strands()[1]);
  CHECK(&right_strand(two, Tune{.on = "x", .against = "b"}) == &two.strands()[1]);
  CHECK_THROWS_WITH(right_strand(two, Tune{.on = "x", .against = "c"}),
                    Catch::Contains("there is no such strand; there is a, b"));
  CHECK(called(two, two.strands()[1]) == "b");
  CHECK(called(one, one.strands()[0]) == "gauge");
  CHECK(off_text(90.125).ends_with("s ahead"));
  CHECK(off_text(-3) == "3 s behind");
  CHECK(match_text(0.95123) == "0.951");
  CHECK(match_text(std::nullopt) == "none");
}

}  // namespace zerobeat::testing
