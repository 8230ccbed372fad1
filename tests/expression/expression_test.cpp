#include <zerobeat/base/text.hpp>
#include <zerobeat/expression/expression.hpp>

#include "expression/plain.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Readings value_of(const std::string& text, const Timeline& timeline) {
  const Evaluated made = evaluate(text, timeline);
  Readings out;
  for (std::size_t i = 0; i < made.column.size(); ++i) {
    if (!made.column.valid(i)) {
      out.push_back(std::nullopt);
    } else if (made.column.type() == Column::Type::boolean) {
      out.push_back(made.column.boolean(i));
    } else {
      out.push_back(made.column.numbers()[i]);
    }
  }
  return out;
}

double number_of(const std::string& text) {
  return value_of(text, strand("00:00 1")).at(0).value();
}

/// "not gear" and where the caret stands.
std::string mistake(const std::string& text, const Timeline& timeline = strand("00:00 1")) {
  try {
    evaluate(text, timeline);
  } catch (const Error& error) {
    return error.what();
  }
  return "none";
}

/// The character above the caret.
std::string at_caret(const std::string& message) {
  std::istringstream lines(message);
  std::string what, line, caret;
  std::getline(lines, what);
  std::getline(lines, line);
  std::getline(lines, caret);
  // Characters, of which some are several bytes.
  std::size_t place = 0;
  for (std::size_t left = caret.find('^'); left > 0 && place < line.size(); --left) {
    place += std::max<std::size_t>(1, utf8_length(std::string_view(line).substr(place)));
  }
  return place < line.size() ? line.substr(place) : "the end";
}

}  // namespace

TEST_CASE("signs bind as they do on paper", "[expression]") {
  CHECK(number_of("1+2*3") == 7);
  CHECK(number_of("(1+2)*3") == 9);
  CHECK(number_of("-2^2") == -4);
  CHECK(number_of("2^3^2") == 512);
  CHECK(number_of("2^-1") == 0.5);
  CHECK(number_of("8/4/2") == 1);
  CHECK(number_of("7-2-1") == 4);
  CHECK(number_of("1 - -1") == 2);
  CHECK(number_of("not 1 = 2 and 2 < 3 or 1 > 2") == 1);
  CHECK(number_of("false and false or true") == 1);
  CHECK(number_of("not false and false") == 0);
  CHECK(number_of("1e3+.5") == 1000.5);
}

TEST_CASE("functions are what they are called", "[expression]") {
  CHECK(number_of("abs(-3)") == 3);
  CHECK(number_of("round(2.5)") == 3);
  CHECK(number_of("round(-2.5)") == -3);
  CHECK(number_of("floor(-1.5)+ceil(1.2)") == 0);
  CHECK(number_of("sign(-0.1)+sign(0)+sign(7)") == 0);
  CHECK(number_of("min(3,1,2)+max(3,1,2)") == 4);
  CHECK(number_of("log2(8)+log10(1000)") == 6);
  CHECK(number_of("if(2>1,10,1/0)") == 10);
  CHECK(number_of("coalesce(1/0,0/0,5)") == 5);
  CHECK(number_of("known(1/0)") == 0);
  CHECK(number_of("atan(1)*4") == Approx(3.14159265358979));
}

TEST_CASE("what is missing makes the result missing, where it counts", "[expression]") {
  const auto level = strand("00:00 1", "00:10 -", "00:20 3");
  CHECK(value_of("level+1", level) == Readings{2, missing, 4});
  CHECK(value_of("level > 1", level) == Readings{0, missing, 1});
  CHECK(value_of("known(level)", level) == Readings{1, 0, 1});
  CHECK(value_of("coalesce(level,-1)", level) == Readings{1, -1, 3});
  CHECK(value_of("level > 0 and false", level) == Readings{0, 0, 0});
  CHECK(value_of("level > 0 or true", level) == Readings{1, 1, 1});
  CHECK(value_of("level > 0 and true", level) == Readings{1, missing, 1});
  CHECK(value_of("not level > 1", level) == Readings{1, missing, 0});
  CHECK(value_of("if(level > 1,level,0)", level) == Readings{0, missing, 3});
  CHECK(value_of("if(true,7,level)", level) == Readings{7, 7, 7});
  CHECK(value_of("min(level,2)", level) == Readings{1, missing, 2});
  const auto bits = rows_where("level > 0", level);
  CHECK(bits[0] == 0b101);
}

TEST_CASE("a number that is not finite is missing wherever it comes about, and counted",
          "[expression]") {
  const auto level = strand("00:00 0", "00:10 -", "00:20 -4", "00:30 2");
  const Evaluated made = evaluate("1/level", level);
  CHECK(made.not_finite == 1);
  CHECK(value_of("1/level", level) == Readings{missing, missing, -0.25, 0.5});
  CHECK(value_of("1/(1/level)", level) == Readings{missing, missing, -4, 2});
  CHECK(value_of("sqrt(level) > -1", level) == Readings{1, missing, missing, 1});
  CHECK(value_of("exp(-1/level)", level)[0] == std::nullopt);
  CHECK(value_of("coalesce(log(level),9)", level) == Readings{9, 9, 9, std::log(2.0)});
  CHECK(evaluate("coalesce(1/level,9)", level).not_finite == 0);
  CHECK(evaluate("1e308*10*level", level).not_finite == 3);
}

