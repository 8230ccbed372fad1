#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing::axis {

namespace {

constexpr const char* capture = "t,x\n0,1\n0.5,3\n1.25,5\n4,2\n";

}  // namespace

TEST_CASE("elapsed times go through reading, steps and writing under their own name", "[axis]") {
  const Bench bench;
  bench.put("c.csv", capture);
  const std::string as = " --time-format elapsed-s --quiet";
  CHECK(bench.run("settle c.csv" + as).out == capture);
  CHECK(bench.run("resample c.csv --every 1s --take 'mean(x),time_of_max(x)'" + as).out ==
        "t,x_mean,x_time_of_max\n0,2,0.5\n1,5,1.25\n2,,\n3,,\n4,2,4\n");
  CHECK(bench.run("resample c.csv --every 1s --row-at middle --empty skip" + as).out ==
        "t,x_mean\n0.5,2\n1.5,5\n4.5,2\n");
  CHECK(bench.run("lag c.csv --by 500ms --take 'rate(x)'" + as).out ==
        "t,x,x_rate\n0,1,\n0.5,3,4\n1.25,5,2.6666666666666665\n4,2,-1.0909090909090908\n");
  CHECK(bench.run("clip c.csv --bounds 0,4 --changes ch.csv -o /dev/null" + as).exit == 0);
  CHECK(bench.get("ch.csv") == "time,key,column,before,after,why\n1.25,,x,5,4,bounds\n");
  CHECK(bench.run("settle c.csv --not-after 1.25" + as + " --tolerate 1").out ==
        "t,x\n0,1\n0.5,3\n1.25,5\n");
  const auto report = nlohmann::json::parse(bench.run("check c.csv --json" + as).out);
  CHECK(report["strands"][0]["last"] == 4);
  CHECK(report["strands"][0]["typical_step_s"] == 0.75);
  CHECK(report["time"]["format"] == "elapsed-s");
}

TEST_CASE("what needs a clock or a calendar is refused on elapsed times", "[axis]") {
  const Bench bench;
  bench.put("c.csv", capture);
  bench.put("tide.csv", "time,y\n2025-10-20T00:00:00Z,1\n");
  const auto fails = [&](const std::string& words, const std::string& why) {
    const Result result = bench.run(words + " --time-format c:elapsed-s");
    INFO(words << "\n" << result.err);
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::Contains(why));
    CHECK(result.out.empty());
  };
  fails("resample c.csv --every 1d", "no calendar");
  fails("resample c.csv --every 1s --hours 09:00-17:00", "no clock");
  fails("profile c.csv --by hour", "no clock");
  fails("roll c.csv --window 1month", "no calendar");
  fails("settle c.csv --zone Europe/Dublin", "have no zone");
  fails("settle c.csv --local", "no clock");
  fails("settle c.csv --precision ms", "no clock");
  fails("join c.csv tide.csv", "no common axis");
  bench.put("plan.toml",
            "zone = \"Europe/Dublin\"\n[source.c]\nfile = \"c.csv\"\ntime-format = "
            "\"elapsed-s\"\n[output.c]\nfile = \"o.csv\"\n");
  CHECK(bench.run("run plan.toml").exit == 0);
  CHECK(bench.get("o.csv") == capture);
}

TEST_CASE("stamp makes elapsed seconds and counts", "[axis]") {
  const Bench bench;
  bench.put("s.csv", "x,y\n1,2\n3,4\n5,6\n");
  CHECK(bench.run("stamp s.csv --rate 4Hz --quiet").out ==
        "elapsed_s,x,y\n0,1,2\n0.25,3,4\n0.5,5,6\n");
  CHECK(bench.run("stamp s.csv --count-from 7 + roll --window 2 --take 's=sum(x)' --quiet").out ==
        "count,x,y,s\n7,1,2,\n8,3,4,4\n9,5,6,8\n");
  CHECK(bench.run("stamp s.csv --count-from 0 + resample --every 1s").exit == 2);
  CHECK(
      bench.run("stamp s.csv --count-from 0 + resample --by-count 2 --take 'sum(x)' --quiet").out ==
      "count,x_sum\n0,4\n2,5\n");
  CHECK(bench.run("stamp s.csv --count-from 1 --rate 2Hz").exit == 2);
  bench.put("e.csv", "elapsed_s,x\n1,2\n");
  CHECK_THAT(bench.run("stamp e.csv --rate 2Hz").err,
             Catch::Contains("two columns would be named"));
  for (const char* rate :
       {"0.0000000000000000000000000000000001Hz", "1000000000000000000GHz", "0"}) {
    CHECK(bench.run(std::string("stamp s.csv --rate ") + rate).exit == 2);
  }
}

TEST_CASE("a picture of elapsed times has their name and numbers under it", "[axis]") {
  const Bench bench;
  bench.put("c.csv", capture);
  CHECK(bench.run("plot c.csv --time-format elapsed-min -o c.svg --quiet").exit == 0);
  const std::string picture = bench.get("c.svg");
  CHECK_THAT(picture, Catch::Contains("<title>x</title>") &&
                          Catch::Contains("4 readings in 1 lines, from 0 min to 4 min"));
  CHECK(picture.find("GNUPLOT") == std::string::npos);
  CHECK_THAT(picture, Catch::Contains(">0.5<") || Catch::Contains(">0.5</tspan>"));
}

}  // namespace zerobeat::testing::axis
