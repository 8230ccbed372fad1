// The line through readings, the peaks of likeness, and the equations, each beside what defines it.

#include <algorithm>
#include <cmath>

#include "align/clock/equations.hpp"
#include "align/clock/lag_peaks.hpp"
#include "align/clock/smooth_line.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace detail;

/// Two waves and a third that bends slowly, so that no lag repeats.
double level_at(double t) {
  return 2 * std::sin(t / 900) + std::cos(t / 410 + 1) + std::sin(t * t / 3e8);
}

/// Readings at uneven times, some left out; `value` of each.
template <typename Value>
ClockReadings uneven(double from, double until, double step, unsigned seed, Value&& value) {
  std::mt19937 random(seed);
  std::uniform_real_distribution<double> shift(-0.3, 0.3);
  ClockReadings out;
  for (double t = from; t < until; t += step) {
    if (random() % 11 == 0) continue;
    out.at.push_back(t + shift(random) * step);
    out.values.push_back(value(out.at.back()));
  }
  out.step = step;
  return out;
}

/// The definition: the straight line through the readings around x that has the least weighted
/// squares, each weighing (1 - (distance / half width)^2)^3, at x.
double plain_line(const ClockReadings& readings, double half_width, double x) {
  long double weights = 0, mean_t = 0, mean_v = 0;
  const auto weight = [&](std::size_t i) -> long double {
    const long double u = (readings.at[i] - static_cast<long double>(x)) / half_width;
    return std::fabs(u) < 1 ? std::pow(1 - u * u, 3) : 0;
  };
  for (std::size_t i = 0; i < readings.size(); ++i) {
    weights += weight(i);
    mean_t += weight(i) * readings.at[i];
    mean_v += weight(i) * readings.values[i];
  }
  mean_t /= weights;
  mean_v /= weights;
  long double of_time = 0, of_both = 0;
  for (std::size_t i = 0; i < readings.size(); ++i) {
    const long double t = readings.at[i] - mean_t;
    of_time += weight(i) * t * t;
    of_both += weight(i) * t * (readings.values[i] - mean_v);
  }
  return static_cast<double>(mean_v + of_both / of_time * (x - mean_t));
}

/// Whether no two readings around x are further apart than three steps, and it has both sides.
bool is_within(const ClockReadings& readings, double x) {
  const auto next = std::ranges::upper_bound(readings.at, x);
  return next != readings.at.begin() && next != readings.at.end() &&
         *next - *(next - 1) <= 3 * readings.step;
}

}  // namespace

