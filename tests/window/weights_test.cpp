// What stands into a window, and what weighs less with its age or its place.

#include <algorithm>
#include <numeric>

#include "window/windows.hpp"

namespace zerobeat::testing {

using namespace std::chrono_literals;

TEST_CASE("readings stand into a window and to its end, no further", "[roll]") {
  const auto timeline = strand("00:00 2", "00:10 4", "00:30 1", "00:40 -", "01:00 3");
  const auto rolled = [&](const char* text, const Extent& window, Place place = Place::trailing) {
    return readings(roll(timeline, {.window = window, .take = {take_read(text)}, .place = place}),
                    "o");
  };
  // At 00:30 the window from 00:10 holds 4 for 20 min; at 01:00 that from 00:30 holds 1.
  CHECK(rolled("integral(level)", 20min) == Readings{missing, 1200, 4800, 600 * 4 + 600, 1200});
  CHECK(rolled("twmean(level)", 20min) == Readings{missing, 2, 4, 2.5, 1});
  CHECK(rolled("duration(level > 1.5)", 20min) == Readings{missing, 600, 1200, 600, 0});
  // By lines: from 4 to 1 over 20 min, then from 1 to 3 over half an hour.
  CHECK(near(rolled("twmean(level,linear)", 20min), {missing, 3, 2.5, missing, missing}) == false);
  CHECK(near({rolled("twmean(level,linear)", 20min)[2]}, {2.5}));
  CHECK(near({rolled("integral(level,linear)", 30min)[4]}, {30 * 60 * 2.0}));
  // Ahead, the last reading stands for a typical step, 15 min here, and no further than the window.
  CHECK(rolled("integral(level)", 15min, Place::leading)[4] == 3 * 900);
  CHECK(rolled("integral(level)", 10min, Place::leading)[4] == 3 * 600);
  CHECK(rolled("integral(level)", 1h, Place::leading)[4] == 3 * 900);
  CHECK_THROWS_WITH(roll(timeline, {.window = 3, .take = {take_read("twmean(level)")}}),
                    Catch::Contains("goes with a window of a period"));
}

TEST_CASE("standing readings agree with their definition", "[roll]") {
  const Timeline timeline = random_timeline(120, 5, 2, 0.3);
  const Readings level = readings(timeline, "level");
  for (const Extent& window : {Extent(90s), Extent(7min), Extent(4h)}) {
    const auto area =
        readings(roll(timeline, {.window = window, .take = {take_read("integral(level)")}}), "o");
    const auto above = readings(
        roll(timeline, {.window = window, .take = {take_read("duration(level > 3)")}}), "o");
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        const Instant high = timeline.times()[i], low = high - window.period.nanoseconds;
        double sum = 0, met = 0, covered = 0;
        std::optional<std::size_t> standing;
        for (std::size_t j = strand.begin; j <= i; ++j) {
          if (!level[j] && j != i) continue;
          if (standing) {
            const Instant from = std::max(low, timeline.times()[*standing]);
            const Instant until = std::min(high, timeline.times()[j]);
            if (until > from) {
              const double seconds = static_cast<double>((until - from).count()) / 1e9;
              covered += seconds;
              sum += seconds * *level[*standing];
              if (*level[*standing] > 3) met += seconds;
            }
          }
          if (level[j]) standing = j;
        }
        const std::optional<double> none;
        INFO(i << " " << to_text(window));
        REQUIRE(near({area[i]}, {covered > 0 ? std::optional(sum) : none}, 1e-9));
        REQUIRE(near({above[i]}, {covered > 0 ? std::optional(met) : none}, 1e-9));
      }
    }
  }
}

TEST_CASE("weights of age are those of the definition", "[roll]") {
  const Timeline timeline = random_timeline(150, 23, 2, 0.3);
  const Readings level = readings(timeline, "level");
  for (const bool by_time : {false, true}) {
    const Decay decay = by_time ? Decay{.half_life = Period(5min)} : Decay{.share = 0.9};
    const auto rolled =
        roll(timeline, {.take = {ewma("level", decay).as("m"), ewvar("level", decay).as("v"),
                                 ewsd("level", decay).as("s"), ewvol("level", decay).as("q")}});
    const auto m = readings(rolled, "m"), v = readings(rolled, "v"), s = readings(rolled, "s"),
               q = readings(rolled, "q");
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        double weights = 0, sum = 0, squares = 0;
        const auto weight_of = [&](std::size_t j) {
          const double age =
              static_cast<double>((timeline.times()[i] - timeline.times()[j]).count()) / 300e9;
          return by_time ? std::exp2(-age) : std::pow(0.9, static_cast<double>(i - j));
        };
        for (std::size_t j = strand.begin; j <= i; ++j) {
          if (!level[j]) continue;
          weights += weight_of(j);
          sum += weight_of(j) * *level[j];
          squares += weight_of(j) * *level[j] * *level[j];
        }
        REQUIRE(m[i].has_value() == (weights > 0));
        if (weights == 0) continue;
        const double mean = sum / weights;
        double about = 0;
        for (std::size_t j = strand.begin; j <= i; ++j) {
          if (level[j]) about += weight_of(j) * (*level[j] - mean) * (*level[j] - mean);
        }
        REQUIRE(
            near({m[i], v[i], s[i], q[i]},
                 {mean, about / weights, std::sqrt(about / weights), std::sqrt(squares / weights)},
                 1e-9));
      }
    }
  }
}

