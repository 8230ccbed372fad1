// What a nightly run needs, through the real binary: demands, stacked sources, names, counters and
// Parquet.

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing::nightly {

namespace {

const std::string tide =
    "time,level_m\n2025-10-20T00:00:00Z,1\n2025-10-20T01:00:00Z,2\n2025-10-20T02:00:00Z,3\n";
const std::string quay =
    "time,species,kg\n2025-10-20T08:00:00Z,hake,10\n2025-10-20T09:00:00Z,cod,5\n";
const std::string pier = "when,species,kg,buyer\n20/10/2025 09:30,hake,2.5,A\n";

}  // namespace

TEST_CASE("when a demand is not met nothing is written but the account, and all is told",
          "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result good = bench.run("expect tide.csv --rows 3 --max-gap 1h --range level_m:0,5");
  CHECK(good.exit == 0);
  CHECK(good.out == tide);
  CHECK_THAT(good.err, Catch::Contains("--rows 3: met: 3 rows") &&
                           Catch::Contains("--range level_m:0,5: met: 1 to 3"));
  bench.put("out.csv", "older\n");
  const Result bad = bench.run(
      "expect tide.csv --rows 4.. --range level_m:0,2 --range level_m:1.5, -o out.csv "
      "--account account.json");
  CHECK(bad.exit == 4);
  CHECK(bad.out.empty());
  CHECK_THAT(bad.err,
             Catch::Contains("expect: 3 demands are not met:") &&
                 Catch::Contains("--rows 4..: 3 rows, 1 too few") &&
                 Catch::Contains("--range level_m:0,2: 2025-10-20T02:00:00Z: 3, 1 too high") &&
                 Catch::Contains("--range level_m:1.5,: 2025-10-20T00:00:00Z: 1, 0.5 too low"));
  CHECK(bench.get("out.csv") == "older\n");
  const auto account = nlohmann::json::parse(bench.get("account.json"));
  CHECK(account["steps"].back()["step"] == "expect");
  CHECK(account["sources"][0]["records"] == 3);
  const Result warned = bench.run("expect tide.csv --rows 4.. --warn + select --first 1h --quiet");
  CHECK(warned.exit == 0);
  CHECK(warned.out == "time,level_m\n2025-10-20T00:00:00Z,1\n");
  check_plan_of(bench,
                "expect tide.csv --rows 1.. --where 'level_m > 0' --range level_m:,3 "
                "--range level_m:0,");
}

TEST_CASE("a day's file that is missing, or a header alone, does not pass as good", "[tool]") {
  const Bench bench;
  bench.put("empty.csv", "time,level_m\n");
  CHECK(bench.run("settle empty.csv --time time").exit == 0);
  const Result empty = bench.run("expect empty.csv --time time --rows 1..");
  CHECK(empty.exit == 4);
  CHECK_THAT(empty.err, Catch::Contains("0 rows, 1 too few"));
  CHECK(bench.run("expect empty.csv --time time --fresh 1d").exit == 4);
  CHECK(bench.run("expect absent.csv --rows 1..").exit == 3);
}

TEST_CASE("every series' demands are told in one run of a plan", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("plan.toml", R"plan([source.tide]
file = "tide.csv"
[series.a]
from = "tide"
steps = [ { expect = { rows = "5..", keys = [] } } ]
[series.b]
from = "tide"
steps = [ { expect = { where = "level_m < 3", rows = 3 } } ]
[output.a]
from = "a"
file = "a.csv"
[output.b]
from = "b"
file = "b.csv"
)plan");
  const Result run = bench.run("run plan.toml");
  CHECK(run.exit == 4);
  CHECK_THAT(run.err, Catch::Contains("plan.toml:5: series a, expect: 1 demand is not met") &&
                          Catch::Contains("plan.toml:8: series b, expect: 1 demand is not met"));
  CHECK_FALSE(bench.has("a.csv"));
  CHECK_FALSE(bench.has("b.csv"));
}

TEST_CASE("sources with their own columns, zones and orders of day and month are one", "[tool]") {
  const Bench bench;
  bench.put("quay.csv", quay);
  bench.put("pier.csv", pier);
  const std::string words =
      "append quay.csv pier.csv --key species --zone pier:Europe/Dublin --date-order pier:dmy";
  const Result both = bench.run(words);
  CHECK(both.out ==
        "time,species,kg,buyer\n2025-10-20T08:00:00Z,hake,10,\n2025-10-20T08:30:00Z,hake,2.5,A\n"
        "2025-10-20T09:00:00Z,cod,5,\n");
  CHECK_THAT(both.err, Catch::Contains("quay: 2 rows") && Catch::Contains("pier: 1 rows"));
  CHECK(bench.run(words + " --key-from venue --quiet").out.substr(0, 29) ==
        "time,venue,species,kg,buyer\n2");
  check_plan_of(bench, words + " --key-from venue");
  // In a later part it is the rows of what was made and of the files.
  CHECK(bench
            .run("select quay.csv --where 'kg > 5' + append pier.csv --zone Europe/Dublin "
                 "--date-order dmy --quiet")
            .out ==
        "time,species,kg,buyer\n2025-10-20T08:00:00Z,hake,10,\n"
        "2025-10-20T08:30:00Z,hake,2.5,A\n");
  const Result keyed = bench.run("append quay.csv pier.csv --key quay:species --date-order dmy");
  CHECK(keyed.exit == 2);
  CHECK_THAT(keyed.err, Catch::Contains("all have the same key, or none: --key, or --key-from"));
}

TEST_CASE("names and strands are made anew midway, and what was merged is listed", "[tool]") {
  const Bench bench;
  bench.put(
      "orders.csv",
      "time,order,species,kg\n2025-10-20T08:00:00Z,o1,hake,1\n2025-10-20T08:00:00Z,o2,hake,2\n"
      "2025-10-20T09:00:00Z,o2,cod,3\n");
  const Result made = bench.run(
      "select orders.csv --key order --columns 'at=time,id=order,weight=kg,species' + settle --key "
      "species --duplicates mean --merged merged.csv --quiet");
  CHECK(made.out ==
        "at,species,weight,id\n2025-10-20T08:00:00Z,hake,1.5,o1\n2025-10-20T09:00:00Z,cod,3,o2\n");
  CHECK(bench.get("merged.csv") ==
        "source,line,byte,species,time\norders,,,hake,2025-10-20T08:00:00Z\n");
  const std::string words =
      "settle orders.csv --key species --duplicates first --merged merged.csv";
  CHECK(bench.run(words + " --quiet").exit == 0);
  CHECK(bench.get("merged.csv") ==
        "source,line,byte,species,time\norders.csv,3,53,hake,2025-10-20T08:00:00Z\n");
  check_plan_of(bench, words);
  CHECK_THAT(bench.run("settle orders.csv --key species --merged orders.csv").err,
             Catch::Contains("--merged; name another"));
  // Of a key of its own the columns are read, also when the next step does not ask for them.
  CHECK(bench
            .run("settle orders.csv + settle --key species --duplicates mean + resample --every 1h "
                 "--take 'sum(kg)' --quiet")
            .out ==
        "time,species,kg_sum\n2025-10-20T08:00:00Z,hake,1.5\n2025-10-20T09:00:00Z,cod,3\n");
}

TEST_CASE("hourly consumption of a meter that starts again is one step", "[tool]") {
  const Bench bench;
  bench.put("meter.csv",
            "time,kwh\n2025-10-20T00:00:00Z,100\n2025-10-20T00:40:00Z,104\n2025-10-20T01:20:00Z,2\n"
            "2025-10-20T02:00:00Z,5\n");
  CHECK(bench
            .run("resample meter.csv --every 1h --take 'increase(kwh),l=increase(kwh,linear)' "
                 "--quiet")
            .out ==
        "time,kwh_increase,l\n2025-10-20T00:00:00Z,4,5\n2025-10-20T01:00:00Z,2,4\n"
        "2025-10-20T02:00:00Z,3,\n");
  CHECK(bench.run("lag meter.csv --by 40min --take 'increase(kwh)' --quiet").out ==
        "time,kwh,kwh_increase\n2025-10-20T00:00:00Z,100,\n2025-10-20T00:40:00Z,104,4\n"
        "2025-10-20T01:20:00Z,2,2\n2025-10-20T02:00:00Z,5,3\n");
}

TEST_CASE("Parquet goes in and out, and a range of time reads what it needs", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  CHECK(bench.run("settle tide.csv -o tide.parquet").exit == 0);
  CHECK(bench.run("settle tide.parquet --quiet").out == tide);
  CHECK(bench.run("settle tide.csv --to parquet > piped").exit == 0);
  CHECK(bench.run("settle --quiet -", bench.get("tide.parquet")).out == tide);
  const Result some = bench.run("select tide.parquet --between 2025-10-21, --account account.json");
  CHECK(some.out == "time,level_m\n");
  const auto account = nlohmann::json::parse(bench.get("account.json"));
  CHECK(account["sources"][0]["records"] == 3);
  CHECK(account["sources"][0]["kept"] == 3);
  CHECK(account["steps"][0]["rows_in"] == 0);
  CHECK_THAT(some.err, Catch::Contains("3 records are of other times"));
  // A condition that counts from the first row needs them all.
  CHECK(bench.run("select tide.parquet --between 2025-10-20T01:00, --where 'row() > 1' --quiet")
            .out == "time,level_m\n2025-10-20T02:00:00Z,3\n");
  const std::string whole = bench.get("tide.parquet");
  bench.put("cut.parquet", whole.substr(0, whole.size() - 9));
  const Result cut = bench.run("settle cut.parquet -o out.csv");
  CHECK(cut.exit == 3);
  CHECK_THAT(cut.err, Catch::Contains("cut.parquet: byte"));
  CHECK_FALSE(bench.has("out.csv"));
}

TEST_CASE("a plan may stand in several files, each with its own folder", "[tool]") {
  const Bench bench;
  fs::create_directories(bench.folder() / "shared");
  bench.put("shared/tide.csv", "time,level_m\n20/10/2025 00:00,1\n20/10/2025 01:00,x\n");
  bench.put("shared/sources.toml", R"plan(tolerate = 1
[source.tide]
file = "tide.csv"
date-order = "dmy"
number = ["level_m"]
[series.clean]
from = "tide"
steps = [ { select = { where = "level_m > 0" } } ]
)plan");
  const std::string own = R"plan(include = "shared/sources.toml"
zone = "Europe/Dublin"
[output.clean]
file = "clean.csv"
)plan";
  bench.put("plan.toml", own);
  const Result run = bench.run("run plan.toml --quiet");
  INFO(run.err);
  CHECK(run.exit == 0);
  CHECK(bench.get("clean.csv") == "time,level_m\n2025-10-19T23:00:00Z,1\n");
  // What is wrong in the other file is told with its name and line.
  const auto told = [&](const std::string& name, const std::string& text) {
    const std::string before = bench.get(name);
    bench.put(name, text);
    const Result wrong = bench.run("run plan.toml");
    CHECK(wrong.exit == 2);
    bench.put(name, before);
    return wrong.err;
  };
  CHECK_THAT(told("shared/sources.toml", bench.get("shared/sources.toml") +
                                             "[series.odd]\nfrom = \"tide\"\nsteps = [ { fill = { "
                                             "on = \"levle\" } } ]\n"),
             Catch::Contains("shared/sources.toml:11: series odd, fill: there is no column "
                             "\"levle\""));
  CHECK_THAT(told("shared/sources.toml", "tolerat = 1\n" + bench.get("shared/sources.toml")),
             Catch::Contains("shared/sources.toml:1: \"tolerat\" is not a key here; did you mean "
                             "tolerate?"));
  CHECK_THAT(told("shared/sources.toml",
                  "include = \"../plan.toml\"\n" + bench.get("shared/sources.toml")),
             Catch::Contains("sources.toml:1: include ") && Catch::Contains("includes itself"));
  CHECK_THAT(told("plan.toml", "tolerate = 2\n" + own), Catch::Contains("tolerate is given in"));
  CHECK_THAT(told("plan.toml", own + "[source.tide]\nfile = \"x.csv\"\n"),
             Catch::Contains("source tide is given in two of the files"));
  CHECK_THAT(told("plan.toml", own + "[output.b]\nfrom = \"clean\"\nfile = "
                                     "\"shared/sources.toml\"\nto = \"csv\"\n"),
             Catch::Contains("what the plan includes"));
  bench.put("plan.toml", "include = \"none.toml\"\n");
  CHECK(bench.run("run plan.toml").exit == 3);
  bench.put("plan.toml", "include = 7\n");
  CHECK_THAT(bench.run("run plan.toml").err, Catch::Contains("plan.toml:1: include names a file"));
}

