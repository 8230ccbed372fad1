#include "model/beat.hpp"

#include "support/strand.hpp"

namespace zerobeat::testing {

using detail::Beat;

namespace {

Timeline at_times(const std::vector<std::string>& texts, const Zone& zone = {}) {
  std::vector<Instant> times;
  Readings readings;
  for (const auto& text : texts) {
    times.push_back(at(text));
    readings.push_back(1);
  }
  return timeline_of({times, {}, {{"level", column_of(readings)}}}, zone);
}

Beat beat(const Timeline& timeline, const detail::BeatOptions& options = {}) {
  return detail::beat_of(timeline, timeline.strands()[0], options);
}

std::int64_t season(const char* text, const Timeline& timeline,
                    const detail::BeatOptions& options = {}) {
  return detail::rows_of_season(Extent(text), beat(timeline, options),
                                options.calendar ? &*options.calendar : nullptr);
}

}  // namespace

TEST_CASE("rows that follow each other evenly have a beat", "[beat]") {
  const auto quarter =
      at_times({"2025-10-20T00:00:00Z", "2025-10-20T00:15:00Z", "2025-10-20T00:30:00Z"});
  CHECK(beat(quarter).kind == Beat::Kind::fixed);
  CHECK(season("1d", quarter) == 96);
  CHECK(season("1h", quarter) == 4);
  CHECK(season("12", quarter) == 12);
  CHECK_THROWS_WITH(season("20min", quarter),
                    Catch::Contains("‹season› 20min") && Catch::Contains("no whole number"));
  CHECK_THROWS_WITH(season("15min", quarter), Catch::Contains("at least 2 rows"));
  CHECK(beat(at_times({"2025-10-20T00:00:00Z"})).kind == Beat::Kind::none);
}

TEST_CASE("days follow the clocks of the zone", "[beat]") {
  // Local midnights over the day of 25 hours.
  const auto days = at_times({"2025-10-24T23:00:00Z", "2025-10-25T23:00:00Z",
                              "2025-10-27T00:00:00Z", "2025-10-28T00:00:00Z"},
                             Zone("Europe/Dublin"));
  CHECK(beat(days).kind == Beat::Kind::days);
  CHECK(season("1wk", days) == 7);
  CHECK(season("1year", days) == 365);
  CHECK_THROWS_AS(season("1month", days), Error);
  // And in UTC they are none.
  CHECK_THROWS_AS(beat(at_times({"2025-10-24T23:00:00Z", "2025-10-25T23:00:00Z",
                                 "2025-10-27T00:00:00Z", "2025-10-28T00:00:00Z"})),
                  Error);
}

TEST_CASE("months keep their day, or the last of a shorter month", "[beat]") {
  const auto ends = at_times({"2025-01-31T00:00:00Z", "2025-02-28T00:00:00Z",
                              "2025-03-31T00:00:00Z", "2025-04-30T00:00:00Z"});
  CHECK(beat(ends).kind == Beat::Kind::months);
  CHECK(season("1year", ends) == 12);
  CHECK(season("1quarter", ends) == 3);
  CHECK_THROWS_AS(season("1wk", ends), Error);
  // Begun on the last of February.
  const auto from_february =
      at_times({"2025-02-28T00:00:00Z", "2025-03-30T00:00:00Z", "2025-04-30T00:00:00Z"});
  CHECK(beat(from_february).kind == Beat::Kind::months);
  const auto years =
      at_times({"2023-01-01T00:00:00Z", "2024-01-01T00:00:00Z", "2025-01-01T00:00:00Z"});
  CHECK(beat(years).step == 12);
  CHECK_THROWS_WITH(season("1year", years), Catch::Contains("at least 2 rows"));
  // Two rows have the longest beat that fits.
  CHECK(beat(at_times({"2025-01-01T00:00:00Z", "2025-02-01T00:00:00Z"})).kind ==
        Beat::Kind::months);
  CHECK_THROWS_AS(
      beat(at_times({"2025-01-30T00:00:00Z", "2025-02-28T00:00:00Z", "2025-03-28T00:00:00Z"})),
      Error);
}

TEST_CASE("working days are a beat only when a calendar says so", "[beat]") {
  const auto worked = at_times({"2025-10-23T00:00:00Z", "2025-10-24T00:00:00Z",
                                "2025-10-27T00:00:00Z", "2025-10-28T00:00:00Z"});
  CHECK_THROWS_AS(beat(worked), Error);
  const detail::BeatOptions weekends{.calendar = Calendar(Weekend{}, {})};
  CHECK(beat(worked, weekends).kind == Beat::Kind::working_days);
  CHECK(season("1wk", worked, weekends) == 5);
  CHECK(season("10", worked, weekends) == 10);
}

TEST_CASE("by rows they are taken as they come, the typical step their beat", "[beat]") {
  const auto uneven = at_times({"2025-10-20T00:00:00Z", "2025-10-20T00:10:00Z",
                                "2025-10-20T00:21:00Z", "2025-10-20T00:31:00Z"});
  CHECK(beat(uneven, {.by_rows = true}).step == 600'000'000'000);
  CHECK(season("1h", uneven, {.by_rows = true}) == 6);
}

TEST_CASE("what is not even is refused, with the strand and the first step that differs",
          "[beat]") {
  const Timeline two =
      timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:00"), clock("00:10"),
                    clock("00:20"), clock("00:40"), clock("00:50")},
                   {"a", "a", "a", "b", "b", "b", "b", "b"},
                   {{"level", column_of(Readings(8, 1.0))}}});
  CHECK_THROWS_WITH(detail::beat_of(two, two.strands()[1], {}),
                    Catch::Contains("\"b\": ") &&
                        Catch::Contains("from 2025-10-20T00:20:00Z to 2025-10-20T00:40:00Z is 20 "
                                        "min, where 10 min is typical") &&
                        Catch::Contains("resample ‹every›") && Catch::Contains("‹by_rows›"));
}

}  // namespace zerobeat::testing
