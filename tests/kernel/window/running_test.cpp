#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

using namespace std::chrono_literals;

TEST_CASE("running totals start again with each period, by the zone's calendar", "[running]") {
  const auto kg = timeline_of(
      {{at("2024-12-30T00:00:00Z"), at("2024-12-31T23:30:00Z"), at("2025-01-01T00:30:00Z"),
        at("2025-01-02T00:00:00Z"), at("2025-01-03T00:00:00Z")},
       {},
       {{"kg", integers_of({5, 7, std::nullopt, 2, 4})}}});
  const auto totals = [](const Timeline& timeline, const Roll& options) {
    return readings(roll(timeline, options), "kg_cumsum");
  };
  CHECK(totals(kg, {.take = {cumsum("kg")}}) == Readings{5, 12, 12, 14, 18});
  CHECK(totals(kg, {.restart = Period::of_months(12)}) == Readings{5, 12, missing, 2, 6});
  CHECK(roll(kg, {.take = {cumsum("kg")}}).values().column("kg_cumsum").type() ==
        Column::Type::integer);
  // In Kathmandu the year begins at 18:15 UTC.
  Timeline::Parts parts = kg.parts();
  parts.zone = Zone::find("Asia/Kathmandu");
  CHECK(totals(Timeline(parts), {.restart = Period::of_months(12)}) == Readings{5, 7, 7, 9, 13});
  CHECK(totals(kg, {.take = {cumsum("kg")}, .min_count = 3}) ==
        Readings{missing, missing, missing, 14, 18});
}

TEST_CASE("running totals agree with a plain loop, strand by strand", "[running]") {
  const Timeline timeline = random_timeline(3000, 81, 3, 0.3);
  const Timeline out =
      roll(timeline, {.window = 5, .take = {cumsum("level"), mean("kg")}, .restart = Period(1h)});
  const Readings level = readings(timeline, "level");
  Readings expected;
  for (const Strand& strand : timeline.strands()) {
    long double total = 0;
    bool any = false;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      const auto hour = [&](std::size_t row) {
        return std::chrono::floor<std::chrono::hours>(timeline.times()[row]);
      };
      if (i == strand.begin || hour(i) != hour(i - 1)) total = 0, any = false;
      if (level[i]) total += *level[i], any = true;
      expected.push_back(any ? std::optional(static_cast<double>(total)) : std::nullopt);
    }
  }
  CHECK(near(readings(out, "level_cumsum"), expected));
  CHECK(readings(out, "kg_mean") ==
        readings(roll(timeline, {.window = 5, .take = {mean("kg")}}), "kg_mean"));
}

TEST_CASE("totals too large for an integer become numbers, with a note", "[running]") {
  const std::int64_t big = std::numeric_limits<std::int64_t>::max();
  const auto n =
      timeline_of({{clock("00:00"), clock("00:10")}, {}, {{"n", integers_of({big, big})}}});
  const Timeline out = roll(n, {.take = {cumsum("n")}});
  CHECK(out.values().column("n_cumsum").numbers()[1] == std::ldexp(1.0, 64));
  CHECK_THAT(out.account().last().notes.at(0), Catch::Contains("n_cumsum: 1 totals do not fit"));
}

TEST_CASE("a restart without a total, and a window of nothing, are refused", "[running]") {
  const auto level = strand("00:00 1", "00:10 2");
  CHECK_THROWS_WITH(roll(level, {.window = 2, .restart = Period(1h)}),
                    Catch::Contains("cumsum(x)"));
  CHECK_THROWS_AS(roll(level, {.take = {cumsum("level"), mean("level")}}), Error);
  CHECK_THROWS_AS(roll(level, {}), Error);
  CHECK(reach(Roll{.take = {cumsum("level")}, .restart = Period(1h)}).causal());
  CHECK(reach(Roll{.take = {cumsum("level")}}).back.kind == ReachSide::Kind::whole);
}

TEST_CASE("a year back is the same period a year before", "[running]") {
  const auto kg = strand("2024-01-01T00:00 4", "2024-02-01T00:00 8", "2025-01-01T00:00 5",
                         "2025-02-01T00:00 6");
  CHECK(readings(lag(kg, {.by = Period::of_months(12), .take = {change("level")}}),
                 "level_change") == Readings{missing, missing, 0.25, -0.25});
}

}  // namespace zerobeat::testing
