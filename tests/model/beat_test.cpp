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

TEST_CASE("a beat goes on after the last row, and a period holds so many of its rows", "[beat]") {
  const auto ahead = [](const Timeline& timeline, const char* period,
                        const detail::BeatOptions& options = {}) {
    const Strand strand = timeline.strands()[0];
    const Beat kept = detail::beat_of(timeline, strand, options);
    Period length;
    from_text(period, length);
    const auto count = detail::rows_within(timeline, strand, kept, options, length);
    const auto times = detail::instants_ahead(timeline, strand, kept, options, count + 1);
    // One row more lies beyond it, unless a month's end stands in for a day that it has not.
    CHECK(std::ranges::is_sorted(times));
    return std::pair(
        count, to_text(times[static_cast<std::size_t>(std::max<std::int64_t>(count, 1) - 1)]));
  };
  using Told = std::pair<std::int64_t, std::string>;
  const auto quarter = at_times({"2025-10-20T00:00:00Z", "2025-10-20T00:15:00Z"});
  CHECK(ahead(quarter, "1h") == Told{4, "2025-10-20T01:15:00Z"});
  CHECK(ahead(quarter, "29min") == Told{1, "2025-10-20T00:30:00Z"});
  CHECK(ahead(quarter, "14min").first == 0);
  const auto ends = at_times({"2025-08-31T00:00:00Z", "2025-09-30T00:00:00Z"});
  CHECK(ahead(ends, "1month") == Told{1, "2025-10-31T00:00:00Z"});
  CHECK(ahead(ends, "1year") == Told{12, "2026-09-30T00:00:00Z"});
  CHECK(ahead(ends, "40d") == Told{1, "2025-10-31T00:00:00Z"});
  // Through the night of 25 hours a day has 100 quarters of an hour.
  const auto evening =
      at_times({"2025-10-25T22:45:00Z", "2025-10-25T23:00:00Z"}, Zone("Europe/Dublin"));
  CHECK(ahead(evening, "1d").first == 100);
  CHECK(ahead(evening, "24h").first == 96);
  detail::BeatOptions working;
  working.calendar = Calendar(Weekend{}, {});
  const auto days = at_times({"2025-10-23T00:00:00Z", "2025-10-24T00:00:00Z"});
  CHECK(ahead(days, "1wk", working) == Told{5, "2025-10-31T00:00:00Z"});
  CHECK(ahead(days, "1wk") == Told{7, "2025-10-31T00:00:00Z"});
  // A strand of one row has none.
  const auto one = at_times({"2025-10-23T00:00:00Z"});
  CHECK(detail::instants_ahead(one, one.strands()[0], beat(one), {}, 3).empty());
  CHECK(detail::rows_within(one, one.strands()[0], beat(one), {}, Period{}) == 0);
}

}  // namespace zerobeat::testing
