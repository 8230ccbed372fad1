#include <zerobeat/clean/spells.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// "00:10-00:30 1200 2": from, to, duration and rows.
std::vector<std::string> lines_of(const TableResult& made) {
  const Table& table = made.table;
  std::vector<std::string> lines;
  for (std::size_t i = 0; i < table.rows(); ++i) {
    const auto clock_of = [&](const char* name) {
      return to_text(table.column(name).times()[i], 0).substr(11, 5);
    };
    lines.push_back(fmt::format("{}-{} {} {}", clock_of("from"), clock_of("to"),
                                table.column("duration_s").numbers()[i],
                                table.column("rows").integers()[i]));
  }
  return lines;
}

}  // namespace

TEST_CASE("a spell runs from its first row to the first at which the condition does not hold",
          "[spells]") {
  const auto level = strand("00:00 1", "00:10 5", "00:20 6", "00:30 1", "00:40 7", "00:50 8");
  CHECK(lines_of(spells(level, {.where = "level > 4"})) ==
        std::vector<std::string>{"00:10-00:30 1200 2", "00:40-01:00 1200 2"});
  CHECK(lines_of(spells(level, {.where = "level > 9"})).empty());
  CHECK(lines_of(spells(level, {.where = "true"})) ==
        std::vector<std::string>{"00:00-01:00 3600 6"});
}

TEST_CASE("a missing reading ends a spell, and a strand's end does too", "[spells]") {
  const auto level = strand("00:00 5", "00:10 -", "00:20 5");
  CHECK(lines_of(spells(level, {.where = "level > 4"})) ==
        std::vector<std::string>{"00:00-00:10 600 1", "00:20-00:30 600 1"});
  CHECK(lines_of(spells(strand("00:00 5"), {.where = "level > 4"})) ==
        std::vector<std::string>{"00:00-00:00 0 1"});
  const auto two = timeline_of({{clock("00:00"), clock("00:10"), clock("00:00"), clock("00:10")},
                                {"a", "a", "b", "b"},
                                {{"level", column_of({1, 5, 5, 1})}}});
  const TableResult made = spells(two, {.where = "level > 4"});
  CHECK(lines_of(made) == std::vector<std::string>{"00:10-00:20 600 1", "00:00-00:10 600 1"});
  CHECK(made.table.column("probe").text(1) == "b");
}

TEST_CASE("short interruptions are bridged, then short spells left out", "[spells]") {
  const auto level = strand("00:00 5", "00:10 1", "00:20 5", "00:30 1", "00:50 1", "01:00 5",
                            "01:10 1", "01:20 1");
  // From 00:10 to 00:20 is ten minutes; from 00:30 to 01:00 thirty.
  CHECK(lines_of(spells(level, {.where = "level > 4", .bridge = Period(10min)})) ==
        std::vector<std::string>{"00:00-00:30 1800 3", "01:00-01:10 600 1"});
  CHECK(lines_of(spells(level, {.where = "level > 4", .bridge = Period(9min)})).size() == 3);
  CHECK(lines_of(spells(level, {.where = "level > 4", .bridge = Period(30min)})) ==
        std::vector<std::string>{"00:00-01:10 4200 6"});
  CHECK(lines_of(spells(
            level, {.where = "level > 4", .at_least = Period(11min), .bridge = Period(10min)})) ==
        std::vector<std::string>{"00:00-00:30 1800 3"});
  CHECK(lines_of(spells(level, {.where = "level > 4", .at_least = Period(10min)})).size() == 3);
}

TEST_CASE("takes are of the rows of a spell", "[spells]") {
  const auto level = strand("00:00 1", "00:10 5", "00:20 7", "00:30 1", "00:40 6");
  const TableResult made = spells(
      level, {.where = "level > 4", .take = {max("level"), count(), twmean("level").as("tw")}});
  CHECK(made.table.names() ==
        std::vector<std::string>{"from", "to", "duration_s", "rows", "level_max", "count", "tw"});
  CHECK(made.table.column("level_max").numbers()[0] == 7);
  CHECK(made.table.column("count").integers()[1] == 1);
  CHECK(made.table.column("tw").numbers()[0] == 6);
  CHECK(made.account.last().rows_in == 5);
  CHECK(made.account.last().rows_out == 2);
}

TEST_CASE("spells agree with the plain loop", "[spells]") {
  const Timeline timeline = random_timeline(5'000, 31, 3);
  const auto bits = rows_where("level > 2", timeline);
  std::size_t runs = 0, rows = 0;
  for (const Strand& strand : timeline.strands()) {
    bool held = false;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      const bool holds = (bits[i / 64] >> (i % 64) & 1) != 0;
      runs += holds && !held;
      rows += holds;
      held = holds;
    }
  }
  std::size_t own_rows = 0;
  const auto found = find_spells(timeline, {.where = "level > 2"});
  for (const Spell& spell : found) {
    own_rows += spell.end - spell.begin;
    CHECK(spell.from == timeline.times()[spell.begin]);
  }
  CHECK(found.size() == runs);
  CHECK(own_rows == rows);
}

TEST_CASE("what can't be a spell is named", "[spells]") {
  const auto level = strand("00:00 1");
  CHECK_THROWS_WITH(spells(level, {}), Catch::Contains("‹where› CONDITION"));
  CHECK_THROWS_WITH(spells(level, {.where = "level+1"}), Catch::Contains("not a condition"));
  CHECK_THROWS_WITH(spells(level, {.where = "level > 0", .take = {max("level").as("rows")}}),
                    Catch::Contains("two columns would be named \"rows\""));
  CHECK_THROWS_WITH(spells(level, {.where = "level > 0", .take = {take::at("level")}}),
                    Catch::Contains("at is not a statistic of spells"));
}

}  // namespace zerobeat::testing
