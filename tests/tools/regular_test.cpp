#include <algorithm>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing::regular {

namespace {

constexpr const char* trades =
    "time,species,price,kg\n"
    "2025-10-20T08:50:00Z,hake,4,100\n"
    "2025-10-20T09:05:00Z,hake,5,300\n"
    "2025-10-20T09:20:00Z,ling,3,50\n"
    "2025-10-20T09:50:00Z,hake,4.5,700\n"
    "2025-10-21T09:10:00Z,hake,6,200\n"
    "2025-10-21T09:40:00Z,ling,2,40\n";

constexpr const char* tide =
    "time,level_m\n"
    "2025-10-20T00:00:00Z,1\n"
    "2025-10-20T00:20:00Z,3\n"
    "2025-10-20T02:00:00Z,8\n";

std::size_t lines(const std::string& text) {
  return static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
}

bool is_png(const std::string& bytes) { return bytes.substr(1, 3) == "PNG"; }

}  // namespace

TEST_CASE("sessions, levels and the data's own buckets are asked for by an option", "[tool]") {
  const Bench bench;
  bench.put("trades.csv", trades);
  const Result session = bench.run(
      "resample trades.csv --every 1d --hours 09:00-09:30 --take 'kg=sum(kg)' --key species");
  CHECK(session.out ==
        "time,species,kg\n2025-10-20T09:00:00Z,hake,300\n2025-10-21T09:00:00Z,hake,200\n2025-10-"
        "20T09:00:00Z,ling,50\n");
  CHECK_THAT(session.err, Catch::Contains("3 records outside the hours were left out"));
  CHECK(bench.run("resample trades.csv --every 1month,1d --take 'kg=sum(kg)'").out ==
        "time,level,kg\n2025-10-01T00:00:00Z,1month,1390\n2025-10-20T00:00:00Z,1d,1150\n2025-10-"
        "21T00:"
        "00:00Z,1d,240\n");
  CHECK(bench.run("resample trades.csv --by-count 4 --take 'kg=sum(kg)' --partial mark").out ==
        "time,kg,partial\n2025-10-20T08:50:00Z,1150,false\n2025-10-21T09:10:00Z,240,true\n");
  CHECK(bench.run("resample trades.csv --by-sum kg:400 --take 'count()'").out ==
        "time,count\n2025-10-20T08:50:00Z,2\n2025-10-20T09:20:00Z,2\n2025-10-21T09:10:00Z,2\n");
  CHECK(bench.run("resample trades.csv --by-value kg:500 --take 'count(),m=mean(price)'").out ==
        "kg_from,kg_to,count,m\n0,500,5,4\n500,1000,1,4.5\n");
  CHECK(bench.run("resample trades.csv --by-value kg:500 --by-count 4").exit == 2);
  CHECK(bench.run("resample trades.csv --every 1d --by-count 4").exit == 2);
  bench.put("holidays.txt", "2025-10-21\n");
  CHECK(bench.run("resample trades.csv --every 1d --holidays holidays.txt --take 'count()'").out ==
        "time,count\n2025-10-20T00:00:00Z,6\n");
}