TEST_CASE("texts and keys are compared, with = and != alone", "[expression]") {
  const auto two = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20")},
                                {"north", "north", "south"},
                                {{"gear", texts_of({"trawl", "", "pot"})},
                                 {"home", texts_of({"pot", "pot", "pot"})},
                                 {"open", column_of({1, 1, 0})}}});
  CHECK(value_of("gear = 'trawl'", two) == Readings{1, missing, 0});
  CHECK(value_of("'trawl' != gear", two) == Readings{0, missing, 1});
  CHECK(value_of("gear = home", two) == Readings{0, missing, 1});
  CHECK(value_of("home != gear", two) == Readings{1, missing, 0});
  CHECK(value_of("gear = 'no such'", two) == Readings{0, missing, 0});
  CHECK(value_of("probe = 'north'", two) == Readings{1, 1, 0});
  CHECK(value_of("known(gear)", two) == Readings{1, 0, 1});
  CHECK(value_of("gear@first = 'pot'", two) == Readings{0, 0, 1});
  CHECK(value_of("'it''s' = 'it''s'", two) == Readings{1, 1, 1});
  CHECK_THAT(mistake("gear < 'pot'", two), Catch::Contains("with = and != alone"));
  CHECK_THAT(mistake("gear", two), Catch::Contains("a text is no result"));
  CHECK_THAT(mistake("if(open > 0,gear,gear)", two), Catch::Contains("a text is no result"));
  CHECK_THAT(mistake("gear = 3", two), Catch::Contains("compares a text with a number"));
}

TEST_CASE("a reading of the strand at a time stands for all its rows", "[expression]") {
  const auto two =
      timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:00"), clock("00:30")},
                   {"a", "a", "a", "b", "b"},
                   {{"price", column_of({missing, 4, 8, 10, 20})}}});
  CHECK(value_of("100*price/price@first", two) == Readings{missing, 100, 200, 100, 200});
  CHECK(value_of("price@last", two) == Readings{8, 8, 8, 20, 20});
  CHECK(value_of("price@2025-10-20T00:10:00Z", two) == Readings{4, 4, 4, 10, 10});
  CHECK(value_of("price@'2025-10-20 00:15'", two) == Readings{4, 4, 4, 10, 10});
  CHECK(value_of("price@2025-10-20", two) == Readings{missing, missing, missing, 10, 10});
  CHECK(value_of("price@2025-10-21 - 1", two) == Readings{7, 7, 7, 19, 19});
  CHECK(value_of("price@first-1", two) == Readings{3, 3, 3, 9, 9});
  CHECK(value_of("row()", two) == Readings{0, 1, 2, 0, 1});
  CHECK(value_of("elapsed()", two) == Readings{0, 600, 1200, 0, 1800});
  CHECK_THAT(mistake("price@soon", two), Catch::Contains("\"soon\" is not a time"));
}

TEST_CASE("parts of the time go by the zone's clocks, across a change", "[expression]") {
  const auto night = timeline_of({{at("2025-10-25T23:30:00Z"), at("2025-10-26T00:30:00Z"),
                                   at("2025-10-26T01:30:45Z"), at("2026-03-29T01:00:00Z")},
                                  {},
                                  {{"level", column_of({1, 1, 1, 1})}}},
                                 Zone::find("Europe/Dublin"));
  CHECK(value_of("hour()", night) == Readings{0, 1, 1, 2});
  CHECK(value_of("day()", night) == Readings{26, 26, 26, 29});
  CHECK(value_of("weekday()", night) == Readings{7, 7, 7, 7});
  CHECK(value_of("month()", night) == Readings{10, 10, 10, 3});
  CHECK(value_of("minute()*100+second()", night) == Readings{3000, 3000, 3045, 0});
  CHECK(value_of("year()*1000+yearday()", night) == Readings{2025299, 2025299, 2025299, 2026088});
}

