// Mistakes in expressions: what is wrong, where in the text, and what would be right.

#include <zerobeat/clean/compute.hpp>
#include <zerobeat/clean/select.hpp>
#include <zerobeat/expression/expression.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline harbour() {
  return timeline_of({{clock("00:00"), clock("00:10")},
                      {"a", "a"},
                      {{"level", column_of({1, 2})},
                       {"kg", integers_of({3, 4})},
                       {"gear", texts_of({"net", "pot"})},
                       {"pressure (hPa)", column_of({5, 6})}}});
}

/// What is said of a condition; its first line, and the place under which the caret stands.
struct Told {
  std::string what;
  std::size_t place = 0;
};

Told told(const std::string& condition) {
  try {
    [[maybe_unused]] const Timeline out = select(harbour(), {.where = Expression(condition)});
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::usage);
    const std::string text = error.what();
    const std::size_t caret = text.rfind('^');
    const std::size_t line = text.rfind('\n', caret);
    return {text.substr(0, text.find('\n')), caret == std::string::npos ? 0 : caret - line - 3};
  }
  return {};
}

struct Case {
  const char* condition;
  const char* what;
  std::size_t place;
};

constexpr Case cases[] = {
    {"level >", "the expression ends here; a number, column or text is missing", 7},
    {"level > 1 2", "a sign or word is missing before this, like + or and", 10},
    {"level > 1)", "this bracket closes nothing", 9},
    {"(level > 1", "this bracket is not closed", 0},
    {"level > 1 and", "the expression ends here", 13},
    {"and level > 1", "a number, column or text is missing before and", 0},
    {"level == 1", "== is written =", 6},
    {"level <> 1", "<> is written !=", 6},
    {"level > 1 && kg > 1", "&& is written and", 10},
    {"level > 1 | kg > 1", "| is written or", 10},
    {"!level", "! is written not", 0},
    {"level ** 2 > 1", "** is written ^", 6},
    {"1 < level < 2", "a comparison is of two; write a < b and b < c", 10},
    {"level > 1, 2", "a comma stands only between what a function is given", 9},
    {"level > 1 ; 2", "this is no sign of an expression", 10},
    {"gear = 'net", "this quote is not closed", 7},
    {"\"level > 1", "this quote is not closed", 0},
    {"\"\" > 1", "these quotes name no column", 0},
    {"root(level) > 1", "there is no function root; there is abs, sqrt", 0},
    {"ln(level) > 1", "there is no function ln; did you mean log?", 0},
    {"abs() > 1", "abs is written abs(x)", 0},
    {"abs(level,kg) > 1", "abs is written abs(x)", 0},
    {"abs(level > 1", "the bracket of this function is not closed", 0},
    {"abs(level kg) > 1", "a comma or the closing bracket is missing before this", 10},
    {"if(level > 1, 2)", "if is written if(", 0},
    {"2level > 1", "a sign is missing between number and name, like *", 1},
    {"1e999 > level", "this number can't be held; it goes to 1.8e308", 0},
    {"level@soon > 1", "\"soon\" is not a time; after @ stands first, last, or a time", 6},
    {"level@2025-13-01 > 1", "\"2025-13-01\" is not a time", 6},
    {"level@2025-10-20-1 > 1", "\"2025-10-20-1\" is not a time", 6},
    {"level@'' > 1", "\"\" is not a time", 6},
    {"level + 1", "this is a number, not a condition; compare it, like x > 0", 0},
    {"gear", "a text is no result; texts are compared, with = and !=", 0},
    {"level", "this is a number, not a condition", 0},
    {"depth > 1", "there is no column depth", 0},
    {"levle > 1", "there is no column levle; did you mean level?", 0},
    {"gear > 1", "> compares a text with a number", 5},
    {"gear < 'pot'", "text is compared with = and != alone", 5},
    {"gear + 1 > 2", "+ is between numbers; this is a text", 0},
    {"-gear > 2", "- is of a number; this is a text", 1},
    {"not level", "not is of a condition; this is a number", 4},
    {"level and kg > 1", "and is between conditions; this is a number", 0},
    {"time > 1", "the time is no reading", 0},
    {"sqrt(gear) > 1", "sqrt is of a number; this is a text", 5},
    {"pressure > 1", "there is no column pressure", 0},
};

}  // namespace

TEST_CASE("each mistake is told with its place", "[expression]") {
  for (const auto& [condition, what, place] : cases) {
    const Told verdict = told(condition);
    INFO(condition << " -> " << verdict.what << " at " << verdict.place);
    CHECK_THAT(verdict.what, Catch::Contains(what));
    CHECK(verdict.place == place);
  }
}

TEST_CASE("a column whose name is no word is told how it is named", "[expression]") {
  CHECK_THAT(told("pressure > 1").what, Catch::Contains("\"pressure (hPa)\""));
  CHECK(told("\"pressure (hPa)\" > 1").what.empty());
}

TEST_CASE("long expressions are shown about the place", "[expression]") {
  std::string text;
  for (int i = 0; i < 60; ++i) text += "level+";
  text += "depth > 1";
  const Told verdict = told(text);
  CHECK_THAT(verdict.what, Catch::Contains("there is no column depth"));
  CHECK(verdict.place <= 60);
}

TEST_CASE("how deep an expression goes is bounded", "[expression]") {
  const auto nested = [](int n, const std::string& open, const std::string& close) {
    std::string text;
    for (int i = 0; i < n; ++i) text += open;
    text += "level";
    for (int i = 0; i < n; ++i) text += close;
    return text + " > 1";
  };
  CHECK(told(nested(150, "(", ")")).what.empty());
  for (const int n : {1'000, 200'000}) {
    CHECK_THAT(told(nested(n, "(", ")")).what, Catch::Contains("more than 200 brackets and signs"));
    CHECK_THAT(told(nested(n, "-", "")).what, Catch::Contains("more than 200 brackets and signs"));
    CHECK_THAT(told(nested(n, "abs(", ")")).what,
               Catch::Contains("more than 200 brackets and signs"));
  }
  std::string sum = "level";
  for (int i = 0; i < 100'000; ++i) sum += "+level";
  CHECK_THAT(told(sum + " > 1").what, Catch::Contains("hang on one another here"));
}

TEST_CASE("a name that can't be computed is refused", "[expression]") {
  const auto why = [](const std::string& text) {
    try {
      std::vector<Assignment> set(1);
      from_text(text, set[0]);
      [[maybe_unused]] const Timeline out = compute(harbour(), {.set = set});
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  CHECK_THAT(why("y"), Catch::Contains("has no name before ="));
  CHECK_THAT(why("=level"), Catch::Contains("has no name before ="));
  CHECK_THAT(why("time=level"), Catch::Contains("that is the name of the time"));
  CHECK_THAT(why("probe=level"), Catch::Contains("probe"));
  CHECK(why("level=level*2").empty());
}

}  // namespace zerobeat::testing
