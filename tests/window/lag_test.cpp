#include <zerobeat/window/lag.hpp>

#include "support/strand.hpp"
#include "time/forward_shift.hpp"

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
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      std::optional<double> before, after;
      for (std::size_t j = strand.begin; j < strand.end; ++j) {
        if (all[j] && times[j] <= times[i] - 7min) before = all[j];
        if (!after && all[j] && times[j] >= times[i] + 7min) after = all[j];
      }
      REQUIRE(by_period[i] == before);
      REQUIRE(ahead[i] == after);
      REQUIRE(by_rows[i] == (i < strand.begin + 3 ? std::nullopt : all[i - 3]));
    }
  }
}

TEST_CASE("the difference of integers is an integer", "[lag]") {
  const auto kg =
      timeline_of({{clock("00:00"), clock("00:10")}, {}, {{"kg", integers_of({7, 4})}}});
  const auto result = lag(kg, {.take = {diff("kg")}});
  CHECK(result.values().column("kg_diff") == integers_of({missing, -3}));
}

TEST_CASE("several distances and higher orders are what they say", "[lag]") {
  const Timeline timeline = random_timeline(200, 16, 2, 0.25);
  const auto both =
      lag(timeline, {.by = {2, Extent(5min)}, .take = {diff("level"), lead("level")}});
  CHECK(both.values().names() == std::vector<std::string>{"level", "weight", "kg", "level_diff_2",
                                                          "level_diff_5min", "level_lead_2",
                                                          "level_lead_5min"});
  for (const Extent& by : {Extent(2), Extent(5min)}) {
    const std::string name = "level_diff_" + to_text(by);
    CHECK(readings(both, name) == lagged(timeline, diff("level"), by));
  }
  // Of order 3: x(t) - 3 x(t - 2) + 3 x(t - 4) - x(t - 6), of whole numbers too.
  const auto third = lag(timeline, {.by = 2, .take = {diff("level"), diff("kg")}, .order = 3});
  for (const char* name : {"level", "kg"}) {
    const Column numbers = timeline.values().column(name).as_numbers();
    Readings expected;
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        bool all = i >= strand.begin + 6;
        double sum = 0;
        const double factors[] = {1, -3, 3, -1};
        for (std::size_t k = 0; k < 4 && all; ++k) {
          all = numbers.valid(i - 2 * k);
          if (all) sum += factors[k] * numbers.numbers()[i - 2 * k];
        }
        expected.push_back(all ? std::optional(sum) : std::nullopt);
      }
    }
    CHECK(near(readings(third, std::string(name) + "_diff"), expected));
  }
  CHECK(third.values().column("kg_diff").type() == Column::Type::integer);
  CHECK_THROWS_WITH(lag(timeline, {.take = {lag("kg")}, .order = 2}),
                    Catch::Contains("of diff(x)"));
}

TEST_CASE("a lag of days meets skipped and repeated times as shift does", "[lag]") {
  std::vector<Instant> times;
  Readings level;
  for (int i = 0; i < 400; ++i) {
    times.push_back(at("2025-03-29T00:07:00Z") + i * 11min);
    level.push_back(i % 7 == 0 ? std::nullopt : std::optional<double>(i));
  }
  const Timeline timeline =
      timeline_of({times, {}, {{"level", column_of(level)}}}, Zone::find("Europe/Dublin"));
  const Period day = Period::of_days(1);
  const auto before = lagged(timeline, lag("level"), day),
             after = lagged(timeline, lead("level"), day);
  for (std::size_t i = 0; i < times.size(); ++i) {
    const Instant back = detail::shift_forward(times[i], day, -1, timeline.zone());
    const Instant ahead = detail::shift_forward(times[i], day, 1, timeline.zone());
    std::optional<double> old, next;
    for (std::size_t j = 0; j < times.size(); ++j) {
      if (level[j] && times[j] <= back) old = level[j];
      if (level[j] && times[j] >= ahead && !next) next = level[j];
    }
    REQUIRE(before[i] == old);
    REQUIRE(after[i] == next);
  }
}

TEST_CASE("a lead looks ahead, a lag does not", "[lag]") {
  CHECK(reach(Lag{}).causal());
  CHECK(!reach(Lag{.take = {lead("level")}}).causal());
  CHECK_THROWS_AS(lag(strand("00:00 1"), {.by = Extent()}), Error);
}

TEST_CASE("an earlier reading that is too old is told, or left out", "[lag]") {
  // A strand that lacks a year: what stood a year ago did not.
  Rows rows;
  for (const char* year : {"2020-01-01T00:00:00Z", "2021-01-01T00:00:00Z", "2023-01-01T00:00:00Z",
                           "2024-01-01T00:00:00Z"}) {
    rows.times.push_back(at(year));
  }
  rows.columns = {{"level", column_of({1, 2, 3, 4})}};
  const Timeline years = timeline_of(rows);
  const Timeline any = lag(years, {.by = Period("1year")});
  CHECK(readings(any, "level_lag") == Readings{missing, 1, 2, 3});
  // Its typical step is a year, of 366 days here, and nothing is further off than that.
  CHECK(any.account().last().notes.empty());
  const Timeline near = lag(years, {.by = Period("1year"), .tolerance = Period("1month")});
  CHECK(readings(near, "level_lag") == Readings{missing, 1, missing, 3});
  const Timeline daily = strand("2025-10-20T00:00:00Z 1", "2025-10-21T00:00:00Z 2",
                                "2025-10-22T00:00:00Z 3", "2025-10-26T00:00:00Z 4");
  const Timeline noted =
      lag(daily, {.by = std::chrono::days(1), .take = {diff("level"), lead("level")}});
  REQUIRE(noted.account().last().notes.size() == 2);
  CHECK_THAT(
      noted.account().last().notes[0],
      Catch::StartsWith("level_diff: 1 readings were compared with one that is older than 1d "
                        "by more than a typical step"));
  CHECK_THAT(noted.account().last().notes[1], Catch::Contains("that is later than 1d"));
  const Timeline close =
      lag(daily,
          {.by = std::chrono::days(1), .take = {diff("level")}, .tolerance = std::chrono::days(3)});
  CHECK(readings(close, "level_diff") == Readings{missing, 1, 1, 1});
  CHECK(close.account().last().notes.empty());
  CHECK(readings(lag(daily, {.by = std::chrono::days(1),
                             .take = {diff("level")},
                             .tolerance = std::chrono::days(2)}),
                 "level_diff") == Readings{missing, 1, 1, missing});
  CHECK_THAT(usage([&] { lag(daily, {.by = 1, .tolerance = std::chrono::days(1)}); }),
             Catch::Contains("goes with ‹by› a period"));
}

}  // namespace zerobeat::testing
