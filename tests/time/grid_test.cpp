#include <zerobeat/time/grid.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

const std::vector<std::string> zones{"UTC",
                                     "Europe/Dublin",
                                     "Australia/Lord_Howe",
                                     "Asia/Kathmandu",
                                     "America/Sao_Paulo",
                                     "Africa/Monrovia"};

Hours hours(const char* text) {
  Hours read;
  from_text(text, read);
  return read;
}

/// Any instant from 1900 to 2100.
Instant some_instant(std::mt19937_64& random) {
  return instant_of(static_cast<std::int64_t>(random() % 6'300'000'000) * 1'000'000'000 -
                    2'200'000'000'000'000'000 +
                    static_cast<std::int64_t>(random() % 1'000'000'000));
}

}  // namespace

TEST_CASE("every instant is in one bucket of a gapless grid, before 1970 too", "[grid]") {
  std::mt19937_64 random(11);
  const std::vector<Period> periods{
      Period(1ns),          Period(7ms),          Period(15min),      Period(36h),
      Period::of_days(1),   Period::of_days(5),   Period::of_days(7), Period::of_months(1),
      Period::of_months(3), Period::of_months(24)};
  for (int round = 0; round < 3000; ++round) {
    GridOptions options{.zone = Zone::find(zones[random() % zones.size()])};
    options.week_starts = static_cast<WeekStart>(random() % 7);
    if (random() % 2 == 0) options.anchor = some_instant(random);
    const Period& period = periods[random() % periods.size()];
    const Grid grid(period, options);
    const Instant t = some_instant(random);
    const std::int64_t n = grid.index_of(t);
    INFO(to_text(period) << " in " << options.zone.name() << " at " << to_text(t, 9));
    REQUIRE(grid.edge(n) <= t);
    REQUIRE(t < grid.edge(n + 1));
    REQUIRE(grid.end(n) == grid.edge(n + 1));
    REQUIRE(grid.holds(t));
    // Its edges are in the buckets that start and end there.
    REQUIRE(grid.edge(grid.index_of(grid.edge(n))) == grid.edge(n));
    REQUIRE(grid.index_of(grid.edge(n) - Nanoseconds(1)) < n);
  }
}

TEST_CASE("sessions hold what is within their hours, and nothing else", "[grid]") {
  std::mt19937_64 random(12);
  const std::vector<Period> periods{Period(1min), Period(45min), Period(3h), Period::of_days(1)};
  const char* all_hours[] = {"09:00-17:30", "22:00-06:00", "00:00-24:00", "00:30-02:15"};
  Calendar week(Weekend{}, {});
  for (int round = 0; round < 2000; ++round) {
    GridOptions options{.zone = Zone::find(zones[random() % zones.size()])};
    options.hours = hours(all_hours[random() % 4]);
    const bool working = random() % 2 == 0;
    if (working) options.calendar = week;
    const Period& period = periods[random() % periods.size()];
    const Grid grid(period, options);
    // Since 1980: before, a zone's clocks went by odd seconds.
    const Instant t =
        instant_of(static_cast<std::int64_t>(random() % 2'000'000'000) * 1'000'000'000 +
                   315'532'800'000'000'000);
    const std::int64_t n = grid.index_of(t);
    INFO(to_text(period) << " " << to_text(*options.hours) << " in " << options.zone.name()
                         << " at " << to_text(t, 0));
    REQUIRE(grid.edge(n) <= t);
    REQUIRE(grid.edge(n + 1) >= grid.end(n));
    // The plain rule: by the local clock, on a day that is worked.
    const auto local = options.zone.local_of(t);
    auto day = std::chrono::floor<std::chrono::days>(local);
    const auto clock = std::chrono::floor<std::chrono::minutes>(local - day);
    const Hours sessions = *options.hours;
    bool open = false;
    if (sessions.from < sessions.until) {
      open = clock >= sessions.from && clock < sessions.until;
    } else {
      open = clock >= sessions.from || clock < sessions.until;
      if (clock < sessions.until) day -= std::chrono::days(1);
    }
    if (working) open = open && week.is_working_day(std::chrono::local_days(day));
    // Near a change of the clocks a local time does not say whether it was before or after.
    const auto steady = options.zone.offset_at(t - 25h) == options.zone.offset_at(t + 25h);
    if (steady) REQUIRE(grid.holds(t) == open);
    if (grid.holds(t)) REQUIRE(t < grid.end(n));
  }
}

TEST_CASE("a session's buckets start at its opening and are cut at its close", "[grid]") {
  const Grid grid(40min, {.hours = hours("09:00-10:30")});
  const TimeSpan day{at("2025-10-20T00:00:00Z"), at("2025-10-22T00:00:00Z")};
  std::vector<std::string> seen;
  for (const TimeSpan bucket : grid.buckets(day)) {
    seen.push_back(to_text(bucket.start, 0).substr(8, 8) + "-" +
                   to_text(bucket.stop, 0).substr(11, 5));
  }
  CHECK(seen == std::vector<std::string>{"20T09:00-09:40", "20T09:40-10:20", "20T10:20-10:30",
                                         "21T09:00-09:40", "21T09:40-10:20", "21T10:20-10:30"});
  const Grid nights(Period::of_days(1), {.zone = Zone::find("Europe/Dublin"),
                                         .calendar = Calendar(Weekend{}, {}),
                                         .hours = hours("22:00-06:00")});
  // Friday's session ends on Saturday, an hour late by the clocks that go back on Sunday.
  const auto n = nights.index_of(at("2025-10-25T03:00:00Z"));
  CHECK(nights.bucket(n) == TimeSpan{at("2025-10-24T21:00:00Z"), at("2025-10-25T05:00:00Z")});
  CHECK(nights.edge(n + 1) == at("2025-10-27T22:00:00Z"));
  CHECK(!nights.holds(at("2025-10-25T12:00:00Z")));
}

TEST_CASE("the overlap of two grids is where their buckets meet", "[grid]") {
  const Grid hours_of(1h), odd(25min);
  const TimeSpan within{at("2025-10-20T00:10:00Z"), at("2025-10-20T02:30:00Z")};
  const auto meets = overlaps(hours_of, odd, within);
  REQUIRE(!meets.empty());
  Instant t = within.start;
  for (const Overlap& meet : meets) {
    CHECK(meet.span.start == t);
    CHECK(meet.span.stop > meet.span.start);
    CHECK(hours_of.index_of(meet.span.start) == meet.a);
    CHECK(odd.index_of(meet.span.stop - Nanoseconds(1)) == meet.b);
    t = meet.span.stop;
  }
  CHECK(t == within.stop);
  CHECK(overlaps(hours_of, Grid(1h, {.hours = hours("09:00-10:00")}), within).empty());
  CHECK(overlaps(hours_of, odd, {within.start, within.start}).empty());
}

TEST_CASE("hours are written from one clock to another", "[grid]") {
  CHECK(to_text(hours("22:00-06:00")) == "22:00-06:00");
  CHECK(hours("00:00-24:00").until == 24h);
  for (const char* wrong : {"9-17", "09:00", "09:00-25:00", "09:00-09:00", "09:60-10:00",
                            "24:00-06:00", "ab:cd-10:00", "09:00-17:30h"}) {
    INFO(wrong);
    Hours read;
    CHECK_THROWS_AS(from_text(wrong, read), Error);
  }
  CHECK_THROWS_WITH(Grid(Period::of_months(1), {.hours = hours("09:00-17:30")}),
                    Catch::Contains("hours go with a fixed period"));
  CHECK_THROWS_WITH(Grid(1h, {.anchor = at("2025-10-20T00:00:00Z"), .hours = hours("09:00-17:30")}),
                    Catch::Contains("contradict"));
}

}  // namespace zerobeat::testing
