#include <algorithm>
#include <zerobeat/clean/select.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

template <typename Option>
Option option(const std::string& text) {
  Option read;
  from_text(text, read);
  return read;
}

std::string notes_of(const Timeline& timeline) {
  std::string all;
  for (const auto& note : timeline.account().last().notes) all += note + ";";
  return all;
}

/// The same choice, row by row.
std::vector<std::string> plainly(const Timeline& timeline, const Select& options) {
  const Zone& zone = timeline.zone();
  Instant first = Instant::max(), last = Instant::min();
  for (const Instant t : timeline.times()) {
    first = std::min(first, t);
    last = std::max(last, t);
  }
  const auto where = options.where.empty() ? Buffer<std::uint64_t>(timeline.rows() / 64 + 1, ~0ULL)
                                           : rows_where(options.where, timeline);
  std::vector<std::string> kept;
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      const Instant t = timeline.times()[i];
      const auto local = zone.local_of(t);
      const auto day = std::chrono::floor<std::chrono::days>(local);
      const std::chrono::year_month_day date(day);
      const auto minute = std::chrono::floor<std::chrono::minutes>(local - day);
      bool keep = (where[i / 64] >> (i % 64) & 1) != 0;
      if (options.between && !options.between->from.empty()) {
        keep &= t >= read_instant(options.between->from, zone);
      }
      if (options.between && !options.between->to.empty()) {
        keep &= t < read_instant(options.between->to, zone);
      }
      if (options.first) keep &= t < shift(first, *options.first, 1, zone);
      if (options.last) keep &= t > shift(last, *options.last, -1, zone);
      if (!options.keys.empty()) {
        keep &= std::ranges::find(options.keys, strand.key.value_or("")) != options.keys.end();
      }
      if (options.hours) {
        const auto& [from, until] = *options.hours;
        keep &= from < until ? minute >= from && minute < until : minute >= from || minute < until;
      }
      if (options.weekdays) {
        keep &= options.weekdays->days[std::chrono::weekday(day).c_encoding()];
      }
      if (options.months) keep &= options.months->months[static_cast<unsigned>(date.month())];
      if (options.working) {
        const unsigned weekday = std::chrono::weekday(day).c_encoding();
        keep &= weekday != 0 && weekday != 6;
      }
      if (keep) kept.push_back(strand.key.value_or("") + to_text(t, 9));
    }
  }
  return kept;
}

std::vector<std::string> rows_of(const Timeline& timeline) {
  std::vector<std::string> rows;
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      rows.push_back(strand.key.value_or("") + to_text(timeline.times()[i], 9));
    }
  }
  return rows;
}

}  // namespace

TEST_CASE("each way to select is the plain choice of rows, and so are all together", "[select]") {
  for (const int keys : {1, 4}) {
    Timeline::Parts parts = random_timeline(4'000, 21, keys).parts();
    parts.zone = Zone::find("Europe/Dublin");
    const Timeline timeline(std::move(parts));
    std::vector<Select> all{{.between = option<Between>("2025-10-20T06:00,2025-10-21")},
                            {.between = option<Between>("2025-10-20T06:00:00.250,")},
                            {.between = option<Between>(",2025-10-20T12")},
                            {.first = Period(5h)},
                            {.last = Period(5h)},
                            {.first = Period::of_days(1), .last = Period::of_days(1)},
                            {.hours = option<Hours>("22:00-05:30")},
                            {.hours = option<Hours>("09:00-17:00")},
                            {.weekdays = option<Weekdays>("sat-mon")},
                            {.months = option<Months>("11-2")},
                            {.months = option<Months>("10")},
                            {.working = true},
                            {.where = "level > 2 or kg = 7"},
                            {.between = option<Between>("2025-10-20T03:00,2025-10-22"),
                             .hours = option<Hours>("01:00-20:00"),
                             .weekdays = option<Weekdays>("mon-fri"),
                             .where = "known(level) and weight < 5"}};
    if (keys > 1) all.push_back({.keys = {"cold_3", "cold_1"}, .where = "row() < 100"});
    for (const Select& options : all) {
      INFO(describe_options(options));
      const Timeline kept = select(timeline, options);
      CHECK(rows_of(kept) == plainly(timeline, options));
      CHECK(kept.values().names() == timeline.values().names());
    }
  }
}

TEST_CASE("what is selected keeps its readings, whatever their type", "[select]") {
  const auto rows = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:30")},
                                 {},
                                 {{"level", column_of({1, missing, 3, 4})},
                                  {"kg", integers_of({missing, 2, 3, 4})},
                                  {"gear", texts_of({"pot", "", "line", "pot"})}}});
  const auto kept = select(rows, {.where = "not coalesce(level = 1,false)"});
  CHECK(readings(kept, "level") == Readings{missing, 3, 4});
  CHECK(readings(kept, "kg") == Readings{2, 3, 4});
  CHECK(texts(kept, "gear") == std::vector<std::string>{"", "line", "pot"});
  const auto narrow = select(rows, {.where = "gear = 'pot'", .columns = {"kg", "level"}});
  CHECK(narrow.values().names() == std::vector<std::string>{"kg", "level"});
  CHECK(readings(narrow, "kg") == Readings{missing, 4});
  // Nothing is copied when nothing is left out.
  const auto whole = select(rows, {.where = "true"});
  CHECK(whole.values().column("level").numbers().data() ==
        rows.values().column("level").numbers().data());
}

