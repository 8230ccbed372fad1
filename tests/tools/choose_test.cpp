// Choosing and computing, through the real binary.

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing::choose {

namespace {

const std::string stations =
    "time,station,level_m,flow,gear\n"
    "2025-10-24T09:00:00Z,north,1,10,pot\n"
    "2025-10-24T10:00:00Z,north,2,NA,line\n"
    "2025-10-25T09:00:00Z,north,3,30,pot\n"
    "2025-10-24T09:00:00Z,south,4,40,pot\n"
    "2025-10-27T09:00:00Z,south,5,0,line\n";

}  // namespace

TEST_CASE("select chooses rows and columns, and a condition may read what is not written",
          "[tool]") {
  const Bench bench;
  bench.put("s.csv", stations);
  CHECK(bench
            .run("select s.csv --key station --where \"gear = 'pot' and flow > 5\" "
                 "--columns level_m")
            .out ==
        "time,station,level_m\n2025-10-24T09:00:00Z,north,1\n2025-10-25T09:00:00Z,north,3\n"
        "2025-10-24T09:00:00Z,south,4\n");
  CHECK(bench.run("select s.csv --key station --keys south --weekdays mon").out ==
        "time,station,level_m,flow,gear\n2025-10-27T09:00:00Z,south,5,0,line\n");
  CHECK(bench.run("select s.csv --key station --between 2025-10-25, --columns flow").out ==
        "time,station,flow\n2025-10-25T09:00:00Z,north,30\n2025-10-27T09:00:00Z,south,0\n");
  // What leaves nothing is a result: a header, and the account says what left the rows out.
  const Result none = bench.run("select s.csv --where 'level_m > 9' -o none.csv");
  CHECK(none.exit == 0);
  CHECK(bench.get("none.csv") == "time,station,level_m,flow,gear\n");
  CHECK_THAT(none.err, Catch::Contains("rows left out: 5 by --where"));
  CHECK(bench.run("select s.csv --working --holidays none.ics").exit == 3);
}

TEST_CASE("mistakes in an expression end with 2, with a caret under them", "[tool]") {
  const Bench bench;
  bench.put("s.csv", stations);
  const Result result = bench.run("compute s.csv --set 'x=level_m + flw' -o o.csv");
  CHECK(result.exit == 2);
  CHECK_THAT(result.err, Catch::Contains("compute: --set x: there is no column flw; did you mean "
                                         "flow?\n  level_m + flw\n            ^\n"));
  CHECK(!bench.has("o.csv"));
  CHECK_THAT(bench.run("select s.csv --where 'level_m >> 3'").err,
             Catch::Contains("  level_m >> 3\n           ^\n"));
  bench.put(
      "plan.toml",
      "[source.s]\nfile = \"s.csv\"\n[series.a]\nfrom = \"s\"\nsteps = [\n  { compute = { set "
      "= [\"x=level_m\", \"y=sqr(x)\"] } },\n]\n[output.a]\nfile = \"a.csv\"\n");
  CHECK_THAT(bench.run("run plan.toml").err,
             Catch::Contains("plan.toml:6: series a, compute: set: there is no function sqr"));
}

TEST_CASE("compute takes --set again and again", "[tool]") {
  const Bench bench;
  bench.put("s.csv", stations);
  const Result result =
      bench.run("compute s.csv --key station --set 'rate=flow/level_m' --set 'high=rate>9' --only");
  CHECK(result.exit == 0);
  CHECK(
      result.out.starts_with("time,station,rate,high\n2025-10-24T09:00:00Z,north,10,true\n"
                             "2025-10-24T10:00:00Z,north,,\n"));
  CHECK_THAT(bench.run("compute s.csv --set 'station=1' --key station").err,
             Catch::Contains("name of the key"));
  CHECK_THAT(bench.run("compute s.csv --set 'x=1/flow' -o x.csv").err,
             Catch::Contains("x: 1 results are not finite, and missing"));
}

TEST_CASE("spells and descriptions are tables", "[tool]") {
  const Bench bench;
  bench.put("s.csv", stations);
  CHECK(bench.run("spells s.csv --key station --where 'level_m > 1' --take 'max(level_m)'").out ==
        "station,from,to,duration_s,rows,level_m_max\n"
        "north,2025-10-24T10:00:00Z,2025-10-25T21:00:00Z,126000,2,3\n"
        "south,2025-10-24T09:00:00Z,2025-10-30T09:00:00Z,518400,2,5\n");
  const Result made = bench.run("describe s.csv --key station --on level_m");
  CHECK(made.exit == 0);
  CHECK(
      made.out.starts_with("station,column,count,missing,first,last,mean,std,min,q05,q25,median,"
                           "q75,q95,max,skewness,kurtosis,mean_se,t,p_mean_zero\n"
                           "north,level_m,3,0,2025-10-24T09:00:00Z,2025-10-25T09:00:00Z,2,1,1,"));
  CHECK_THAT(bench.run("describe s.csv + fill").err, Catch::Contains("makes a table"));
  CHECK_THAT(bench.run("spells s.csv").err, Catch::Contains("--where CONDITION"));
}

TEST_CASE("the plans of these commands do the same", "[tool]") {
  const Bench bench;
  bench.put("s.csv", stations);
  for (const std::string words :
       {"select s.csv --key station --where \"gear = 'pot'\" --columns level_m,flow",
        "select s.csv --between 2025-10-24T10,2025-10-26 --months 10 --hours 08:00-12:00",
        "compute s.csv --set 'a=min(level_m,flow)' --set '\"b (m)\"=level_m@first' --only",
        "spells s.csv --key station --where 'level_m > 1' --bridge 1d --take 'mean(flow)'",
        "describe s.csv --key station",
        "select s.csv --where 'flow > 5' + compute --set 'x=flow*2' + lag --take 'diff(x)'"}) {
    check_plan_of(bench, words);
  }
}

TEST_CASE("in a plan both sides of a range are a list of two, either empty", "[tool]") {
  const Bench bench;
  bench.put("s.csv", stations);
  bench.put("plan.toml",
            "[source.s]\nfile = \"s.csv\"\nkey = \"station\"\n[series.a]\nfrom = \"s\"\nsteps = [\n"
            "  { select = { between = [\"\", \"2025-10-24T10:00\"], columns = [\"flow\"], keys = "
            "[\"north\", \"south\"] } },\n]\n[output.a]\nfile = \"a.csv\"\n");
  CHECK(bench.run("run plan.toml").exit == 0);
  CHECK(bench.get("a.csv") ==
        "time,station,flow\n2025-10-24T09:00:00Z,north,10\n"
        "2025-10-24T09:00:00Z,south,40\n");
}

TEST_CASE("a picture shows what is chosen, and when a condition held", "[tool]") {
  const Bench bench;
  bench.put("s.csv", stations);
  CHECK(bench
            .run("plot s.csv --key station --keys north --y level_m --spells 'level_m > 1' "
                 "--y-range 0,4 -o a.svg")
            .exit == 0);
  const std::string svg = bench.get("a.svg");
  CHECK_THAT(svg, Catch::Contains("level_m > 1") && Catch::Contains("level_m north") &&
                      !Catch::Contains("level_m south"));
  // The spell's ground, and its place in the key.
  const std::string ground = "<polygon fill = 'rgb(220, 235, 228)'";
  std::size_t grounds = 0;
  for (std::size_t at = svg.find(ground); at != std::string::npos; at = svg.find(ground, at + 1)) {
    ++grounds;
  }
  CHECK(grounds == 2);
  CHECK(bench.run("describe s.csv --on level_m + plot -o d.svg").exit == 0);
  CHECK_THAT(bench.get("d.svg"), Catch::Contains("5 readings, mean 3, std 1.581") &&
                                     Catch::Contains("quantile of the normal distribution"));
  CHECK_THAT(bench.run("describe s.csv --on level_m + plot --bars -o e.svg").err,
             Catch::Contains("--bars does not go with the picture of describe"));
  CHECK_THAT(bench.run("plot s.csv --spells 'levl > 1' -o e.svg").err,
             Catch::Contains("--spells: there is no column levl"));
  CHECK(!bench.has("e.svg"));
}

}  // namespace zerobeat::testing::choose