TEST_CASE("a smooth line is local straight lines, and none within gaps", "[tune]") {
  ClockReadings readings = uneven(0, 40'000, 60, 4, level_at);
  // A gap, and one that is just short enough.
  for (const auto& [from, until] : {std::pair{9'000.0, 11'000.0}, {20'000.0, 20'110.0}}) {
    for (std::size_t i = readings.size(); i-- > 0;) {
      if (readings.at[i] > from && readings.at[i] < until) {
        readings.at.erase(readings.at.begin() + static_cast<std::ptrdiff_t>(i));
        readings.values.erase(readings.values.begin() + static_cast<std::ptrdiff_t>(i));
      }
    }
  }
  const LineGrid grid{-500, 7, 6'000};  // more points than are computed at once
  const SmoothLine line(readings, 200, grid);
  REQUIRE(line.values().size() == grid.points);
  std::size_t there = 0, none = 0;
  for (std::size_t i = 0; i < grid.points; ++i) {
    const double value = line.values()[i];
    if (!is_within(readings, grid.at(i))) {
      CHECK(std::isnan(value));
      ++none;
    } else if (i % 5 == 0) {
      CHECK(value == Approx(plain_line(readings, 200, grid.at(i))).margin(1e-9));
      ++there;
    }
  }
  CHECK(there > 900);
  CHECK(none > 300);
}

TEST_CASE("a smooth line has the value and the slope of what is straight", "[tune]") {
  const auto straight = uneven(0, 4'000, 10, 5, [](double t) { return 3 - 0.25 * t; });
  const SmoothLine line(straight, 40, {0, 5, 801});
  for (double t = 50; t < 3'950; t += 3.7) {
    CHECK(line(t).value == Approx(3 - 0.25 * t));
    CHECK(line(t).slope == Approx(-0.25));
  }
  // Beside its grid, and with neighbours that are not there, it has neither.
  for (const double t : {-1.0, 4.9, 3'996.0, 1e9, -1e9, std::nan("")}) {
    CHECK(std::isnan(line(t).value));
    CHECK(std::isnan(line(t).slope));
  }
}

TEST_CASE("two readings are a line, and one is none", "[tune]") {
  ClockReadings few;
  few.at = {0, 10};
  few.values = {1, 2};
  few.step = 10;
  const SmoothLine line(few, 30, {-10, 5, 6});
  CHECK(std::isnan(line.values()[0]));
  CHECK(line.values()[2] == Approx(1));
  CHECK(line.values()[3] == Approx(1.5));
  CHECK(std::isnan(line.values()[4]));  // at the last one
  few.at.resize(1);
  few.values.resize(1);
  const SmoothLine none(few, 30, {-10, 5, 6});
  for (const double value : none.values()) CHECK(std::isnan(value));
  CHECK(SmoothLine(few, 30, {}).values().empty());
}

TEST_CASE("the highest peak is where the clock is off", "[tune]") {
  const auto reference = uneven(0, 120'000, 60, 6, level_at);
  for (const double offset : {-1'500.0, -90.0, 0.0, 61.0, 1'200.0}) {
    const auto other =
        uneven(offset, 120'000 + offset, 90, 7, [&](double t) { return level_at(t - offset); });
    ClockSearch search;
    search.within_s = 2'400;
    const LagPeaks found = lag_peaks(reference, other, search);
    INFO(offset);
    REQUIRE(!found.peaks.empty());
    CHECK(found.peaks.size() <= 12);
    CHECK(found.peaks[0].offset_s == Approx(offset).margin(60));
    CHECK(found.peaks[0].likeness > 0.9);
    CHECK(!found.rises_beyond);
    for (std::size_t i = 1; i < found.peaks.size(); ++i) {
      CHECK(found.peaks[i].likeness <= found.peaks[i - 1].likeness);
    }
    for (const LagPeak& peak : found.peaks) {
      CHECK(std::fabs(peak.offset_s) <= search.within_s);
      CHECK(peak.drift == 0);
    }
    // Of the opposite sign, what was a peak is none.
    ClockReadings turned = other;
    for (double& value : turned.values) value = -value;
    const LagPeaks opposite = lag_peaks(reference, turned, search);
    if (!opposite.peaks.empty()) {
      CHECK(std::fabs(opposite.peaks[0].offset_s - offset) > 300);
    }
  }
}

TEST_CASE("a peak that lies beyond the range is told", "[tune]") {
  const auto slow = [](double t) { return std::exp(-std::pow((t - 60'000) / 9'000, 2)); };
  const auto reference = uneven(0, 120'000, 60, 8, slow);
  const auto other = uneven(0, 120'000, 60, 9, [&](double t) { return slow(t - 4'000); });
  ClockSearch search;
  search.within_s = 1'000;
  CHECK(lag_peaks(reference, other, search).rises_beyond);
  search.within_s = 9'000;
  const LagPeaks found = lag_peaks(reference, other, search);
  CHECK(!found.rises_beyond);
  REQUIRE(!found.peaks.empty());
  CHECK(found.peaks[0].offset_s == Approx(4'000).margin(400));  // what is slow is taken off
}

TEST_CASE("of too little to compare there is no peak", "[tune]") {
  const auto reference = uneven(0, 10'000, 60, 10, level_at);
  ClockSearch search;
  search.within_s = 600;
  const auto flat = uneven(0, 10'000, 60, 11, [](double) { return 4.0; });
  CHECK(lag_peaks(reference, flat, search).peaks.empty());
}

TEST_CASE("equations say what is missing of an offset and a drift", "[tune]") {
  const auto reference = uneven(-60'000, 60'000, 30, 12, level_at);
  const SmoothLine line(reference, 75, {-60'000, 15, 8'000});
  for (const bool drifts : {false, true}) {
    const double offset = 40, drift = drifts ? 50e-6 : 0;
    const auto other = uneven(-55'000, 55'000, 70, 13,
                              [&](double t) { return 1.7 * level_at(t - offset - drift * t) - 3; });
    ClockFrame frame;
    frame.first = other.at.front();
    frame.last = other.at.back();
    frame.slow = 20'000;
    frame.bends = 7;
    frame.step = 70;
    frame.drifts = drifts;
    // From near by, a few steps come to both, whatever scale and level are.
    double own_offset = 0, own_drift = 0;
    ClockStep last;
    for (int i = 0; i < 8; ++i) {
      last = ClockEquations(other, line, frame, own_offset, own_drift).solved(0);
      REQUIRE(last.solved);
      own_offset += last.offset;
      own_drift += last.drift;
    }
    INFO(drifts);
    CHECK(own_offset == Approx(offset).margin(0.5));
    CHECK(own_drift == Approx(drift).margin(2e-6));
    CHECK(std::fabs(last.offset) < 0.01);
    CHECK(last.likeness > 0.99);
    CHECK(last.clearness > 100);
    CHECK(last.spread < 0.05);
    CHECK(last.var_offset > 0);
    CHECK((last.var_drift > 0) == drifts);
  }
  // Where nothing meets, nothing is solved.
  const auto elsewhere = uneven(1e6, 1.1e6, 70, 14, level_at);
  ClockFrame frame;
  frame.first = elsewhere.at.front();
  frame.last = elsewhere.at.back();
  frame.slow = 20'000;
  frame.bends = 6;
  frame.step = 70;
  CHECK(!ClockEquations(elsewhere, line, frame, 0, 0).solved(0).solved);
}

}  // namespace zerobeat::testing
