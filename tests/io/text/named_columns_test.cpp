// Columns as an option names them.

#include "io/text/named_columns.hpp"

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using Places = std::vector<std::size_t>;

const std::vector<std::string> there{"day", "clock", "a+b", "level_m", "a"};

std::string why_not(const std::string& text) {
  return refusal(Error::Kind::usage, [&] { detail::places_named(text, "key", "quay.csv", there); });
}

}  // namespace

TEST_CASE("names with + between are columns in the order named", "[named_columns]") {
  CHECK(detail::places_named("level_m", "key", "quay.csv", there) == Places{3});
  CHECK(detail::places_named("clock+day", "key", "quay.csv", there) == Places{1, 0});
  CHECK(detail::places_named("day+clock+a", "key", "quay.csv", there) == Places{0, 1, 4});
}

TEST_CASE("a column whose name has a + is meant before its parts, and quotes say so",
          "[named_columns]") {
  CHECK(detail::places_named("a+b", "key", "quay.csv", there) == Places{2});
  CHECK(detail::places_named("\"a+b\"+day", "key", "quay.csv", there) == Places{2, 0});
}

TEST_CASE("a name that is not there, or is twice, is told with the option and the source",
          "[named_columns]") {
  CHECK(why_not("levl_m") == "‹key›: quay.csv has no column \"levl_m\"; did you mean level_m?");
  CHECK_THAT(why_not("day+clok"),
             Catch::StartsWith("‹key› day+clok: quay.csv has no column \"clok\""));
  CHECK(why_not("day+day") == "‹key› day+day: \"day\" is named twice");
  CHECK_THROWS_AS(detail::place_of("", "time", "quay.csv", there), Error);
}

}  // namespace zerobeat::testing
