#include <algorithm>
#include <map>
#include <zerobeat/regular/profile.hpp>

#include "regular/parts.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

Part part(const char* text) {
  Part read;
  from_text(text, read);
  return read;
}

Readings column(const ProfileTable& made, const std::string& name) {
  Readings out;
  const Column numbers = made.table.column(name).as_numbers();
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    out.push_back(numbers.valid(i) ? std::optional(numbers.numbers()[i]) : std::nullopt);
  }
  return out;
}

/// Readings every so often over some days, the reading the local hour.
Timeline hours_of(const Zone& zone, const char* from, const char* until, Nanoseconds step) {
  std::vector<Instant> times;
  Readings level;
  for (Instant t = at(from); t < at(until); t += step) {
    times.push_back(t);
    const auto local = zone.local_of(t);
    const auto into = local - std::chrono::floor<std::chrono::days>(local);
    level.push_back(std::chrono::floor<std::chrono::hours>(into).count());
  }
  return timeline_of({times, {}, {{"level", column_of(level)}}}, zone);
}

}  // namespace

TEST_CASE("hours of the day are those on the wall, when the clocks change too", "[profile]") {
  for (const char* name : {"Europe/Dublin", "Asia/Kathmandu", "Australia/Lord_Howe"}) {
    const Zone zone = Zone::find(name);
    const auto timeline = hours_of(zone, "2025-10-01T00:00:00Z", "2025-11-01T00:00:00Z", 15min);
    const auto made = profile(
        timeline,
        {.by = {part("hour")}, .take = {min("level"), max("level"), twmean("level"), count()}});
    REQUIRE(made.table.rows() == 24);
    double records = 0;
    for (std::size_t h = 0; h < 24; ++h) {
      const auto hour = static_cast<double>(h);
      INFO(name << " " << h);
      CHECK(column(made, "hour")[h] == hour);
      CHECK(column(made, "level_min")[h] == hour);
      CHECK(column(made, "level_max")[h] == hour);
      // Readings are on the quarter hours of every zone, so that each stands within its hour.
      CHECK(near({column(made, "level_twmean")[h]}, {hour}));
      records += *column(made, "count")[h];
    }
    CHECK(records == static_cast<double>(timeline.rows()));
  }
}

TEST_CASE("parts crossed agree with a plain loop", "[profile]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  Timeline::Parts parts = random_timeline(5000, 61, 2, 0.3).parts();
  parts.zone = dublin;
  const Timeline timeline{parts};
  const Readings level = readings(timeline, "level");
  const auto made = profile(timeline, {.by = {part("weekday"), part("hour")},
                                       .take = {count(), mean("level"), median("level")}});
  REQUIRE(made.table.rows() == 2 * 7 * 24);
  for (std::size_t s = 0; s < 2; ++s) {
    std::map<std::size_t, std::vector<double>> cells;
    std::map<std::size_t, double> records;
    const Strand& strand = timeline.strands()[s];
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      const auto local = dublin.local_of(timeline.times()[i]);
      const auto day = std::chrono::floor<std::chrono::days>(local);
      const auto weekday = std::chrono::weekday(std::chrono::local_days(day)).iso_encoding() - 1;
      const auto hour = std::chrono::floor<std::chrono::hours>(local - day).count();
      const std::size_t cell = weekday * 24 + static_cast<std::size_t>(hour);
      ++records[cell];
      if (level[i]) cells[cell].push_back(*level[i]);
    }
    for (std::size_t cell = 0; cell < 7 * 24; ++cell) {
      const std::size_t row = s * 7 * 24 + cell;
      auto& x = cells[cell];
      std::sort(x.begin(), x.end());
      double total = 0;
      for (const double value : x) total += value;
      const auto n = static_cast<double>(x.size());
      const std::size_t half = x.size() / 2;
      REQUIRE(column(made, "count")[row] == records[cell]);
      REQUIRE(near({column(made, "level_mean")[row]},
                   {x.empty() ? std::nullopt : std::optional(total / n)}));
      REQUIRE(near({column(made, "level_median")[row]},
                   {x.empty()           ? std::nullopt
                    : x.size() % 2 == 1 ? std::optional(x[half])
                                        : std::optional((x[half - 1] + x[half]) / 2)}));
      REQUIRE(made.table.column("probe").text(row) == "cold_" + std::to_string(s + 1));
    }
  }
}

TEST_CASE("parts of the calendar are those of ISO 8601", "[profile]") {
  detail::PartReader reader(Zone(), WeekStart::mon);
  using Kind = Part::Kind;
  reader.go_to(at("2027-01-03T23:59:59Z"));  // a Sunday of the 53rd week of 2026
  CHECK(reader.number(Kind::week) == 53);
  CHECK(reader.number(Kind::weekday) == 6);
  CHECK(reader.number(Kind::yearday) == 3);
  CHECK(reader.number(Kind::minute) == 59);
  reader.go_to(at("1968-12-30T00:00:00Z"));
  CHECK(reader.number(Kind::week) == 1);
  CHECK(reader.number(Kind::quarter) == 4);
  CHECK(reader.number(Kind::year) == 1968);
  const Zone zone;
  detail::PartReader from_sunday(zone, WeekStart::sun);
  from_sunday.go_to(at("2025-10-26T12:00:00Z"));
  CHECK(from_sunday.number(Kind::weekday) == 0);
}

