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

TEST_CASE("an error's parts are those of its message", "[error]") {
  const auto of = [](const char* what) { return Error(Error::Kind::usage, what); };
  const Error full =
      of("plan.toml:12: series level, fill: ‹max_gap› 1x: \"x\" is no unit; like 1h");
  CHECK(full.place() == "plan.toml:12: series level, fill");
  CHECK(full.option() == "max_gap");
  CHECK(full.value() == "1x");
  CHECK(full.remedy() == "like 1h");
  const Error bare = of("‹threads› 5000: from 1 to 1024\nand more; of another line");
  CHECK(bare.place().empty());
  CHECK(bare.option() == "threads");
  CHECK(bare.value() == "5000");
  CHECK(bare.remedy().empty());
  const Error two = of("‹drift› and ‹at› go together: a drift is counted from an instant");
  CHECK(two.option() == "drift");
  CHECK(two.value().empty());
  const Error column = of("tide.csv: there is no column \"levle\"; did you mean level?");
  CHECK(column.place() == "tide.csv");
  CHECK(column.option().empty());
  CHECK(column.value() == "levle");
  CHECK(column.remedy() == "did you mean level?");
  const Error said = of("say what both see: ‹on› COLUMN of tide");
  CHECK(said.place().empty());
  const Error plain = of("there is none");
  CHECK((plain.place() + plain.option() + plain.value() + plain.remedy()).empty());
}

}  // namespace zerobeat