TEST_CASE("explain knows the columns of later files of a pattern", "[tool]") {
  const Bench bench;
  bench.put("a.csv", "time,x\n2025-10-20T00:00:00Z,1\n");
  bench.put("b.csv", "time,x,y\n2025-10-21T00:00:00Z,1,2\n");
  bench.put("plan.toml", R"plan([source.s]
file = "*.csv"
[series.r]
from = "s"
steps = [ { resample = { every = "1d", take = "mean(y)" } } ]
[output.r]
file = "out/r.csv"
)plan");
  const Result explained = bench.run("explain plan.toml");
  CHECK(explained.exit == 0);
  CHECK_THAT(explained.out, Catch::Contains("time y_mean"));
  CHECK(bench.run("run plan.toml").exit == 0);
}

TEST_CASE("explain judges no demand by the beginnings of sources", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("plan.toml", R"plan([source.tide]
file = "tide.csv"
[series.level]
from = "tide"
steps = [ { expect = { rows = "1000000..", range = "level_m:7,8" } }, { resample = { every = "1h" } } ]
[output.level]
file = "level.csv"
)plan");
  const Result explained = bench.run("explain plan.toml");
  CHECK(explained.exit == 0);
  CHECK_THAT(explained.out, Catch::Contains("expect") && Catch::Contains("time level_m_mean"));
  CHECK(bench.run("run plan.toml").exit == 4);
  // What is wrong with a demand itself is told all the same.
  bench.put("plan.toml", R"plan([source.tide]
file = "tide.csv"
[series.level]
from = "tide"
steps = [ { expect = { range = "levle:7,8" } } ]
[output.level]
file = "level.csv"
)plan");
  CHECK_THAT(bench.run("explain plan.toml").err, Catch::Contains("there is no column \"levle\""));
}

