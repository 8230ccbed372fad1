#include <zerobeat/window/lag.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

Readings lagged(const Timeline& timeline, const Take& take, const Extent& by = 1) {
  return readings(timeline | Lag{.by = by, .take = {take.as("out")}}, "out");
}

}  // namespace

TEST_CASE("by rows, the cell so many records away counts, missing or not", "[lag]") {
  const auto level = strand("00:00 1", "00:10 -", "00:20 4", "00:30 2");
  CHECK(lagged(level, lag("level")) == Readings{missing, 1, missing, 4});
  CHECK(lagged(level, lead("level")) == Readings{missing, 4, 2, missing});
  CHECK(lagged(level, diff("level")) == Readings{missing, missing, missing, -2});
  CHECK(lagged(level, diff("level"), 2) == Readings{missing, missing, 3, missing});
  CHECK(lagged(level, change("level"), 3) == Readings{missing, missing, missing, 1});
  CHECK(lagged(level, lag("level"), 9) == Readings{missing, missing, missing, missing});
}

TEST_CASE("by a period, the last reading at or before counts", "[lag]") {
  const auto level = strand("00:00 1", "00:50 -", "01:00 3", "01:30 5", "01:50 7");
  CHECK(lagged(level, lag("level"), 1h) == Readings{missing, missing, 1, 1, 1});
  CHECK(lagged(level, lag("level"), 30min) == Readings{missing, 1, 1, 3, 3});
  CHECK(lagged(level, lead("level"), 30min) == Readings{3, 5, 5, missing, missing});
  CHECK(lagged(level, diff("level"), 1h) == Readings{missing, missing, 2, 4, 6});
}

TEST_CASE("changes are missing where they mean nothing", "[lag]") {
  const auto level = strand("00:00 0", "00:10 2", "00:20 -3", "00:30 6");
  CHECK(lagged(level, change("level")) == Readings{missing, missing, -2.5, -3});
  CHECK(lagged(level, log_return("level")) == Readings{missing, missing, missing, missing});
  CHECK(near(lagged(level, log_return("level"), 2), {missing, missing, missing, std::log(3.0)}));
  CHECK(near(lagged(level, rate("level")), {missing, 2.0 / 600, -5.0 / 600, 9.0 / 600}));
  const auto tie = strand("00:00 1", "00:00 2");
  CHECK(lagged(tie, rate("level")) == Readings{missing, missing});
}

TEST_CASE("lags keep to the strand and agree with their definition", "[lag]") {
  const Timeline timeline = random_timeline(300, 6, 3, 0.3);
  const auto times = timeline.times();
  const Readings all = readings(timeline, "level");
  const Readings by_period = lagged(timeline, lag("level"), 7min);
  const Readings ahead = lagged(timeline, lead("level"), 7min);
  const Readings by_rows = lagged(timeline, lag("level"), 3);
  for (const Strand& own : timeline.strands()) {
    for (std::size_t i = own.begin; i < own.end; ++i) {
      std::optional<double> before, after;
      for (std::size_t j = own.begin; j < own.end; ++j) {
        if (all[j] && times[j] <= times[i] - 7min) before = all[j];
        if (!after && all[j] && times[j] >= times[i] + 7min) after = all[j];
      }
      REQUIRE(by_period[i] == before);
      REQUIRE(ahead[i] == after);
      REQUIRE(by_rows[i] == (i < own.begin + 3 ? std::nullopt : all[i - 3]));
    }
  }
}

TEST_CASE("the difference of integers is an integer", "[lag]") {
  const auto kg =
      timeline_of({{clock("00:00"), clock("00:10")}, {}, {{"kg", integers_of({7, 4})}}});
  const auto result = lag(kg, {.take = {diff("kg")}});
  CHECK(result.values().column("kg_diff") == integers_of({missing, -3}));
}

TEST_CASE("a lead looks ahead, a lag does not", "[lag]") {
  CHECK(reach(Lag{}).causal());
  CHECK(!reach(Lag{.take = {lead("level")}}).causal());
  CHECK_THROWS_AS(lag(strand("00:00 1"), {.by = Extent()}), Error);
}

}  // namespace zerobeat::testing