TEST_CASE("over years, each part has the mean of the years and their spread", "[profile]") {
  // January: 1, 3; 5 and none in the third year's February.
  const auto level = strand("2023-01-10T00:00 1", "2023-02-10T00:00 4", "2024-01-10T00:00 3",
                            "2024-01-20T00:00 5", "2024-02-10T00:00 6", "2025-01-10T00:00 8");
  const auto made = profile(
      level,
      {.by = {part("month")}, .take = {mean("level").as("m")}, .over = Period::of_months(12)});
  CHECK(column(made, "m")[0] == Approx((1.0 + 4.0 + 8.0) / 3));
  CHECK(column(made, "m_std")[0] ==
        Approx(std::sqrt((3.3333333333 * 3.3333333333 + 0.3333333333 * 0.3333333333 +
                          3.6666666667 * 3.6666666667) /
                         2)));
  CHECK(column(made, "m_min")[0] == 1);
  CHECK(column(made, "m_max")[0] == 8);
  CHECK(column(made, "m_n")[0] == 3);
  CHECK(column(made, "m")[1] == 5);
  CHECK(column(made, "m")[2] == std::nullopt);
  CHECK(column(made, "m_n")[2] == 0);
  CHECK(made.takes == std::vector<std::string>{"m"});
}

TEST_CASE("buckets of values go by value", "[profile]") {
  const auto trades =
      timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:30"), clock("00:40")},
                   {},
                   {{"kg", column_of({-1.0, 0.3, 24.9, 75.0, missing})},
                    {"price", column_of({1.0, 2.0, 4.0, 5.0, 6.0})}}});
  const auto made = profile(trades, {.by = {part("kg:25")}, .take = {mean("price"), count()}});
  CHECK(column(made, "kg_from") == Readings{-25, 0, 25, 50, 75});
  CHECK(column(made, "kg_to") == Readings{0, 25, 50, 75, 100});
  CHECK(column(made, "price_mean") == Readings{1, 3, missing, missing, 5});
  CHECK(column(made, "count") == Readings{1, 2, 0, 0, 1});
  CHECK_THAT(made.account.last().notes.at(0), Catch::Contains("1 records without a value"));
  // Tenths: what division rounds stays in the bucket whose edges hold it.
  std::vector<Instant> times;
  Readings tenths;
  for (int i = 0; i < 1000; ++i) {
    times.push_back(clock("00:00") + i * 1s);
    tenths.push_back(i * 0.1);
  }
  const auto fine = profile(timeline_of({times, {}, {{"x", column_of(tenths)}}}),
                            {.by = {part("x:0.1")}, .take = {min("x"), max("x")}});
  for (std::size_t i = 0; i < fine.table.rows(); ++i) {
    if (!column(fine, "x_min")[i]) continue;
    REQUIRE(*column(fine, "x_min")[i] >= *column(fine, "x_from")[i]);
    REQUIRE(*column(fine, "x_max")[i] < *column(fine, "x_to")[i]);
  }
}

TEST_CASE("a profile refuses what makes none", "[profile]") {
  const auto level = strand("00:00 1", "01:00 2");
  CHECK_THROWS_WITH(profile(level, {}), Catch::Contains("‹by› hour"));
  CHECK_THROWS_WITH(part("hours"), Catch::Contains("did you mean hour"));
  CHECK_THROWS_AS(part("value"), Error);
  CHECK_THROWS_WITH(profile(level, {.by = {part("hour"), part("hour")}}), Catch::Contains("twice"));
  CHECK_THROWS_WITH(profile(level, {.by = {part("level:0.000000001")}}), Catch::Contains("rows"));
  CHECK_THROWS_WITH(profile(level, {.by = {part("level:1")}, .take = {twmean("level")}}),
                    Catch::Contains("does not go by values"));
  CHECK_THROWS_AS(profile(level, {.by = {part("hour")}, .take = {take::at("level")}}), Error);
  CHECK_THROWS_AS(profile(level, {.by = {part("hour")}, .take = {first_time("level")}, .over = 1h}),
                  Error);
  CHECK(profile(level, {.by = {part("hour")}, .empty = Resample::Empty::skip}).table.rows() == 2);
  const Timeline nothing = timeline_of({{}, {}, {{"level", column_of({})}}});
  CHECK(profile(nothing, {.by = {part("hour")}}).table.rows() == 0);
}

}  // namespace zerobeat::testing