TEST_CASE("where no column is a number there is nothing to resample, and the reason is told",
          "[tool]") {
  const Bench bench;
  bench.put("x.csv", "time;price\n2025-10-20T00:00:00Z;20,125\n2025-10-20T01:00:00Z;21,250\n");
  const Result none = bench.run("resample x.csv --every 1h -o out.csv");
  CHECK(none.exit == 4);
  CHECK_THAT(none.err, Catch::Contains("no column of x holds numbers (there is price)") &&
                           Catch::Contains("--decimal comma") && !Catch::Contains("--thousands"));
  CHECK_FALSE(bench.has("out.csv"));
  CHECK(bench.run("resample x.csv --every 1h --decimal comma --quiet").out ==
        "time,price_mean\n2025-10-20T00:00:00Z,20.125\n2025-10-20T01:00:00Z,21.25\n");
  CHECK(bench.run("resample x.csv --every 1h --take 'count()' --quiet").exit == 0);
  // Where a comma can't be the decimal's, groups are what it is.
  bench.put("y.csv", "time;price\n2025-10-20T00:00:00Z;1,020,125\n2025-10-20T01:00:00Z;21,250\n");
  CHECK_THAT(bench.run("resample y.csv --every 1h").err, Catch::Contains("--thousands ,"));
}

