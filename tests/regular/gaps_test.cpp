#include <algorithm>
#include <zerobeat/regular/gaps.hpp>
#include <zerobeat/regular/profile.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

double number(const Table& table, const char* name, std::size_t row) {
  return table.column(name).numbers_or(0)[row];
}

std::string text(const Table& table, const char* name, std::size_t row) {
  return table.column(name).valid(row) ? table.column(name).text(row) : "";
}

/// A reading every ten minutes, but where rows or readings are left out.
Timeline gauge(const std::string& day, int rows, const std::vector<int>& no_row,
               const std::vector<int>& no_reading, const Zone& zone = {}) {
  Rows out;
  Readings level, kg;
  for (int i = 0; i < rows; ++i) {
    if (std::ranges::find(no_row, i) != no_row.end()) continue;
    out.times.push_back(at(day) + std::chrono::minutes(10 * i));
    level.push_back(std::ranges::find(no_reading, i) != no_reading.end() ? std::nullopt
                                                                         : std::optional(1.0 * i));
    kg.emplace_back(1.0);
  }
  out.columns = {{"level", column_of(level)}, {"kg", column_of(kg)}};
  return timeline_of(out, zone);
}

}  // namespace

TEST_CASE("gaps of records come first, then runs of missing readings", "[gaps]") {
  const auto level = gauge("2025-10-20T00:00:00Z", 20, {5, 6, 7, 8}, {0, 11, 12, 19});
  const auto found = find_gaps(level);
  REQUIRE(found.size() == 4);
  CHECK(found[0].column.empty());
  CHECK(found[0].from == clock("00:40"));
  CHECK(found[0].to == clock("01:30"));
  CHECK(found[0].rows == 4);
  // At an end from its first, or to its last row; else from reading to reading.
  CHECK(found[1].column == "level");
  CHECK(found[1].from == clock("00:00"));
  CHECK(found[1].to == clock("00:10"));
  CHECK(found[1].rows == 1);
  CHECK(found[2].from == clock("01:40"));
  CHECK(found[2].to == clock("02:10"));
  CHECK(found[2].rows == 2);
  CHECK(found[3].from == clock("03:00"));
  CHECK(found[3].to == clock("03:10"));
  // Whatever --on says, records are told; a greater factor finds fewer.
  CHECK(find_gaps(level, {.on = {"kg"}}).size() == 1);
  CHECK(find_gaps(level, {.on = {"kg"}, .gap_factor = 5}).empty());
  CHECK_THROWS_WITH(find_gaps(level, {.on = {"leve"}}), Catch::Contains("did you mean level"));
  CHECK_THROWS_WITH(find_gaps(level, {.gap_factor = 0}), Catch::Contains("above 0"));

  const TableResult made = gaps(level, {});
  CHECK(made.table.names() == std::vector<std::string>{"column", "from", "to", "length_s", "rows"});
  CHECK(number(made.table, "length_s", 0) == 3000);
  CHECK(text(made.table, "column", 0).empty());
  CHECK_THAT(made.account.last().notes.at(0),
             Catch::Contains("1 gap of records: shortest 50 min, median 50 min") &&
                 Catch::Contains("% covered"));
  CHECK_THAT(made.account.last().notes.at(1), Catch::Contains("level: 3 runs of missing readings"));
}

TEST_CASE("gaps agree with their definition on random rows", "[gaps]") {
  const Timeline timeline = random_timeline(400, 5, 3, 0.4);
  const auto found = find_gaps(timeline, {.on = {"level"}, .gap_factor = 2});
  std::size_t at = 0;
  for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
    const Strand& strand = timeline.strands()[s];
    const auto times = timeline.times();
    const double step =
        static_cast<double>(typical_step(times.subspan(strand.begin, strand.size()))->count());
    for (std::size_t i = strand.begin + 1; i < strand.end; ++i) {
      const double length = static_cast<double>((times[i] - times[i - 1]).count());
      if (length <= 2 * step) continue;
      REQUIRE(at < found.size());
      CHECK(found[at].from == times[i - 1]);
      CHECK(found[at].rows == std::llround(length / step) - 1);
      CHECK(found[at++].strand == s);
    }
    const Readings level = readings(timeline, "level");
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (level[i] || (i > strand.begin && !level[i - 1])) continue;
      std::size_t end = i;
      while (end < strand.end && !level[end]) ++end;
      REQUIRE(at < found.size());
      CHECK(found[at].from == times[i > strand.begin ? i - 1 : i]);
      CHECK(found[at].to == times[end < strand.end ? end : end - 1]);
      CHECK(found[at++].rows == static_cast<std::int64_t>(end - i));
    }
  }
  CHECK(at == found.size());
}

