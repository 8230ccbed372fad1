// Options as text: what is read, what is refused, and that what is written reads back.

#include <zerobeat/base/option.hpp>

#include "base/names.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using Names = std::vector<std::string>;

template <typename T>
T read(const std::string& text) {
  T value{};
  from_text(text, value);
  return value;
}

template <typename T>
std::string refusal_of(const std::string& text) {
  return refusal(Error::Kind::usage, [&] { read<T>(text); });
}

}  // namespace

TEST_CASE("names in lists stand in double quotes where they hold commas", "[option]") {
  CHECK(read<Names>("a,b") == Names{"a", "b"});
  CHECK(read<Names>("  a , b c ") == Names{"a", "b c"});
  CHECK(read<Names>("") == Names{});
  CHECK(read<Names>("\"a,b\",c") == Names{"a,b", "c"});
  CHECK(read<Names>("c, \"a,b\" ") == Names{"c", "a,b"});
  CHECK(read<Names>("\"pressure (hPa)\"") == Names{"pressure (hPa)"});
  CHECK(read<Names>("\"a \"\"b\"\" c\"") == Names{"a \"b\" c"});
  CHECK(read<Names>("\"\"") == Names{""});
  CHECK(read<Names>("\"(\",\")\"") == Names{"(", ")"});
}

TEST_CASE("a quote within a name that does not begin with one is a letter", "[option]") {
  CHECK(read<Names>("5\",7\"") == Names{"5\"", "7\""});
  CHECK(read<Names>("rod \"A\"") == Names{"rod \"A\""});
}

TEST_CASE("quotes that do not close, or close too soon, are mistakes", "[option]") {
  CHECK_THAT(refusal_of<Names>("\"a,b"),
             Catch::Contains("\"a,b: the quote that begins here is not"));
  CHECK_THAT(refusal_of<Names>("x,\"a\"b"),
             Catch::Contains("after the closing quote nothing more"));
  CHECK_THAT(refusal_of<Names>("\""), Catch::Contains("is not closed"));
}

TEST_CASE("names are written so that they read back", "[option]") {
  const Names odd[] = {{"a", "b"}, {"a,b", "c"},    {"\"a\"", "b"}, {" a", "b "},
                       {""},       {"(", ")", ","}, {"a\"b"},       {"\"", "\"\"", ",\""}};
  for (const Names& names : odd) {
    INFO(to_text(names));
    CHECK(read<Names>(to_text(names)) == names);
  }
  CHECK(to_text(Names{"level_m", "temp_c"}) == "level_m,temp_c");
  CHECK(to_text(Names{"a,b", "c"}) == "\"a,b\",c");
}

TEST_CASE("what stands between separators outside brackets and quotes is a part", "[option]") {
  CHECK(split_commas("quantile(x,0.95),mean(y)") == Names{"quantile(x,0.95)", "mean(y)"});
  CHECK(split_commas("mean(\"a,b\"),n=max(\"c)\")") == Names{"mean(\"a,b\")", "n=max(\"c)\")"});
  CHECK(split_names("day+clock", '+') == Names{"day", "clock"});
  CHECK(split_names("\"a+b\"+c", '+') == Names{"a+b", "c"});
  CHECK(detail::quoted_where_needed("a+b", "+") == "\"a+b\"");
  CHECK(detail::quoted_where_needed("a", "+") == "a");
}

TEST_CASE("numbers are whole texts, and no others", "[option]") {
  CHECK(read<std::int64_t>("-12") == -12);
  CHECK(read<double>("1e3") == 1000);
  CHECK(read<int>("7") == 7);
  CHECK(refusal_of<std::int64_t>("12.5") == "\"12.5\" is not a whole number");
  CHECK(refusal_of<std::int64_t>("9223372036854775808") ==
        "\"9223372036854775808\" is not a whole number");
  CHECK(refusal_of<std::int64_t>("") == "\"\" is not a whole number");
  CHECK(refusal_of<int>("7x") == "\"7x\" is not a whole number");
  CHECK(refusal_of<double>("1,5") == "\"1,5\" is not a number");
  CHECK(refusal_of<double>("inf") == "\"inf\" is not a number");
  CHECK(refusal_of<double>("nan") == "\"nan\" is not a number");
  for (const double value : {0.1, -1e-300, 1e300, 123456789.125}) {
    CHECK(read<double>(to_text(value)) == value);
  }
}

TEST_CASE("flags, characters and files are read as such", "[option]") {
  CHECK(read<bool>("yes"));
  CHECK(read<bool>(""));
  CHECK(!read<bool>("no"));
  CHECK(refusal_of<bool>("1") == "\"1\" is neither true nor false");
  CHECK(read<char>("tab") == '\t');
  CHECK(read<char>(";") == ';');
  CHECK(refusal_of<char>(";;") == "\";;\" is not one character (or tab)");
  CHECK(to_text('\t') == "tab");
  CHECK(read<InFile>("-").path == "-");
  CHECK(refusal_of<InFile>("") == "a file has a name; - is standard input or output");
  CHECK_THAT(refusal_of<OutFile>(std::string("a\0b", 3)), Catch::Contains("holds a NUL"));
}

TEST_CASE("a word that is no choice is told the nearest ones", "[option]") {
  enum class Colour { green, blue };
  const std::vector<std::string> words{"green", "blue", "grey"};
  CHECK(did_you_mean("gren", words) == "; did you mean green?");
  CHECK(did_you_mean("zzzzzz", words).find("did you mean") == std::string::npos);
}

}  // namespace zerobeat::testing
