// Gaps and outliers: seen, judged and mended, through the real binary.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "support/tool.hpp"

namespace zerobeat::testing::mending {

namespace {

const std::string tide =
    "time,level_m,kg\n2025-10-20T00:00:00Z,1,5\n2025-10-20T00:10:00Z,NA,5\n"
    "2025-10-20T00:20:00Z,3,5\n2025-10-20T00:30:00Z,44,6\n2025-10-20T00:40:00Z,2,7\n"
    "2025-10-20T02:00:00Z,1,8\n2025-10-20T02:10:00Z,2,NA\n";

}  // namespace

TEST_CASE("gaps lists what is missing, and by which parts of the calendar", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result list = bench.run("gaps tide.csv --on level_m");
  CHECK(list.out ==
        "column,from,to,length_s,rows\n,2025-10-20T00:40:00Z,2025-10-20T02:00:00Z,4800,7\n"
        "level_m,2025-10-20T00:00:00Z,2025-10-20T00:20:00Z,1200,1\n");
  CHECK_THAT(list.err, Catch::Contains("1 gap of records: shortest 1 h 20 min"));
  CHECK(bench.run("gaps tide.csv --by hour --on kg").out ==
        "hour,column,missing_s,missing_share\n0,,600,0.16666666666666666\n"
        "0,kg,600,0.16666666666666666\n1,,3600,1\n1,kg,3600,1\n2,,0,0\n2,kg,0,0\n");
  CHECK_THAT(bench.run("gaps tide.csv --by kg:5").err, Catch::Contains("parts of the calendar"));
  CHECK_THAT(bench.run("gaps tide.csv + fill").err, Catch::Contains("makes a table"));
  check_plan_of(bench, "gaps tide.csv --by day,hour");
}

TEST_CASE("fill has its methods, tells what it filled, and tries them first", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result filled = bench.run("fill tide.csv --how median --flag --on level_m");
  CHECK_THAT(filled.out, Catch::Contains("2025-10-20T00:10:00Z,2,5,true\n"));
  CHECK_THAT(filled.err, Catch::Contains("level_m: 1 filled, the longest gap 20 min"));
  CHECK_THAT(bench.run("fill tide.csv --how like:kg --on level_m").out,
             Catch::Contains("00:10:00Z,"));
  const Result tried =
      bench.run("fill tide.csv --try linear,mean,constant:2 --on level_m --hide 30%");
  CHECK(tried.out.starts_with("how,column,hidden,filled,mae,rmse,bias,worst\nlinear,level_m,"));
  CHECK_THAT(tried.err, Catch::Contains("comes nearest"));
  CHECK_THAT(bench.run("fill tide.csv --try linear --how spline").err,
             Catch::Contains("--try names the ways itself"));
  CHECK_THAT(bench.run("fill tide.csv --how seasonal").err, Catch::Contains("seasonal:1d"));
  CHECK_THAT(bench.run("fill tide.csv --how mean --window 0").err, Catch::Contains("window"));
  for (const char* how : {"monotone", "spline", "seasonal:1h", "mean --window 30min", "like:kg"}) {
    check_plan_of(bench, std::string("fill tide.csv --ends hold --on level_m --how ") + how);
  }
  check_plan_of(bench, "fill tide.csv --try linear,spline --on level_m --seed 4");
}

TEST_CASE("plot draws a trial of ways to fill, where the best is furthest off", "[tool]") {
  const Bench bench;
  std::string wave = "time,probe,level,note\n";
  for (int i = 0; i < 300; ++i) {
    const bool gone = i % 60 > 52;
    wave += fmt::format("2025-10-{:02}T{:02}:00:00Z,north,{},ok\n", 1 + i / 24, i % 24,
                        gone ? "" : fmt::format("{:.3f}", std::sin(i / 5.0)));
  }
  bench.put("wave.csv", wave);
  const Result drawn = bench.run(
      "fill wave.csv --key probe --try linear,spline,previous --hide 0.2 + plot -o try.svg");
  INFO(drawn.err);
  REQUIRE(drawn.exit == 0);
  CHECK_THAT(drawn.err, Catch::Contains("level: spline comes nearest"));
  const std::string svg = bench.get("try.svg");
  CHECK_THAT(svg, Catch::Contains("north, level: spline comes nearest; here it is furthest off"));
  for (const char* way : {"linear, ", "spline, ", "previous, ", "hidden", "readings"}) {
    CHECK_THAT(svg, Catch::Contains(way));
  }
  // Gaps are of seven: each way has a mark for each of them, and for the readings beside.
  const std::size_t line = svg.find("<title>linear, ");
  REQUIRE(line != std::string::npos);
  const std::string way = svg.substr(line, svg.find("<title>spline, ", line) - line);
  std::size_t marks = 0;
  for (std::size_t i = 0; (i = way.find("<use ", i)) != std::string::npos; ++i) ++marks;
  CHECK(marks == 9);
  CHECK(bench.run("fill wave.csv --try linear --hide 2 + plot -o a.svg").exit == 2);
  CHECK_THAT(bench.run("fill wave.csv --try linear --on note + plot -o a.svg").err,
             Catch::Contains("note"));
  CHECK_THAT(bench.run("fill wave.csv --try linear + plot --gaps -o a.svg").err,
             Catch::Contains("plot: --gaps does not go with the picture of fill; --title, "
                             "--subtitle, --names, --size, --scale do"));
  CHECK(!bench.has("a.svg"));
}

TEST_CASE("check says what is regular, what pauses, and what is stacked", "[tool]") {
  const Bench bench;
  std::string months = "month,kg\n";
  for (int m = 0; m < 60; ++m) {
    if (m != 17) months += fmt::format("{}-{:02},{}\n", 2018 + m / 12, 1 + m % 12, m);
  }
  bench.put("months.csv", months);
  CHECK_THAT(bench.run("check months.csv").out, Catch::Contains("monthly, 1 of 60 months missing"));
  CHECK_THAT(bench.run("check months.csv --json").out,
             Catch::Contains("\"period\": \"1month\"") && Catch::Contains("\"absent\": 1"));
  std::string berths = "time,berth,v\n", nights = "time,v\n";
  for (int b = 0; b < 3; ++b) {
    for (int i = 0; i < 96; ++i) {
      berths += fmt::format("2025-10-20T{:02}:{:02}:00Z,{},{}\n", i / 4, i % 4 * 15, b, i);
    }
  }
  for (int i = 0; i < 6 * 24 * 10; ++i) {
    if (i / 6 % 24 < 4) {
      nights +=
          fmt::format("2025-10-{:02}T{:02}:{:02}:00Z,1\n", 1 + i / 144, i / 6 % 24, i % 6 * 10);
    }
  }
  bench.put("berths.csv", berths);
  bench.put("nights.csv", nights);
  for (const char* asked : {"check berths.csv", "check -", "check berths.csv --json"}) {
    CHECK_THAT(bench.run(asked, berths).out, Catch::Contains("--key berth"));
  }
  CHECK_THAT(bench.run("check berths.csv --key berth").out, !Catch::Contains("stacked"));
  CHECK_THAT(bench.run("check nights.csv").out,
             Catch::Contains("9 of them are the time between sessions (00:00-03:51"));
  CHECK_THAT(bench.run("gaps nights.csv").err,
             Catch::Contains("9 of them are the time between sessions (00:00-03:51)"));
}

TEST_CASE("clip judges in several ways, and writes every change", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result clipped =
      bench.run("clip tide.csv --on level_m --fences 3 --put level --changes c.csv --band");
  INFO(clipped.err);
  CHECK_THAT(clipped.out, Catch::Contains("time,level_m,kg,level_m_low,level_m_high\n") &&
                              Catch::Contains("00:30:00Z,2,6,"));
  CHECK(bench.get("c.csv") ==
        "time,key,column,before,after,why\n2025-10-20T00:30:00Z,,level_m,44,2,fences\n");
  CHECK_THAT(bench.run("clip tide.csv --on kg --stuck 3 --flag").out,
             Catch::Contains("2025-10-20T00:20:00Z,3,,true\n"));
  const auto refused = [&](const std::string& options, const std::string& why) {
    const Result result = bench.run("clip tide.csv -o o.csv " + options);
    INFO(options << result.err);
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::Contains(why));
    CHECK(!bench.has("o.csv"));
  };
  refused("", "clip takes one of");
  refused("--spread 0", "a number above 0");
  refused("--deviations -1", "a number above 0");
  refused("--quantiles 0.9,0.1", "the lower one comes first");
  refused("--spread 3 --fences 2", "not several");
  refused("--stuck 1", "two readings at least");
  refused("--spread 3 --window 0", "window");
  refused("--spread 3 --changes tide.csv", "tide.csv");
  const Result unwritable = bench.run("clip tide.csv --spread 3 --changes no/c.csv -o o.csv");
  CHECK(unwritable.exit == 5);
  CHECK(!bench.has("o.csv"));
  check_plan_of(bench,
                "clip tide.csv --spread 6 --window 5 --stuck 20min --put linear --min-count 2");
  check_plan_of(bench, "clip tide.csv --deviations 2 --band --flag --changes c.csv");
}