TEST_CASE("several sources are resampled into one table, each its own way", "[tool]") {
  const Bench bench;
  bench.put("trades.csv", trades);
  bench.put("tide.csv", tide);
  CHECK(bench
            .run("resample trades.csv tide.csv --every 1d --take 'trades:kg=sum(kg)' "
                 "--take 'tide:level=mean(level_m)'")
            .out == "time,kg,level\n2025-10-20T00:00:00Z,1150,4\n2025-10-21T00:00:00Z,240,\n");
  CHECK(bench.run("resample trades.csv tide.csv --every 1d --take 'count()'").out ==
        "time,count_trades,count_tide\n2025-10-20T00:00:00Z,4,3\n2025-10-21T00:00:00Z,2,\n");
  // One without a key goes with every strand of one that has one.
  bench.put("keyed.csv", "time,gear,kg\n2025-10-20T00:00:00Z,pot,5\n2025-10-20T01:00:00Z,line,7\n");
  CHECK(bench
            .run("resample keyed.csv tide.csv --key keyed:gear --every 1d --take "
                 "'keyed:kg=sum(kg)' --take 'tide:level=mean(level_m)'")
            .out ==
        "time,gear,kg,level\n2025-10-20T00:00:00Z,pot,5,4\n2025-10-20T00:00:00Z,line,7,4\n");
  const Result levels = bench.run("resample trades.csv tide.csv --every 1month,1d");
  CHECK(levels.exit == 2);
  CHECK_THAT(levels.err, Catch::Contains("one level"));
  const Result twice =
      bench.run("resample trades.csv --every 1d --take 'count()' --take 'sum(kg)'");
  CHECK(twice.exit == 2);
  CHECK_THAT(twice.err, Catch::Contains("--take is given twice"));
  CHECK_THAT(bench.run("resample tide.csv --every 1d --take 'median(x'").err,
             Catch::Contains("--take median(x"));
}

TEST_CASE("what buckets of the data can't be is told with column and option", "[tool]") {
  const Bench bench;
  bench.put("trades.csv", trades);
  CHECK_THAT(bench.run("resample trades.csv --by-sum species:5").err,
             Catch::Contains("--by-sum species:5: column \"species\" holds text"));
  CHECK_THAT(bench.run("profile trades.csv --by species:5").err,
             Catch::Contains("column \"species\" holds text"));
  CHECK_THAT(bench.run("resample trades.csv --by-value kg:1e-15").err,
             Catch::Contains("too many buckets from 0"));
  CHECK_THAT(bench.run("resample trades.csv --every 1ns").err,
             Catch::Contains("more than 1,000,000,000; take a longer period"));
  CHECK_THAT(bench.run("resample trades.csv --buckets 2000000000").err,
             Catch::Contains("take fewer"));
  CHECK_THAT(bench.run("resample trades.csv --every 1h --hours 9-17").err,
             Catch::Contains("09:00-17:30"));
}

TEST_CASE("a finer grid is left open, or filled in steps or on lines", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  CHECK(bench
            .run("resample tide.csv --every 40min --take "
                 "'open=mean(level_m),step=at(level_m),line=at(level_m,linear)'")
            .out ==
        "time,open,step,line\n2025-10-20T00:00:00Z,2,1,1\n2025-10-20T00:40:00Z,,3,4\n2025-10-20T01:"
        "20:00Z,,3,6\n2025-10-20T02:00:00Z,8,8,8\n");
  bench.put("instants.csv", "time\n2025-10-20T00:10:00Z\n2025-10-20T01:10:00Z\n");
  CHECK(bench.run("join instants.csv tide.csv --match linear").out ==
        "time,level_m\n2025-10-20T00:10:00Z,2\n2025-10-20T01:10:00Z,5.5\n");
}

TEST_CASE("profile writes a row for each part, by the zone's clocks", "[tool]") {
  const Bench bench;
  bench.put("trades.csv", trades);
  const Result hours = bench.run(
      "profile trades.csv --by hour --take 'n=count()' --zone Europe/Dublin --empty skip");
  CHECK(hours.out == "hour,n\n9,1\n10,5\n");
  CHECK_THAT(hours.err, Catch::Contains("profile: 6 rows in, 2 out"));
  CHECK(lines(bench.run("profile trades.csv --by weekday,hour --key species").out) ==
        1 + 2 * 7 * 24);
  CHECK(
      bench.run("profile trades.csv --by weekday --week-starts tue --take 'n=count()' --empty skip")
          .out == "weekday,n\ntue,2\nmon,4\n");
  CHECK(bench.run("profile trades.csv --by month --over 1d --take 'kg=sum(kg)' --empty skip").out ==
        "month,kg,kg_std,kg_min,kg_max,kg_n\n10,695,643.4671708797582,240,1150,2\n");
  CHECK(bench.run("profile trades.csv").exit == 2);
  CHECK(bench.run("profile trades.csv --by fortnight").exit == 2);
  bench.run("profile trades.csv --by hour -o hours.csv --account account.json");
  CHECK(bench.has("hours.csv"));
  CHECK(nlohmann::json::parse(bench.get("account.json"))["steps"].back()["step"] == "profile");
}