TEST_CASE("a last line without an end is a remark, and no fault", "[tool]") {
  const Bench bench;
  bench.put("x.csv", "time,x\n2025-10-20T00:00:00Z,1\n2025-10-20T01:00:00Z,10");
  const Result checked = bench.run("check x.csv --json");
  CHECK(checked.exit == 0);
  const auto report = nlohmann::json::parse(checked.out);
  const auto& finding = report["findings"].back();
  CHECK(finding["kind"] == "unfinished-line");
  CHECK(finding["first_line"] == 3);
  CHECK(report["records"] == 2);
  bench.put("x.csv", bench.get("x.csv") + "\n");
  CHECK_THAT(bench.run("check x.csv").out, !Catch::Contains("unfinished-line"));
}

TEST_CASE("the names of things that were misleading", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  // Which option would make a step causal.
  bench.put("plan.toml", R"plan([source.tide]
file = "tide.csv"
[series.a]
from = "tide"
steps = [ { resample = { every = "1h" } } ]
[series.b]
from = "tide"
steps = [ { roll = { window = "2h", place = "centred" } } ]
[output.a]
file = "a.csv"
[output.b]
file = "b.csv"
)plan");
  const Result causal = bench.run("run plan.toml --causal");
  CHECK(causal.exit == 2);
  CHECK_THAT(
      causal.err,
      Catch::Contains("resample every=1h looks ahead: the whole strand; with --row-at end and "
                      "--empty skip it would not") &&
          Catch::Contains("with --place trailing it would not"));
  // No option is offered for its letters alone.
  CHECK_THAT(bench.run("plot tide.csv --headline A -o x.png").err,
             !Catch::Contains("did you mean"));
  CHECK_THAT(bench.run("settle tide.csv --tolrate 1").err,
             Catch::Contains("did you mean --tolerate?"));
  // Why a reading was clipped.
  bench.put("stuck.csv",
            "time,x\n2025-10-20T00:00:00Z,1\n2025-10-20T00:01:00Z,1\n"
            "2025-10-20T00:02:00Z,2\n2025-10-20T00:03:00Z,90\n");
  CHECK(bench.run("clip stuck.csv --bounds 0,10 --stuck 2 --changes changes.csv --quiet").exit ==
        0);
  CHECK(bench.get("changes.csv") ==
        "time,key,column,before,after,why\n2025-10-20T00:01:00Z,,x,1,,stuck\n"
        "2025-10-20T00:03:00Z,,x,90,10,bounds\n");
  // A line that holds an array is JSON, but no object.
  bench.put("x.jsonl", "{\"time\":\"2025-10-20T00:00:00Z\",\"x\":1}\n[1,2]\n");
  CHECK_THAT(bench.run("check x.jsonl").out, Catch::Contains("lines that hold no JSON object"));
  // Times without a rhythm are said to be so.
  bench.put("trades.csv",
            "time,x\n2025-10-20T00:00:00Z,1\n2025-10-20T00:00:07Z,2\n"
            "2025-10-20T00:09:00Z,3\n2025-10-20T01:09:01Z,3\n");
  CHECK_THAT(bench.run("check trades.csv").out, Catch::Contains("irregular"));
}

