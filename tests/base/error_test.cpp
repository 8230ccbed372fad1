#include <catch2/catch.hpp>
#include <zerobeat/base/option.hpp>

namespace zerobeat {

TEST_CASE("the nearest word is the one with the fewest slips", "[error]") {
  const std::vector<std::string> words{"previous", "next", "nearest", "linear"};
  CHECK(nearest("previuos", words) == "previous");
  CHECK(nearest("Linear", words) == "linear");
  CHECK(nearest("zzzzzz", words).empty());
  CHECK(edit_distance("ab", "ba") == 1);
  CHECK(edit_distance("", "abc") == 3);
  CHECK(did_you_mean("nxet", words) == "; did you mean next?");
  CHECK(did_you_mean("qqqqqqqqq", words) == "; there is previous, next, nearest, linear");
}

TEST_CASE("commas within brackets do not split", "[option]") {
  CHECK(split_commas("a, b(c,d) ,e") == std::vector<std::string>{"a", "b(c,d)", "e"});
  CHECK(split_commas("  ").empty());
}

TEST_CASE("option values are read whole or refused by name", "[option]") {
  std::int64_t whole = 0;
  from_text("-12", whole);
  CHECK(whole == -12);
  CHECK_THROWS_WITH(from_text("12x", whole), Catch::Contains("\"12x\" is not a whole number"));
  double number = 0;
  from_text("2.5e3", number);
  CHECK(number == 2500);
  CHECK_THROWS_AS(from_text("nan", number), Error);
  char letter = 0;
  from_text("tab", letter);
  CHECK(letter == '\t');
  bool flag = false;
  from_text("yes", flag);
  CHECK(flag);
  CHECK_THROWS_AS(from_text("maybe", flag), Error);
}

}  // namespace zerobeat