TEST_CASE("thin tells how far its line is from the readings", "[tool]") {
  const Bench bench;
  std::string wave = "time,level\n";
  for (int i = 0; i < 600; ++i) {
    char line[64];
    std::snprintf(line, sizeof line, "2025-10-20T%02d:%02d:00Z,%d\n", i / 60, i % 60,
                  i == 321 ? 99 : i % 7);
    wave += line;
  }
  bench.put("wave.csv", wave);
  const Result thin = bench.run("thin wave.csv --points 30");
  CHECK(lines(thin.out) == 31);
  CHECK_THAT(thin.out, Catch::Contains(",99\n"));
  CHECK_THAT(thin.err, Catch::Contains("level: 30 of 600 readings; none is further than"));
  CHECK(lines(bench.run("thin wave.csv --how extremes --points 40").out) <= 41);
  CHECK(lines(bench.run("thin wave.csv --share 0.1").out) == 61);
  CHECK(bench.run("thin wave.csv --share 0.1 --seed 4").out ==
        bench.run("thin wave.csv --share 0.1 --seed 4 --threads 1").out);
  CHECK(bench.run("thin wave.csv --points 2").exit == 2);
}

TEST_CASE("reshape turns keys, columns and columns of dates", "[tool]") {
  const Bench bench;
  bench.put("trades.csv", trades);
  const Result wide = bench.run("reshape trades.csv --key species --on price");
  CHECK(wide.out.substr(0, wide.out.find('\n')) == "time,hake,ling");
  CHECK(lines(wide.out) == 7);
  bench.put("dates.csv",
            "species,quay,2025-01,2025-02,2025-03\nhake,north,1,2,NA\nling,south,4,,6.5\n");
  const Result dates = bench.run("reshape dates.csv --into long --value-name kg");
  CHECK(
      dates.out ==
      "time,species,quay,kg\n2025-01-01T00:00:00Z,hake,north,1\n2025-02-01T00:00:00Z,hake,north,2\n"
      "2025-03-01T00:00:00Z,hake,north,\n2025-01-01T00:00:00Z,ling,south,4\n2025-02-01T00:00:00Z,"
      "ling,south,\n2025-03-01T00:00:00Z,ling,south,6.5\n");
  bench.put("words.csv", "species,2025-01,2025-02\nhake,1,calm\nling,2,rough\n");
  const Result words = bench.run("reshape words.csv --into long");
  CHECK(words.exit == 3);
  CHECK_THAT(words.err, Catch::Contains("\"2025-02\" holds text"));
  bench.put("long.csv", bench.run("reshape dates.csv --into long --quiet").out);
  CHECK(bench.run("reshape long.csv --key species --on value").out ==
        "time,hake,ling\n2025-01-01T00:00:00Z,1,4\n2025-02-01T00:00:00Z,2,\n2025-03-01T00:00:00Z,,"
        "6.5\n");
  CHECK(bench.run("reshape trades.csv").exit == 2);
}