TEST_CASE("a capture's start that may be read in two ways names the option, and how it was taken",
          "[tool]") {
  const Bench bench;
  bench.put("winch.csv", "started: 03/04/2025 10:00:00\nrate: 100\nx\n1\n2\n3\n");
  const Result unclear = bench.run("stamp winch.csv --start-from started --rate-from rate");
  CHECK(unclear.exit == 3);
  CHECK_THAT(unclear.err, Catch::Contains("--date-order") &&
                              Catch::Contains("dmy makes it 2025-04-03T10:00:00Z") &&
                              Catch::Contains("mdy makes it 2025-03-04T10:00:00Z"));
  const Result told = bench.run(
      "stamp winch.csv --start-from started --rate-from rate --date-order dmy --zone "
      "Europe/Dublin");
  CHECK(told.exit == 0);
  CHECK_THAT(told.out, Catch::StartsWith("time,x\n2025-04-03T09:00:00"));
  CHECK_THAT(told.err, Catch::Contains("the times begin at 2025-04-03T09:00:00Z, in zone "
                                       "Europe/Dublin; 100 records a second"));
}

TEST_CASE("words for missing, and what least counts withheld, are in the account by column",
          "[tool]") {
  const Bench bench;
  bench.put("x.csv",
            "time,a,b\n2025-10-20T00:00:00Z,1,NA\n2025-10-20T00:10:00Z,off,2\n"
            "2025-10-20T00:20:00Z,off,\n2025-10-20T01:00:00Z,3,4\n");
  const Result made =
      bench.run("resample x.csv --every 1h --missing off --min-count 2 --account account.json");
  CHECK(made.out == "time,a_mean,b_mean\n2025-10-20T00:00:00Z,,\n2025-10-20T01:00:00Z,,\n");
  CHECK_THAT(made.err,
             Catch::Contains("2 cells of a are words for missing, like \"off\" in line 3") &&
                 Catch::Contains("2 of a_mean were withheld, the first at 2025-10-20T00:00:00Z"));
  const auto account = nlohmann::json::parse(bench.get("account.json"));
  const auto& words = account["sources"][0]["missing_words"];
  REQUIRE(words.size() == 2);
  CHECK(words[0] ==
        nlohmann::json({{"column", "a"}, {"count", 2}, {"first_line", 3}, {"word", "off"}}));
  CHECK(words[1] ==
        nlohmann::json({{"column", "b"}, {"count", 1}, {"first_line", 2}, {"word", "NA"}}));
  // Words that are missing by themselves are no news, but in the account.
  const Result plain = bench.run("settle x.csv --text a");
  CHECK_THAT(plain.err, !Catch::Contains("words for missing"));
}

