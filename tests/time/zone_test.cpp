#include <zerobeat/time/grid.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono;
using namespace std::chrono_literals;

local_seconds local(const std::string& text) {
  return local_seconds(floor<seconds>(at(text + "Z")).time_since_epoch());
}

}  // namespace

TEST_CASE("a zone names repeated and skipped local times", "[zone]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  using Kind = Zone::LocalStretch::Kind;
  CHECK(dublin.stretch(local("2025-10-26T00:59:59")).kind == Kind::unique);
  CHECK(dublin.stretch(local("2025-10-26T01:00:00")).kind == Kind::repeated);
  CHECK(dublin.stretch(local("2025-10-26T01:59:59")).kind == Kind::repeated);
  CHECK(dublin.stretch(local("2025-10-26T02:00:00")).kind == Kind::unique);
  CHECK(dublin.stretch(local("2025-03-30T01:00:00")).kind == Kind::skipped);
  CHECK(dublin.stretch(local("2025-03-30T02:00:00")).kind == Kind::unique);
  const auto repeated = dublin.stretch(local("2025-10-26T01:30:00"));
  CHECK(repeated.from == local("2025-10-26T01:00:00"));
  CHECK(repeated.until == local("2025-10-26T02:00:00"));
  CHECK(repeated.offset == 1h);
  CHECK(repeated.later_offset == 0h);
}

TEST_CASE("a zone's rule holds past 2037", "[zone]") {
  CHECK(Zone::find("Europe/London").offset_at(at("2040-07-01T00:00:00Z")) == 1h);
}

TEST_CASE("every stretch of a zone agrees with look-ups of its seconds", "[zone]") {
  for (const char* name : {"Europe/Dublin", "Australia/Lord_Howe", "Pacific/Apia"}) {
    const Zone zone = Zone::find(name);
    for (Instant t = at("2011-06-01"); t < at("2012-06-01"); t += 7h + 13min) {
      const auto stretch = zone.offset_stretch(floor<seconds>(t));
      CHECK(stretch.offset == zone.offset_at(t));
      CHECK((floor<seconds>(t) >= stretch.from && floor<seconds>(t) < stretch.until));
      const auto seen = zone.stretch(floor<seconds>(zone.local_of(t)));
      CHECK((seen.offset == stretch.offset || seen.later_offset == stretch.offset));
    }
  }
}

TEST_CASE("an unknown zone is met with the nearest", "[zone]") {
  CHECK_THROWS_WITH(Zone::find("Europe/Dubln"), Catch::Contains("did you mean Europe/Dublin?"));
  CHECK_THROWS_AS(Zone::find("/etc/localtime"), Error);
  CHECK_THROWS_AS(Zone::find("../UTC"), Error);
}

TEST_CASE("a fixed grid counts from 1970, before it too", "[grid]") {
  const Grid grid(15min);
  CHECK(grid.edge(0) == at("1970-01-01T00:00:00Z"));
  CHECK(grid.index_of(at("1969-12-31T23:59:59Z")) == -1);
  CHECK(grid.edge(grid.index_of(at("2025-10-20T10:14:59Z"))) == at("2025-10-20T10:00:00Z"));
  const Grid anchored(1h, {.anchor = at("2025-10-20T00:20:00Z")});
  CHECK(anchored.edge(anchored.index_of(at("2025-10-20T10:19:59Z"))) == at("2025-10-20T09:20:00Z"));
}

TEST_CASE("calendar grids have days of 23, 24 and 25 hours", "[grid]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  const Grid days(Period::of_days(1), {.zone = dublin});
  const auto length = [&](const char* noon) {
    const auto n = days.index_of(at(noon));
    return days.edge(n + 1) - days.edge(n);
  };
  CHECK(length("2025-10-26T12:00:00Z") == 25h);
  CHECK(length("2025-03-30T12:00:00Z") == 23h);
  CHECK(length("2025-10-20T12:00:00Z") == 24h);
  const Grid weeks(Period::of_days(7), {.zone = dublin, .week_starts = WeekStart::sun});
  CHECK(weeks.edge(weeks.index_of(at("2025-10-22T12:00:00Z"))) == at("2025-10-18T23:00:00Z"));
  const Grid months(Period::of_months(1), {.anchor = at("2025-01-31T06:00:00Z")});
  CHECK(months.edge(1) == at("2025-02-28T06:00:00Z"));
  CHECK(months.edge(2) == at("2025-03-31T06:00:00Z"));
}

TEST_CASE("every instant lies in just one bucket of any grid", "[grid]") {
  std::mt19937_64 random(5);
  const Zone zones[] = {Zone(), Zone::find("Europe/Dublin"), Zone::find("Pacific/Apia")};
  const Period periods[] = {7min,
                            90s,
                            36h,
                            Period::of_days(1),
                            Period::of_days(14),
                            Period::of_months(1),
                            Period::of_months(12)};
  for (const Zone& zone : zones) {
    for (const Period& period : periods) {
      const Grid grid(period, {.zone = zone});
      for (int i = 0; i < 300; ++i) {
        const Instant t =
            at("1950-01-01") + seconds(static_cast<std::int64_t>(random() % 4'000'000'000));
        const auto n = grid.index_of(t);
        CHECK((grid.edge(n) <= t && t < grid.edge(n + 1)));
      }
    }
  }
}

TEST_CASE("a grid of working days has no bucket for a day off, and no instant without one",
          "[grid]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  const auto day = [](int y, unsigned m, unsigned d) {
    return local_days(year(y) / month(m) / std::chrono::day(d));
  };
  const Calendar calendar(Weekend{}, {day(2025, 10, 27), day(1969, 12, 25)});
  const Grid grid(Period::of_days(1), {.zone = dublin, .calendar = calendar});
  const auto friday = grid.index_of(read_instant("2025-10-24T12:00", dublin));
  CHECK(grid.index_of(read_instant("2025-10-26T12:00", dublin)) == friday);
  CHECK(grid.index_of(read_instant("2025-10-27T23:59", dublin)) == friday);
  CHECK(grid.edge(friday) == read_instant("2025-10-24", dublin));
  CHECK(grid.edge(friday + 1) == read_instant("2025-10-28", dublin));
  std::mt19937_64 random(5);
  for (const int n : {1, 2, 5}) {
    const Grid some(Period::of_days(n),
                    {.zone = dublin, .anchor = at("2025-10-25T09:30:00Z"), .calendar = calendar});
    for (int i = 0; i < 500; ++i) {
      const Instant t =
          instant_of(static_cast<std::int64_t>(random() % 4'000'000'000) * 1'000'000'000 -
                     1'000'000'000'000'000'000);
      const auto bucket = some.index_of(t);
      REQUIRE(some.edge(bucket) <= t);
      REQUIRE(t < some.edge(bucket + 1));
      const auto first = floor<days>(dublin.local_of(some.edge(bucket)));
      REQUIRE(calendar.is_working_day(first));
      REQUIRE(calendar.working_days(first, floor<days>(dublin.local_of(some.edge(bucket + 1)))) ==
              n);
    }
  }
  CHECK_THROWS_AS(Grid(1h, {.zone = dublin, .calendar = calendar}), Error);
}

TEST_CASE("a grid refuses what is no period", "[grid]") {
  CHECK_THROWS_AS(Grid(Period()), Error);
  Period mixed = Period::of_days(1);
  mixed.nanoseconds = 12h;
  CHECK_THROWS_WITH(Grid(mixed), Catch::Contains("mixes calendar and fixed"));
}

}  // namespace zerobeat::testing
