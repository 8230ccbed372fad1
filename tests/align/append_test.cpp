// Rows after rows, against a timeline made of all of them at once.

#include <zerobeat/align/append.hpp>
#include <zerobeat/clean/from_memory.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline rows_of(const Timeline& timeline, std::size_t begin, std::size_t end) {
  std::vector<NamedColumn> columns;
  std::vector<std::int64_t> rows;
  for (std::size_t i = begin; i < end; ++i) rows.push_back(static_cast<std::int64_t>(i));
  for (std::size_t i = 0; i < timeline.values().names().size(); ++i) {
    columns.push_back({timeline.values().names()[i], timeline.values().columns()[i].gather(rows)});
  }
  if (timeline.has_key()) {
    std::vector<std::string> keys;
    for (const Strand& strand : timeline.strands()) keys.resize(strand.end, *strand.key);
    columns.push_back({"probe", Column(keys).gather(rows)});
  }
  return zerobeat::timeline(timeline.time_column().gather(rows), std::move(columns),
                            {.name = "rows", .key = timeline.has_key() ? "probe" : ""});
}

}  // namespace

TEST_CASE("rows appended in parts are all the rows", "[append]") {
  const Timeline all = random_timeline(1'000, 3);
  Timeline grown = rows_of(all, 0, 1);
  for (std::size_t at = 1; at < 1'000; at += 37) {
    grown = append(grown, rows_of(all, at, std::min<std::size_t>(1'000, at + 37)));
  }
  CHECK(grown.time_column() == all.time_column());
  for (const auto& name : all.values().names()) {
    CHECK(grown.values().column(name) == all.values().column(name));
  }
  CHECK(grown.strands().size() == 1);
  // One entry for all that was appended, and every row accounted for.
  CHECK(grown.account().last().step == "append");
  CHECK(grown.account().last().rows_in == 1'000);
  CHECK(grown.account().last().rows_out == 1'000);
  CHECK(grown.account().records() == 1'000);
}

TEST_CASE("rows that are earlier, or of other keys, go to their places", "[append]") {
  const Timeline all = random_timeline(600, 9, 3);
  // Every third row each, so that all strands get some.
  std::vector<Timeline> parts;
  for (std::size_t part = 0; part < 3; ++part) {
    std::vector<NamedColumn> columns;
    std::vector<std::int64_t> rows;
    for (std::size_t i = part; i < all.rows(); i += 3) rows.push_back(static_cast<std::int64_t>(i));
    std::vector<std::string> keys;
    for (const Strand& strand : all.strands()) keys.resize(strand.end, *strand.key);
    columns.push_back({"level", all.values().column("level").gather(rows)});
    columns.push_back({"probe", Column(keys).gather(rows)});
    parts.push_back(timeline(all.time_column().gather(rows), std::move(columns), {.key = "probe"}));
  }
  const Timeline grown = append(append(parts[0], parts[2]), parts[1]);
  REQUIRE(grown.strands().size() == all.strands().size());
  for (std::size_t s = 0; s < all.strands().size(); ++s) {
    CHECK(grown.strands()[s] == all.strands()[s]);
  }
  CHECK(grown.time_column() == all.time_column());
  // Of one time, those appended later come later: the readings are the same, in some order.
  const auto total = [](const Timeline& timeline) {
    double sum = 0;
    for (const double level : timeline.values().column("level").numbers_or(0)) sum += level;
    return sum;
  };
  CHECK(total(grown) == Approx(total(all)));
  const Timeline late =
      append(strand("00:10 1", "00:30 3"), strand("00:00 0", "00:10 9", "00:20 2"));
  CHECK(readings(late, "level") == Readings{0, 1, 9, 2, 3});
}

TEST_CASE("what can't follow is refused by name", "[append]") {
  const Timeline level = strand("00:00 1");
  CHECK(
      append(level, timeline(std::vector<Instant>{}, {{"level", std::vector<double>{}}})).rows() ==
      1);
  CHECK_THAT(usage([&] { append(level, one_column("levle", {"00:10"}, {1})); }),
             Catch::Contains("no column \"levle\"") && Catch::Contains("did you mean level"));
  CHECK_THAT(
      usage([&] {
        append(timeline_of({{clock("00:00")}, {}, {{"a", column_of({1})}, {"b", column_of({1})}}}),
               one_column("a", {"00:10"}, {1}));
      }),
      Catch::Contains("have no column \"b\""));
  CHECK_THAT(usage([&] { append(level, one_column("level", {"00:10"}, {1}, {"p"})); }),
             Catch::Contains("rows with the key \"probe\""));
  CHECK_THAT(usage([&] {
               append(level, timeline_of({{clock("00:10")}, {}, {{"level", texts_of({"high"})}}}));
             }),
             Catch::Contains("a column of numbers can't be followed by one of texts"));
}

}  // namespace zerobeat::testing