TEST_CASE("ewma starts again with each period, and needs readings", "[roll]") {
  const auto level = strand("00:00 8", "00:30 4", "01:00 -", "01:30 6", "02:00 2");
  const auto rolled = [&](const Roll& options) {
    return readings(roll(level, options), "level_ewma");
  };
  const Take half = ewma("level", {.share = 0.5});
  CHECK(near(rolled({.take = {half}}), {8, 16.0 / 3, 16.0 / 3, (6 + 1 + 1) / (1 + 0.25 + 0.125),
                                        (2 + 3 + 0.5 + 0.5) / (1 + 0.5 + 0.125 + 0.0625)}));
  CHECK(near(rolled({.take = {half}, .restart = Period(1h)}), {8, 16.0 / 3, missing, 6, 2}));
  CHECK(near(rolled({.take = {half}, .min_count = 2}),
             {missing, 16.0 / 3, 16.0 / 3, 64.0 / 11, 32.0 / 9}));
  CHECK_THROWS_WITH(take_read("ewma(level,1.5)"), Catch::Contains("between 0 and 1"));
  CHECK_THROWS_WITH(take_read("ewma(level,1month)"), Catch::Contains("not always as long"));
  CHECK_THROWS_WITH(take_read("ewma(level)"), Catch::Contains("half-life"));
}

TEST_CASE("weights of a window stay with their all_places", "[roll]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 4", "00:30 -", "00:40 16", "00:50 32");
  const auto rolled = [&](const Roll& options) {
    return readings(roll(level, options), "level_mean");
  };
  CHECK(near(rolled({.window = 3, .weights = {1, 2, 5}}),
             {missing, missing, 25.0 / 8, missing, missing, missing}));
  CHECK(near(rolled({.window = 3, .min_count = 1, .weights = {1, 2, 5}}),
             {1, 12.0 / 7, 25.0 / 8, 10.0 / 3, 84.0 / 6, 192.0 / 7}));
  CHECK(rolled({.window = 3, .min_count = 2, .weights = {1, 2, 5}})[0] == missing);
  const auto triangle =
      rolled({.window = 4, .min_count = 1, .weights = WindowWeights::Shape::triangle});
  CHECK(near({triangle[2]}, {(2 * 1 + 2 * 2 + 1 * 4) / 5.0}));
  // Half, one, one, one, half: centred on the row.
  const auto flat = strand("00:00 1", "00:10 2", "00:20 4", "00:30 8", "00:40 16", "00:50 32");
  const auto split = [&](const Roll& options) {
    return readings(roll(flat, options), "level_mean");
  };
  CHECK(near(split({.window = 4, .weights = WindowWeights::Shape::split}),
             {missing, missing, (0.5 + 2 + 4 + 8 + 8) / 4, (1 + 4 + 8 + 16 + 16) / 4.0, missing,
              missing}));
  CHECK(near({split({.window = 4, .min_count = 3, .weights = WindowWeights::Shape::split})[0]},
             {(1 + 2 + 2) / 2.5}));
  CHECK_THROWS_WITH(split({.window = 5, .weights = WindowWeights::Shape::split}),
                    Catch::Contains("even number"));
  CHECK_THROWS_WITH(
      split({.window = 4, .place = Place::trailing, .weights = WindowWeights::Shape::split}),
      Catch::Contains("centred"));
  CHECK_THROWS_WITH(split({.window = 2, .weights = {1, 2, 1}}), Catch::Contains("one for each"));
  CHECK_THROWS_WITH(split({.window = 1h, .weights = {1, 2, 1}}),
                    Catch::Contains("window of records"));
  CHECK_THROWS_WITH(split({.window = 2, .weights = {1, -1}}), Catch::Contains("come to 0"));
  CHECK_THROWS_WITH(split({.window = 2, .take = {max("level")}, .weights = {1, 1}}),
                    Catch::Contains("go with mean(x)"));
  WindowWeights weights;
  CHECK_THROWS_WITH(from_text("1,x", weights), Catch::Contains("\"x\" is no weight"));
  CHECK_THROWS_WITH(from_text("1,-1", weights), Catch::Contains("come to 0"));
}

}  // namespace zerobeat::testing
