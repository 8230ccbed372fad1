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

/// What a format and its arguments throw.
template <typename... Args>
Error thrown(fmt::format_string<Args...> format, Args&&... args) {
  try {
    fail_usage(format, std::forward<Args>(args)...);
  } catch (const Error& error) {
    return error;
  }
}

TEST_CASE("colons and semicolons within a value divide nothing", "[error]") {
  const Error odd = thrown("‹on› {}: there is no such column{}", "pressure: a; b", "; there is v");
  CHECK(odd.what() == std::string("‹on› pressure: a; b: there is no such column; there is v"));
  CHECK(odd.option() == "on");
  CHECK(odd.value() == "pressure: a; b");
  CHECK(odd.remedy() == "there is v");
  const Error stated = thrown("‹{}› {:>4}: {{odd}}; from {} to {}", "by", 7, "1; 2", 3);
  CHECK(stated.what() == std::string("‹by›    7: {odd}; from 1; 2 to 3"));
  CHECK(stated.option() == "by");
  CHECK(stated.value() == "   7");
  CHECK(stated.remedy() == "from 1; 2 to 3");
  const Error lines = thrown("‹where› {}: no{}", "a\nb", "");
  CHECK(lines.value() == "a\nb");
  CHECK(lines.remedy().empty());
}

TEST_CASE("a place put before an error leaves its parts as they are", "[error]") {
  const Error inner = thrown("‹on› {}: there is no such column", "a: b");
  const Error outer = inner.at("series level, fill").at("plan.toml:3");
  CHECK(outer.what() ==
        std::string("plan.toml:3: series level, fill: ‹on› a: b: there is no such column"));
  CHECK(outer.place() == "plan.toml:3: series level, fill");
  CHECK(outer.value() == "a: b");
  CHECK(outer.parts().option == "on");
  Error copy = inner;
  Error taken = std::move(copy);
  CHECK(copy.value() == taken.value());
}

}  // namespace zerobeat
