#include <zerobeat/align/reshape.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline two_probes() {
  return timeline_of(
      {{clock("00:00"), clock("00:10"), clock("00:10"), clock("00:00"), clock("00:20")},
       {"north", "north", "north", "south", "south"},
       {{"level", column_of({1.0, 2.0, 3.0, 4.0, missing})},
        {"kg", integers_of({1, 2, 3, 4, 5})}}});
}

}  // namespace

TEST_CASE("wide has a column for each key, and loses no row", "[reshape]") {
  const Timeline wide = reshape(two_probes(), {});
  CHECK(!wide.has_key());
  CHECK(clocks(wide) == std::vector<std::string>{"00:00", "00:10", "00:10", "00:20"});
  CHECK(wide.values().names() ==
        std::vector<std::string>{"level_north", "level_south", "kg_north", "kg_south"});
  CHECK(readings(wide, "level_north") == Readings{1, 2, 3, missing});
  CHECK(readings(wide, "level_south") == Readings{4, missing, missing, missing});
  CHECK(readings(wide, "kg_south") == Readings{4, missing, missing, 5});
  CHECK(reshape(two_probes(), {.on = {"kg"}}).values().names() ==
        std::vector<std::string>{"north", "south"});
  CHECK_THROWS_WITH(reshape(strand("00:00 1"), {}), Catch::Contains("‹key›"));
}

TEST_CASE("long has a strand for each column, and wide brings it back", "[reshape]") {
  const Timeline wide = reshape(two_probes(), {.on = {"level"}});
  const Timeline back = reshape(wide, {.into = Reshape::Into::long_rows});
  CHECK(back.key_name() == "series");
  REQUIRE(back.strands().size() == 2);
  CHECK(back.strands()[1].key == "south");
  CHECK(readings(back, "value") == Readings{1, 2, 3, missing, 4, missing, missing, missing});
  CHECK(reshape(back, {}).values().names() == std::vector<std::string>{"north", "south"});
  const Timeline both = reshape(two_probes(), {.into = Reshape::Into::long_rows});
  CHECK(both.strands()[1].key == "north kg");
  CHECK(readings(both, "value")[3] == 1);
  Timeline::Parts parts = two_probes().parts();
  parts.values.add("gear", texts_of({"a", "b", "c", "d", "e"}));
  CHECK_THROWS_WITH(
      reshape(Timeline(parts), {.into = Reshape::Into::long_rows, .on = {"level", "gear"}}),
      Catch::Contains("can't be one column"));
}

TEST_CASE("columns follow one another, whatever their types", "[column]") {
  const Column numbers = concatenate(std::vector{column_of({1.5, missing}), integers_of({2})});
  CHECK(numbers == column_of({1.5, missing, 2.0}));
  CHECK(concatenate(std::vector{integers_of({1}), integers_of({std::nullopt, 3})}) ==
        integers_of({1, std::nullopt, 3}));
  CHECK(concatenate(std::vector{texts_of({"a", "b"}), texts_of({"b", "", "c"})}) ==
        texts_of({"a", "b", "b", "", "c"}));
  Buffer<std::uint64_t> bits(1, 0b101), more(1, 0b10);
  const Column flags = concatenate(
      std::vector{Column::booleans(std::move(bits), 3), Column::booleans(std::move(more), 2)});
  CHECK((flags.boolean(0) && !flags.boolean(1) && flags.boolean(2) && !flags.boolean(3) &&
         flags.boolean(4)));
  CHECK(usage([] {
          concatenate(std::vector{texts_of({"a"}), integers_of({1})});
        }) == "columns of several types make no column");
}

}  // namespace zerobeat::testing
