#include <zerobeat/clean/compute.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Compute setting(const std::string& text, bool only = false) {
  Compute options{.only = only};
  from_text(text, options.set);
  return options;
}

}  // namespace

TEST_CASE("later columns see earlier ones, and a name keeps its place", "[compute]") {
  const auto level = timeline_of({{clock("00:00"), clock("00:10")},
                                  {},
                                  {{"a", column_of({1, 2})}, {"b", column_of({3, missing})}}});
  const auto out = compute(level, setting("a=a*10,c=a+b,d=c > 20"));
  CHECK(out.values().names() == std::vector<std::string>{"a", "b", "c", "d"});
  CHECK(readings(out, "a") == Readings{10, 20});
  CHECK(readings(out, "c") == Readings{13, missing});
  CHECK(readings(out, "d") == Readings{0, missing});
  CHECK(out.values().column("d").type() == Column::Type::boolean);
  // The input stays as it was.
  CHECK(readings(level, "a") == Readings{1, 2});
  CHECK(compute(level, setting("c=a,d=b", true)).values().names() ==
        std::vector<std::string>{"c", "d"});
  CHECK(columns_needed(setting("c=a,d=c+b", true), "x") == std::vector<std::string>{"a", "b"});
  CHECK(columns_needed(setting("c=a"), "x") == std::nullopt);
}

TEST_CASE("what people compute comes out", "[compute]") {
  // A nominal price by an index, rebased to a date, and a curve in pieces.
  const auto prices = timeline_of(
      {{at("2025-01-01T00:00:00Z"), at("2025-02-01T00:00:00Z"), at("2025-03-01T00:00:00Z")},
       {},
       {{"price", column_of({5, 6, 9})}, {"index", column_of({100, 120, 150})}}});
  const auto out = compute(prices, setting("real=price/index*100,"
                                           "rebased=100*price/price@2025-02,"
                                           "step=if(price<6,0,if(price<8,1,2))"));
  CHECK(readings(out, "real") == Readings{5, 5, 6});
  CHECK(near(readings(out, "rebased"), {500.0 / 6, 100, 150}));
  CHECK(readings(out, "step") == Readings{0, 1, 2});
}

TEST_CASE("results that are not finite are missing, and told", "[compute]") {
  const auto level = strand("00:00 0", "00:10 2", "00:20 -");
  const auto out = compute(level, setting("x=1/level"));
  CHECK(readings(out, "x") == Readings{missing, 0.5, missing});
  CHECK(out.account().last().notes ==
        std::vector<std::string>{"x: 1 results are not finite, and missing"});
}

TEST_CASE("names that are taken are refused, and mistakes are told by name", "[compute]") {
  const auto two = timeline_of({{clock("00:00")}, {"a"}, {{"level", column_of({1})}}});
  CHECK_THROWS_WITH(compute(two, setting("time=level")), Catch::Contains("name of the time"));
  CHECK_THROWS_WITH(compute(two, setting("probe=level")), Catch::Contains("name of the key"));
  CHECK_THROWS_WITH(compute(two, {}), Catch::Contains("‹set› NAME=EXPRESSION"));
  CHECK_THROWS_WITH(compute(two, setting("x=level+1,y=z")),
                    Catch::Contains("‹set› y: there is no column z"));
}

}  // namespace zerobeat::testing
