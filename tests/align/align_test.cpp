#include <zerobeat/align/align.hpp>
#include <zerobeat/regular/resample.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

Align onto(const std::string& text, const std::string& how = "",
           Align::Span span = Align::Span::all) {
  Align options{.span = span};
  from_text(text, options.onto);
  if (!how.empty()) from_text(how, options.how);
  return options;
}

const std::vector<Timeline>& two() {
  static const std::vector<Timeline> both{
      one_column("tide", {"00:05", "00:10", "00:20", "00:40"}, {1, 2, missing, 8}),
      one_column("trade", {"00:10", "00:25", "00:25", "00:50"}, {10, 20, 30, 40})};
  return both;
}

}  // namespace

TEST_CASE("the axis is a grid, every instant, the common ones, or a source's own", "[align]") {
  using Clocks = std::vector<std::string>;
  CHECK(clocks(align(two(), onto("15min"))) == Clocks{"00:00", "00:15", "00:30", "00:45"});
  CHECK(clocks(align(two(), onto("union"))) ==
        Clocks{"00:05", "00:10", "00:20", "00:25", "00:40", "00:50"});
  CHECK(clocks(align(two(), onto("common"))) == Clocks{"00:10"});
  CHECK(clocks(align(two(), onto("trade"))) == Clocks{"00:10", "00:25", "00:50"});
  // Where all have begun and none has ended: 00:10 to 00:40.
  const auto common = Align::Span::common;
  CHECK(clocks(align(two(), onto("15min", "", common))) == Clocks{"00:15", "00:30"});
  CHECK(clocks(align(two(), onto("10min", "", common))) ==
        Clocks{"00:10", "00:20", "00:30", "00:40"});
  CHECK(clocks(align(two(), onto("union", "", common))) ==
        Clocks{"00:10", "00:20", "00:25", "00:40"});
  CHECK(clocks(align(two(), onto("trade", "", common))) == Clocks{"00:10", "00:25"});
}

TEST_CASE("a value comes from readings: what is missing is passed over", "[align]") {
  const auto at = [](const std::string& how, const char* column) {
    return readings(align(two(), onto("10min", how)), column);
  };
  // At 00:00, 00:10 … 00:50.
  CHECK(near(at("", "tide"), {missing, 2, 4, 6, 8, missing}));
  CHECK(at("previous", "tide") == Readings{missing, 2, 2, 2, 8, 8});
  CHECK(at("next", "tide") == Readings{1, 2, 8, 8, 8, missing});
  CHECK(at("nearest", "tide") == Readings{1, 2, 2, 8, 8, 8});
  CHECK(at("exact", "tide") == Readings{missing, 2, missing, missing, 8, missing});
  CHECK(at("previous", "trade") == Readings{missing, 10, 10, 30, 30, 40});
}

TEST_CASE("each source and column has its own method, the more specific one wins", "[align]") {
  const auto out = align(two(), onto("15min", "previous,trade:sum,tide:tide=count"));
  CHECK(readings(out, "trade") == Readings{10, 50, missing, 40});
  CHECK(readings(out, "tide") == Readings{2, 0, 1, 0});
  CHECK(readings(align(two(), onto("15min", "trade:median")), "trade") ==
        Readings{10, 25, missing, 40});
  CHECK(readings(align(two(), onto("15min", "trade:last")), "trade") ==
        Readings{10, 30, missing, 40});
}

TEST_CASE("the tolerance is inclusive, for a line on both sides", "[align]") {
  Align options = onto("10min");
  options.tolerance = Period(20min);
  CHECK(near(readings(align(two(), options), "tide"), {missing, 2, 4, 6, 8, missing}));
  options.tolerance = Period(19min);
  CHECK(near(readings(align(two(), options), "tide"), {missing, 2, missing, missing, 8, missing}));
}

TEST_CASE("strands go together by key, each with its own axis", "[align]") {
  const std::vector<Timeline> keyed{
      one_column("t", {"00:00", "00:10", "01:00"}, {1, 2, 3}, {"a", "a", "b"}),
      one_column("h", {"00:10", "00:20", "02:00"}, {5, 6, 7}, {"a", "a", "c"}),
      one_column("level", {"00:00", "03:00"}, {0, 180})};
  const auto out = align(keyed, onto("t"));
  REQUIRE(out.strands().size() == 3);
  CHECK(out.strands()[0].size() == 2);
  CHECK(out.strands()[1].key == "b");
  CHECK(out.strands()[2].size() == 0);
  CHECK(near(readings(out, "level"), {0, 10, 60}));
  CHECK(near(readings(out, "h"), {missing, 5, missing}));
  const auto all = align(keyed, onto("union"));
  CHECK(all.strands()[0].size() == 4);  // 00:00 00:10 00:20 03:00
  CHECK(all.strands()[2].size() == 3);  // 00:00 02:00 03:00
  CHECK(near(readings(align(keyed, onto("common")), "h"), {}));
}