TEST_CASE("the demo's markets are one, and checked", "[tool]") {
  const Bench bench;
  REQUIRE(bench.run("demo harbour --quiet").exit == 0);
  const std::string markets = bench.get("harbour/out/markets.csv");
  CHECK_THAT(markets, Catch::StartsWith("sold_at,market,species,price,kg,trades\n"
                                        "2025-10-20T00:00:00+01:00,brannoc_quay,megrim,"));
  // Two markets, three species, and as many days of each.
  CHECK(std::ranges::count(markets, '\n') % 6 == 1);
  CHECK_THAT(markets, Catch::Contains(",skerry,hake,"));
  // A price that can't be stops the run, and nothing is written.
  std::string auction = bench.get("harbour/skerry_auction.csv");
  auction.replace(auction.find(",hake,") + 6, 1, "9");
  auction.insert(auction.find(",hake,") + 6, "9");
  fs::create_directories(bench.folder() / "night");
  for (const auto& entry : fs::directory_iterator(bench.folder() / "harbour")) {
    if (entry.is_regular_file()) {
      fs::copy_file(entry.path(), bench.folder() / "night" / entry.path().filename());
    }
  }
  bench.put("night/skerry_auction.csv", auction);
  const Result bad = bench.run("run night/plan.toml --quiet");
  CHECK(bad.exit == 4);
  CHECK_THAT(bad.err, Catch::Contains("series markets, expect: 1 demand is not met") &&
                          Catch::Contains("strand skerry+hake: "));
  CHECK_FALSE(fs::exists(bench.folder() / "night/out/markets.csv"));
  CHECK_FALSE(fs::exists(bench.folder() / "night/out/board.csv"));
}

}  // namespace zerobeat::testing::nightly
