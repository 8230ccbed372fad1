// Names given anew, strands made anew, and a list of what was merged.

#include <zerobeat/clean/select.hpp>
#include <zerobeat/clean/settle.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// Orders of two instruments, by the order's id.
Timeline orders() {
  Rows rows;
  for (const char* t : {"00:00", "00:30", "00:10", "00:30", "00:20"}) {
    rows.times.push_back(clock(t));
  }
  rows.keys = {"o1", "o1", "o2", "o2", "o3"};
  rows.columns = {{"species", texts_of({"hake", "cod", "hake", "cod", ""})},
                  {"lot", integers_of({1, 1, 2, missing, 2})},
                  {"kg", column_of({1, 2, 3, 4, 5})}};
  return timeline_of(rows);
}

std::vector<std::string> keys_of(const Timeline& timeline) {
  std::vector<std::string> keys;
  for (const Strand& strand : timeline.strands()) keys.push_back(key_text(*strand.key));
  return keys;
}

std::string renamed(const std::string& columns) {
  Select options;
  from_text(columns, options.columns);
  return usage([&] { select(orders(), options); });
}

}  // namespace

TEST_CASE("strands can be made anew from a column, and the old key is a column again", "[settle]") {
  const Timeline made = settle(orders(), {.key = "species"});
  CHECK(made.key_name() == "species");
  CHECK(keys_of(made) == std::vector<std::string>{"hake", "cod"});
  CHECK(made.values().names() == std::vector<std::string>{"lot", "kg", "probe"});
  CHECK(clocks(made) == std::vector<std::string>{"00:00", "00:10", "00:30", "00:30"});
  CHECK(readings(made, "kg") == Readings{1, 3, 2, 4});
  CHECK(texts(made, "probe") == std::vector<std::string>{"o1", "o2", "o1", "o2"});
  CHECK(made.account().last().notes ==
        std::vector<std::string>{"1 rows without ‹key› species were left out"});
  CHECK(made.account().last().rows_out == 4);
}

TEST_CASE("a key of several columns, numbers among them, is a pair", "[settle]") {
  const Timeline made = settle(orders(), {.key = "species+lot"});
  CHECK(made.key_names() == std::vector<std::string>{"species", "lot"});
  CHECK(keys_of(made) == std::vector<std::string>{"hake+1", "cod+1", "hake+2", "cod+", "+2"});
  // And back again.
  const Timeline back = settle(made, {.key = "probe"});
  CHECK(keys_of(back) == std::vector<std::string>{"o1", "o2", "o3"});
  CHECK(readings(back, "kg") == Readings{1, 2, 3, 4, 5});
  CHECK(texts(back, "lot") == std::vector<std::string>{"1", "1", "2", "", "2"});
}

TEST_CASE("duplicates are those of the new strands", "[settle]") {
  const Timeline made = settle(orders(), {.duplicates = Duplicates::mean, .key = "species"});
  CHECK(readings(made, "kg") == Readings{1, 3, 3});
  const Made listed =
      settle_and_list(orders(), {.duplicates = Duplicates::last, .key = "species", .merged = "m"});
  REQUIRE(listed.beside.size() == 1);
  const Table& merged = listed.beside[0].table;
  CHECK(merged.names() == std::vector<std::string>{"source", "line", "byte", "species", "time"});
  REQUIRE(merged.rows() == 1);
  CHECK(merged.column("species").text(0) == "cod");
  CHECK(merged.column("time").times()[0] == clock("00:30"));
  CHECK_FALSE(merged.column("line").valid(0));
}

TEST_CASE("a key that can't be is refused", "[settle]") {
  const auto refused = [](const std::string& key) {
    return usage([&] { settle(orders(), {.key = key}); });
  };
  CHECK_THAT(refused("speces"), Catch::Contains("did you mean species"));
  CHECK_THAT(refused("time"), Catch::Contains("are the times"));
  CHECK_THAT(refused("species+species"), Catch::Contains("is named twice"));
  CHECK(refused("probe").empty());
}

TEST_CASE("random strands made anew hold each row once, in order of time", "[settle]") {
  for (unsigned seed = 1; seed <= 4; ++seed) {
    const Timeline timeline = random_timeline(500, seed, 4);
    const Timeline made = settle(timeline, {.key = "kg"});
    std::multiset<std::pair<Instant, std::int64_t>> before, after;
    const Column& kg = timeline.values().column("kg");
    for (std::size_t i = 0; i < timeline.rows(); ++i) {
      if (kg.valid(i)) before.emplace(timeline.times()[i], kg.integers()[i]);
    }
    for (const Strand& strand : made.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        after.emplace(made.times()[i], std::stoll(*strand.key));
        if (i > strand.begin) CHECK(made.times()[i - 1] <= made.times()[i]);
      }
    }
    CHECK(before == after);
    CHECK(made.rows() + kg.validity().missing() == timeline.rows());
  }
}

TEST_CASE("columns, times and keys can be called anew", "[select]") {
  Select options;
  from_text("when=time,id=probe,\"a=b\"=kg,species", options.columns);
  const Timeline made = select(orders(), options);
  CHECK(made.time_name() == "when");
  CHECK(made.key_name() == "id");
  CHECK(made.values().names() == std::vector<std::string>{"a=b", "species"});
  CHECK(readings(made, "a=b") == Readings{1, 2, 3, 4, 5});
  CHECK(to_text(options.columns) == "when=time,id=probe,\"a=b\"=kg,species");
  // A condition goes by the old names.
  options.where = "kg > 3";
  CHECK(readings(select(orders(), options), "a=b") == Readings{4, 5});
  CHECK(columns_needed(options, "")->at(2) == "kg");
  // One part of a key of two.
  Select venue;
  from_text("v=species", venue.columns);
  CHECK(select(settle(orders(), {.key = "species+lot"}), venue).key_names() ==
        std::vector<std::string>{"v", "lot"});
  // A column may stand under two names.
  CHECK(select(orders(), {.columns = {{"kg", "a"}, {"kg", "b"}}}).values().names() ==
        std::vector<std::string>{"a", "b"});
}

TEST_CASE("names that would be there twice are refused", "[select]") {
  CHECK_THAT(renamed("time=kg"), Catch::Contains("two columns would be called time"));
  CHECK_THAT(renamed("probe=kg"), Catch::Contains("two columns would be called probe"));
  CHECK_THAT(renamed("x=kg,x=lot"), Catch::Contains("x is named twice"));
  CHECK_THAT(renamed("kg=time,kg"), Catch::Contains("two columns would be called kg"));
  CHECK_THAT(renamed("x=levle"), Catch::Contains("there is no column"));
  CHECK_THAT(usage([] { renamed("a=b=c"); }), Catch::Contains("is no column, nor NAME=COLUMN"));
  CHECK_THAT(usage([] { renamed("=c"); }), Catch::Contains("is no column, nor NAME=COLUMN"));
}

}  // namespace zerobeat::testing