TEST_CASE("mistakes are told with a caret under their place", "[expression]") {
  CHECK(at_caret(mistake("level >> 3")) == "> 3");
  CHECK(at_caret(mistake("level + ")) == "the end");
  CHECK(at_caret(mistake("levl + 1")) == "levl + 1");
  CHECK_THAT(mistake("levl + 1"), Catch::Contains("did you mean level?"));
  CHECK(at_caret(mistake("1 + sqr(2)")) == "sqr(2)");
  CHECK_THAT(mistake("1 + sqr(2)"), Catch::Contains("did you mean sqrt?"));
  CHECK(at_caret(mistake("(1 + 2")) == "(1 + 2");
  CHECK(at_caret(mistake("1 + 2)")) == ")");
  CHECK(at_caret(mistake("'open")) == "'open");
  CHECK_THAT(mistake("level == 3"), Catch::Contains("== is written ="));
  CHECK_THAT(mistake("level > 1 && level < 3"), Catch::Contains("&& is written and"));
  CHECK_THAT(mistake("1 < level < 3"), Catch::Contains("a < b and b < c"));
  CHECK_THAT(mistake("level and level > 1"), Catch::Contains("compare it, like x > 0"));
  CHECK_THAT(mistake("1 + (level > 1)"), Catch::Contains("if(condition,1,0)"));
  CHECK_THAT(mistake("if(level,1,2)"), Catch::Contains("if begins with a condition"));
  CHECK_THAT(mistake("if(true,1,false)"), Catch::Contains("of one kind"));
  CHECK_THAT(mistake("abs(1,2)"), Catch::Contains("abs is written abs(x)"));
  CHECK_THAT(mistake("time > 3"), Catch::Contains("the time is no reading"));
  CHECK_THAT(mistake("2level"), Catch::Contains("a sign is missing"));
  CHECK_THAT(mistake("1e999"), Catch::Contains("can't be held"));
  CHECK_THAT(mistake(""), Catch::Contains("no expression"));
  // The caret counts characters, not bytes, and of a long text a window is shown.
  CHECK(at_caret(mistake("'Fisch für' = höhe")).starts_with("h"));
  const std::string longer = mistake(std::string(300, ' ') + "levl" + std::string(300, ' '));
  CHECK(at_caret(longer).starts_with("levl"));
  CHECK(longer.size() < 300);
}

TEST_CASE("deep nesting is an error, not a crash", "[expression]") {
  CHECK_THAT(mistake(std::string(100'000, '(') + "1"), Catch::Contains("more than 200"));
  CHECK_THAT(mistake(std::string(100'000, '-') + "1"), Catch::Contains("more than 200"));
  std::string sum = "1", chain = "true", power = "1";
  for (int i = 0; i < 900; ++i) sum += "+1";
  CHECK(number_of(sum) == 901);
  for (int i = 0; i < 100'000; ++i) {
    sum += "+1";
    chain += " and true";
    power += "^1";
  }
  CHECK_THAT(mistake(sum), Catch::Contains("more than 1000"));
  CHECK_THAT(mistake(chain), Catch::Contains("more than 1000"));
  CHECK_THAT(mistake(power), Catch::Contains("more than 200"));
}

TEST_CASE("a name that is no word stands in double quotes", "[expression]") {
  const auto level = timeline_of(
      {{clock("00:00")}, {}, {{"pressure (hPa)", column_of({7})}, {"and", column_of({2})}}});
  CHECK(value_of("\"pressure (hPa)\"*\"and\"", level) == Readings{14});
  CHECK_THAT(mistake("pressure + 1", level), Catch::Contains("quotes: \"pressure (hPa)\""));
  CHECK_THAT(mistake("\"pot\" = 'pot'", level), Catch::Contains("single quotes: 'pot'"));
  const Expression both("\"pressure (hPa)\" + \"and\" + \"and\"@first");
  CHECK(both.columns() == std::vector<std::string>{"pressure (hPa)", "and"});
  CHECK(both.reach().ahead == ReachSide::whole());
  CHECK(Expression("\"and\" + 1").reach().causal());
}

TEST_CASE("assignments are read with their own commas and quotes", "[expression]") {
  std::vector<Assignment> all;
  from_text("a=min(x,y), \"b (m)\"=if(gear='a,b',1,2),c=a>=b", all);
  REQUIRE(all.size() == 3);
  CHECK(all[0].name == "a");
  CHECK(all[1].name == "b (m)");
  CHECK(all[1].value.text() == "if(gear='a,b',1,2)");
  CHECK(all[2].value.text() == "a>=b");
  std::vector<Assignment> again;
  from_text(to_text(all), again);
  CHECK(again == all);
  CHECK_THROWS_WITH(from_text("x", all), Catch::Contains("no name before ="));
  CHECK_THROWS_WITH(from_text("x=", all), Catch::Contains("is given no value"));
}

TEST_CASE("blocks say the same as one row after the other", "[expression]") {
  // Sizes around those of words, blocks and parts; strands that begin within a block.
  for (const auto& [rows, keys] : std::vector<std::pair<std::size_t, int>>{
           {1, 1}, {63, 1}, {64, 2}, {65, 1}, {1023, 3}, {1024, 1}, {1025, 1}, {5000, 7}}) {
    const Timeline timeline = with_more_columns(random_timeline(rows, 11, keys));
    RandomExpressions random(static_cast<unsigned>(rows));
    for (int i = 0; i < 60; ++i) {
      const std::string text = i % 2 == 0 ? random.number(4) : random.condition(4);
      INFO(text << " over " << rows);
      check_against_plain(text, timeline);
    }
  }
}

TEST_CASE("parts that are computed side by side are one", "[expression]") {
  const Timeline timeline = with_more_columns(random_timeline(600'000, 12, 3, 0.01));
  check_against_plain("level*2 + kg/weight - elapsed()/1000 + row()", timeline);
  check_against_plain("level > 1 and hour() < 12 or gear = 'pot'", timeline);
}

}  // namespace zerobeat::testing