TEST_CASE("plot marks what was changed, and an outlier does not flatten the axis", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  REQUIRE(bench.run("clip tide.csv --on level_m --fences 3 --put missing --flag --band -o c.csv")
              .exit == 0);
  const Result drawn = bench.run("plot tide.csv --over c.csv --y level_m -o m.svg");
  INFO(drawn.err);
  REQUIRE(drawn.exit == 0);
  const std::string svg = bench.get("m.svg");
  // The outlier's value stands at the edge, and no tick is near it.
  CHECK_THAT(svg,
             Catch::Contains("44") && Catch::Contains("changed") && Catch::Contains("no outlier"));
  CHECK_THAT(svg, !Catch::Contains("> 40<"));
  const Result plain = bench.run("plot tide.csv --y level_m -o p.svg");
  CHECK_THAT(bench.get("p.svg"), Catch::Contains("40"));
  CHECK(plain.exit == 0);
  CHECK_THAT(bench.run("plot tide.csv --y level_m --marks -o n.svg").err,
             Catch::Contains("no column A_clipped or A_filled"));
}

TEST_CASE("gaps are drawn as a strip for each strand and column", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  REQUIRE(bench.run("gaps tide.csv + plot -o m.svg").exit == 0);
  const std::string svg = bench.get("m.svg");
  CHECK_THAT(svg, Catch::Contains("level_m") && Catch::Contains("kg") &&
                      Catch::Contains("some missing") &&
                      Catch::Contains("What is there and what is missing"));
  // 130 minutes, of which 80 in the middle lack 70, and level_m 10 more.
  CHECK_THAT(svg, Catch::Contains("level_m 38.5%; kg 46.2%"));
  CHECK_THAT(bench.run("gaps tide.csv --on leve_m + plot -o n.svg").err,
             Catch::Contains("did you mean level_m"));
  CHECK_THAT(bench.run("gaps tide.csv + plot --bars -o n.svg").err,
             Catch::Contains("--bars does not go with the picture of gaps"));
  CHECK(!bench.has("n.svg"));
}

}  // namespace zerobeat::testing::mending