TEST_CASE("statistics on a grid are those of resampling", "[align]") {
  const std::vector<Timeline> both{random_timeline(900, 71, 2).named("a"),
                                   random_timeline(700, 72, 2).named("b")};
  for (const char* stat : {"sum", "mean", "count", "min", "max", "first", "last", "median"}) {
    const auto out = align(both, onto("7min", stat));
    std::vector<Take> takes;
    from_text(std::string("x=") + stat + "(level)", takes);
    const auto plain = resample(both[0], {.every = Period(7min), .take = takes});
    INFO(stat);
    std::size_t same = 0;
    for (std::size_t s = 0; s < 2; ++s) {
      const Strand& strand = out.strands()[s];
      const Strand& other = plain.strands()[s];
      std::size_t row = strand.begin;
      for (std::size_t i = other.begin; i < other.end; ++i) {
        while (out.times()[row] < plain.times()[i]) ++row;
        REQUIRE(out.times()[row] == plain.times()[i]);
        REQUIRE(readings(out, "level_a")[row] == readings(plain, "x")[i]);
        if (++same > 200) break;
      }
    }
    CHECK(same > 100);
  }
}

TEST_CASE("texts go by what stood before, or as they are asked", "[align]") {
  const auto gear = timeline_of(
      {{clock("00:00"), clock("00:30")}, {}, {{"gear", texts_of({"pot", "line"})}}}, {}, "gear");
  const std::vector<Timeline> both{two()[0], gear};
  CHECK(texts(align(both, onto("15min")), "gear") ==
        std::vector<std::string>{"pot", "pot", "line"});
  // What is said for all goes for texts, too, where it fits them.
  CHECK(texts(align(both, onto("15min", "next")), "gear") ==
        std::vector<std::string>{"pot", "line", "line"});
  CHECK(texts(align(both, onto("15min", "gear:nearest")), "gear") ==
        std::vector<std::string>{"pot", "pot", "line"});
  CHECK(texts(align(both, onto("15min", "exact")), "gear") ==
        std::vector<std::string>{"pot", "", "line"});
  CHECK(texts(align(both, onto("15min", "mean")), "gear") ==
        std::vector<std::string>{"pot", "pot", "line"});
  CHECK(texts(align(both, onto("15min", "gear:gear=next")), "gear") ==
        std::vector<std::string>{"pot", "line", "line"});
  CHECK(readings(align(both, onto("15min", "gear:gear=count")), "gear") == Readings{1, 0, 1});
  CHECK_THROWS_WITH(align(both, onto("15min", "gear:gear=linear")),
                    Catch::Contains("holds text, not numbers"));
}

TEST_CASE("sources that do not overlap, and empty ones, are said loudly", "[align]") {
  const std::vector<Timeline> apart{one_column("a", {"00:00", "00:10"}, {1, 2}),
                                    one_column("b", {"05:00"}, {3})};
  CHECK(align(apart, onto("10min", "", Align::Span::common)).rows() == 0);
  CHECK(align(apart, onto("common")).rows() == 0);
  Align exact = onto("a", "exact");
  const auto out = align(apart, exact);
  CHECK(out.account().last().notes ==
        std::vector<std::string>{"a: 2 of 2 rows have a reading",
                                 "NOTHING MATCHED: b: 0 of 2 rows have a reading"});
  CHECK(out.account().last().rows_in == 3);
}

TEST_CASE("what can't be aligned is named", "[align]") {
  CHECK_THROWS_WITH(align(two(), {}), Catch::Contains("align takes ‹onto›"));
  CHECK_THROWS_WITH(align(two(), onto("tyde")), Catch::Contains("did you mean tide"));
  CHECK_THROWS_WITH(align(two(), onto("union", "sum")), Catch::Contains("a grid's buckets"));
  CHECK_THROWS_WITH(align(two(), onto("1h", "tyde:sum")), Catch::Contains("did you mean tide"));
  CHECK_THROWS_WITH(align(two(), onto("1h", "tide:level=sum")), Catch::Contains("level"));
  CHECK_THROWS_WITH(align(two(), onto("1h", "sum,mean")), Catch::Contains("for the same"));
  CHECK_THROWS_WITH(onto("1h", "avg"), Catch::Contains("mean"));
  CHECK_THROWS_WITH(onto("1h", "level=sum"), Catch::Contains("NAME:COLUMN=METHOD"));
  CHECK_THROWS_WITH(align(two(), onto("1us")), Catch::Contains("more than 1,000,000,000 rows"));
  CHECK_THROWS_AS(onto("15mn"), Error);
}

}  // namespace zerobeat::testing