TEST_CASE("what is missing is told by parts of the calendar, zeros too", "[gaps]") {
  // Three days from noon; the second one lacks its records from 06:00 to 12:00.
  std::vector<int> no_row;
  for (int i = 109; i < 144; ++i) no_row.push_back(i);
  const auto level = gauge("2025-10-20T12:00:00Z", 360, no_row, {10, 11});
  const TableResult made =
      gaps(level, {.on = {"level"}, .by = {{Part::Kind::month}, {Part::Kind::day}}});
  const Table& table = made.table;
  CHECK(table.names() ==
        std::vector<std::string>{"month", "day", "column", "missing_s", "missing_share"});
  REQUIRE(table.rows() == 6);
  CHECK(number(table, "day", 0) == 20);
  CHECK(number(table, "missing_s", 0) == 0);
  // From ten minutes after the last reading to the next.
  CHECK(text(table, "column", 1) == "level");
  CHECK(number(table, "missing_s", 1) == 1200);
  CHECK(number(table, "missing_share", 1) == Approx(1200.0 / 43'200));
  CHECK(number(table, "missing_s", 2) == 35 * 600);
  CHECK(number(table, "missing_share", 2) == Approx(35 * 600.0 / 86'400));
  // A gap of records is one of every column.
  CHECK(number(table, "missing_s", 3) == 35 * 600);
  CHECK(number(table, "day", 4) == 22);
  CHECK(number(table, "missing_share", 4) == 0);
}

TEST_CASE("parts go by the zone's clocks", "[gaps]") {
  // From 22:30 UTC on 19 October, which is 23:30 in Dublin; missing from 00:10 local to 01:00.
  const auto level =
      gauge("2025-10-19T22:30:00Z", 12, {}, {4, 5, 6, 7, 8}, Zone::find("Europe/Dublin"));
  const TableResult made =
      gaps(level, {.on = {"level"}, .by = {{Part::Kind::day}, {Part::Kind::hour}}});
  const Table& table = made.table;
  REQUIRE(table.rows() == 6);
  CHECK(number(table, "day", 1) == 19);
  CHECK(number(table, "hour", 1) == 23);
  CHECK(number(table, "missing_s", 1) == 0);
  CHECK(number(table, "hour", 3) == 0);
  CHECK(number(table, "missing_s", 3) == 50 * 60);
  CHECK(number(table, "missing_share", 3) == Approx(50.0 / 60));
  CHECK(number(table, "hour", 5) == 1);
  const TableResult weekdays = gaps(level, {.on = {"level"}, .by = {{Part::Kind::weekday}}});
  CHECK(weekdays.table.column("weekday").text(0) == "mon");
  CHECK_THROWS_WITH(gaps(level, {.by = {{Part::Kind::hour}, {Part::Kind::hour}}}),
                    Catch::Contains("given twice"));
  CHECK_THROWS_WITH(gaps(level, {.by = {{Part::Kind::value, {}}}}),
                    Catch::Contains("parts of the calendar"));
}

TEST_CASE("strands of one record, or of none, have no gaps", "[gaps]") {
  CHECK(find_gaps(strand("00:10 1")).empty());
  CHECK(gaps(strand("00:10 1"), {.by = {{Part::Kind::day}}}).table.rows() == 2);
  const auto none = gauge("2025-10-20T00:00:00Z", 3, {}, {0, 1, 2});
  const auto found = find_gaps(none, {.on = {"level"}});
  REQUIRE(found.size() == 1);
  CHECK(found[0].rows == 3);
  CHECK(missing_spans(none, 0, &none.values().column("level")) ==
        std::vector<TimeSpan>{{clock("00:00"), clock("00:20")}});
}

TEST_CASE("each day by itself is a part, and days without a record are there", "[gaps]") {
  const Timeline days_apart = strand("2025-10-20T00:00:00Z 1", "2025-10-20T06:00:00Z 2",
                                     "2025-10-20T12:00:00Z 3", "2025-10-23T12:00:00Z 4");
  const TableResult by_date = gaps(days_apart, {.on = {"level"}, .by = {{Part::Kind::date}}});
  const Column dates = by_date.table.column("date");
  REQUIRE(by_date.table.rows() == 8);
  CHECK(dates.text(0) == "2025-10-20");
  CHECK(dates.text(7) == "2025-10-23");
  const auto missing_s = by_date.table.column("missing_s");
  // A step of six hours after the reading at noon.
  CHECK(missing_s.numbers()[0] == 6 * 3600.0);
  CHECK(missing_s.numbers()[2] == 24 * 3600.0);
  CHECK(missing_s.numbers()[6] == 12 * 3600.0);
  const auto counts = profile(days_apart, {.by = {{Part::Kind::date}}, .take = {count()}});
  CHECK(counts.table.column("date").text(1) == "2025-10-21");
  CHECK(std::ranges::equal(counts.table.column("count").integers(),
                           std::vector<std::int64_t>{3, 0, 0, 1}));
}

}  // namespace zerobeat::testing