TEST_CASE("totals start again, and a year is compared with the one before", "[tool]") {
  const Bench bench;
  bench.put("kg.csv", "time,kg\n2024-11-01,4\n2024-12-01,5\n2025-11-01,6\n2025-12-01,4\n");
  CHECK(
      bench.run("roll kg.csv --take 'total=cumsum(kg)' --restart 1year").out ==
      "time,kg,total\n2024-11-01T00:00:00Z,4,4\n2024-12-01T00:00:00Z,5,9\n2025-11-01T00:00:00Z,6,6"
      "\n2025-12-01T00:00:00Z,4,10\n");
  CHECK(bench.run("lag kg.csv --by 1year --take 'c=change(kg)'").out ==
        "time,kg,c\n2024-11-01T00:00:00Z,4,\n2024-12-01T00:00:00Z,5,\n2025-11-01T00:00:00Z,6,0.5\n"
        "2025-12-01T00:00:00Z,4,-0.2\n");
}

TEST_CASE("plot draws bars, panels and profiles", "[tool]") {
  const Bench bench;
  bench.put("trades.csv", trades);
  bench.put("tide.csv", tide);
  bench.run("resample tide.csv --every 1h --partial mark -o hourly.csv");
  for (const char* words :
       {"plot hourly.csv --bars --mean -o a.png",
        "plot trades.csv --key species --panels --y price -o a.png",
        "profile trades.csv --by weekday,hour --take 'mean(price)' + plot -o a.png",
        "plot tide.csv --gaps --log -o a.png",
        "profile trades.csv --by hour --key species + plot --mean -o a.png",
        "profile trades.csv --by kg:100 --take 'count()' + plot --log -o a.png",
        "spells trades.csv --where 'kg > 100' + plot -o a.png"}) {
    INFO(words);
    const Result drawn = bench.run(words);
    CHECK(drawn.err.find("could not draw") == std::string::npos);
    CHECK(drawn.exit == 0);
    REQUIRE(bench.has("a.png"));
    CHECK(is_png(bench.get("a.png")));
    fs::remove(bench.folder() / "a.png");
  }
  CHECK_THAT(bench.run("profile trades.csv --by month,weekday,hour + plot -o a.png").err,
             Catch::Contains("by two crossed"));
  CHECK_THAT(bench.run("profile trades.csv --by hour + plot --bars -o a.png").err,
             Catch::Contains("--mean, --log, --y-range, --title"));
  bench.put("low.csv", "time,level\n2025-10-20T00:00:00Z,-1\n2025-10-20T01:00:00Z,5\n");
  CHECK_THAT(bench.run("plot low.csv --log -o a.png").err,
             Catch::Contains("1 readings are not above zero"));
}

TEST_CASE("a plan has the same steps, and figures of profiles", "[tool]") {
  const Bench bench;
  bench.put("trades.csv", trades);
  bench.put("holidays.txt", "2025-10-21\n");
  bench.put("plan.toml", R"plan(
[source.trades]
file = "trades.csv"
key = "species"

[series.daily]
from = "trades"
steps = [
  { resample = { every = "1d", holidays = "holidays.txt", take = "kg=sum(kg)" } },
  { roll = { take = "cumsum(kg)", restart = "1year" } },
  { reshape = { into = "wide", on = "kg" } },
]

[series.thinned]
from = "trades"
steps = [ { thin = { points = 3, on = "kg" } } ]

[output.daily]
file = "out/daily.csv"

[output.thinned]
file = "out/thinned.csv"

[series.hours]
from = "trades"
steps = [ { profile = { by = "hour", take = "mean(price)" } } ]

[output.hours]
figure = "out/hours.png"
mean = true
)plan");
  const Result run = bench.run("run plan.toml");
  INFO(run.err);
  CHECK(run.exit == 0);
  CHECK(bench.get("out/daily.csv") == "time,hake,ling\n2025-10-20T00:00:00Z,1300,90\n");
  CHECK(lines(bench.get("out/thinned.csv")) == 1 + 3 + 2);
  CHECK(is_png(bench.get("out/hours.png")));
  CHECK_THAT(run.err, Catch::Contains("thinned, thin: kg: 5 of 6 readings"));
  CHECK_THAT(bench.run("explain plan.toml").out, Catch::Contains("reshape"));
}

}  // namespace zerobeat::testing::regular