TEST_CASE("what was left out is told, by which option", "[select]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 3", "00:30 4", "00:40 5");
  const auto kept = select(level, {.between = option<Between>("2025-10-20T00:10,"),
                                   .hours = option<Hours>("00:00-00:40"),
                                   .where = "level > 2"});
  CHECK(readings(kept, "level") == Readings{3, 4});
  CHECK(notes_of(kept) == "rows left out: 1 by ‹between›, 1 by ‹hours›, 1 by ‹where›;");
  CHECK(notes_of(select(level, {.where = "1/(level-3) > 0"})) ==
        "rows left out: 3 by ‹where›;‹where›: 1 results are not finite, and missing;");
  const auto none = select(level, {.where = "level > 9"});
  CHECK(none.rows() == 0);
  CHECK(none.account().last().rows_out == 0);
  CHECK(none.strands().size() == 1);
}

TEST_CASE("strands of which nothing is left are gone", "[select]") {
  const auto two =
      timeline_of({{clock("00:00"), clock("00:00")}, {"a", "b"}, {{"level", column_of({1, 2})}}});
  const auto kept = select(two, {.where = "level > 1"});
  REQUIRE(kept.strands().size() == 1);
  CHECK(kept.strands()[0].key == "b");
}

TEST_CASE("what can't be selected is named", "[select]") {
  const auto level = strand("00:00 1");
  CHECK_THROWS_WITH(select(level, {.keys = {"a"}}), Catch::Contains("there is no key"));
  CHECK_THROWS_WITH(select(level, {.columns = {"levl"}}), Catch::Contains("did you mean level"));
  CHECK_THROWS_WITH(select(level, {.columns = {"level", "level"}}), Catch::Contains("twice"));
  CHECK_THROWS_WITH(select(level, {.where = "level"}),
                    Catch::Contains("‹where›: this is a number"));
  CHECK_THROWS_WITH(option<Between>(","), Catch::Contains("both sides are open"));
  CHECK_THROWS_WITH(option<Between>("2025"), Catch::Contains("is no range"));
  CHECK_THROWS_AS(option<Between>("soon,"), Error);
  CHECK_THROWS_WITH(select(level, {.between = option<Between>("2025-10-21,2025-10-20")}),
                    Catch::Contains("later than the second"));
  CHECK_THROWS_WITH(select(level, {.first = Period()}), Catch::Contains("longer than zero"));
  CHECK_THROWS_WITH(option<Weekdays>("mon-fry"), Catch::Contains("did you mean fri"));
  CHECK_THROWS_WITH(option<Months>("13"), Catch::Contains("from 1 to 12"));
}

TEST_CASE("weekdays and months are written back as they were meant", "[select]") {
  CHECK(to_text(option<Weekdays>("mon-fri,sun")) == "mon-fri,sun");
  CHECK(to_text(option<Weekdays>("sat-mon")) == "mon,sat,sun");
  CHECK(to_text(option<Months>("5-8,12")) == "5-8,12");
  CHECK(to_text(option<Months>("11-2")) == "1,2,11,12");
}

TEST_CASE("on an elapsed axis a range is of its numbers", "[select]") {
  Timeline::Parts parts = strand("00:00 1", "00:10 2", "00:20 3").parts();
  parts.axis = {ElapsedUnit::min};
  parts.times = Column::times(Buffer<Instant>(std::vector<Instant>{
      Instant{}, Instant{} + std::chrono::minutes(10), Instant{} + std::chrono::minutes(20)}));
  const Timeline run(std::move(parts));
  CHECK(readings(select(run, {.between = option<Between>("10,20")}), "level") == Readings{2});
  CHECK(readings(select(run, {.where = "level = level@10"}), "level") == Readings{2});
  CHECK_THROWS_WITH(select(run, {.hours = option<Hours>("00:00-01:00")}),
                    Catch::Contains("‹hours›"));
  CHECK_THROWS_WITH(select(run, {.where = "hour() = 1"}), Catch::Contains("hour() is of a clock"));
  CHECK_THROWS_AS(select(run, {.between = option<Between>("2025-10-20,")}), Error);
}

}  // namespace zerobeat::testing
