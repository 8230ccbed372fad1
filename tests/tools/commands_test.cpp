#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing::commands {

namespace {

constexpr const char* tide =
    "time,level_m\n"
    "2025-10-20T00:00:00Z,1\n"
    "2025-10-20T00:20:00Z,3\n"
    "2025-10-20T00:10:00Z,\n"
    "2025-10-20T02:00:00Z,8\n";

}  // namespace

TEST_CASE("settle writes what remains, in order", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result result = bench.run("settle tide.csv");
  CHECK(result.exit == 0);
  CHECK(result.out ==
        "time,level_m\n2025-10-20T00:00:00Z,1\n2025-10-20T00:10:00Z,\n2025-10-20T00:20:00Z,3\n2025-"
        "10-20T02:00:00Z,8\n");
  CHECK_THAT(result.err, Catch::Contains("4 records = 4 kept + 0 rejected + 0 merged"));
  CHECK(bench.run("settle tide.csv --quiet").err.empty());
  CHECK(bench.run("settle -", tide).out == result.out);
}

TEST_CASE("resample, fill, clip, roll and lag each do their step", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  CHECK(bench.run("resample tide.csv --every 1h --take 'level=mean(level_m),count()'").out ==
        "time,level,count\n2025-10-20T00:00:00Z,2,3\n2025-10-20T01:00:00Z,,0\n2025-10-20T02:00:00Z,"
        "8,1\n");
  CHECK(bench.run("resample tide.csv --every 1h --empty skip").out ==
        "time,level_m_mean\n2025-10-20T00:00:00Z,2\n2025-10-20T02:00:00Z,8\n");
  CHECK(bench.run("fill tide.csv --flag").out ==
        "time,level_m,level_m_filled\n2025-10-20T00:00:00Z,1,false\n2025-10-20T00:10:00Z,2,true\n"
        "2025-10-20T00:20:00Z,3,false\n2025-10-20T02:00:00Z,8,false\n");
  CHECK(bench.run("fill tide.csv --how constant:-1 --max-gap 10min").out ==
        bench.run("settle tide.csv").out);
  const Result clipped =
      bench.run("clip tide.csv --bounds -5,2.5 --changes changes.csv -o out.csv");
  CHECK(clipped.exit == 0);
  CHECK_THAT(clipped.err, Catch::Contains("2 clipped"));
  CHECK(bench.get("changes.csv") ==
        "time,key,column,before,after,why\n2025-10-20T00:20:00Z,,level_m,3,2.5,bounds\n2025-10-"
        "20T02:00:00Z,,"
        "level_m,8,2.5,bounds\n");
  CHECK(bench.run("roll tide.csv --window 30min --take 'm=mean(level_m)' --columns level_m").out ==
        "time,level_m,m\n2025-10-20T00:00:00Z,1,1\n2025-10-20T00:10:00Z,,1\n2025-10-20T00:20:00Z,3,"
        "2\n2025-10-20T02:00:00Z,8,8\n");
  CHECK(bench.run("lag tide.csv --by 1h --take 'diff(level_m)'").out ==
        "time,level_m,level_m_diff\n2025-10-20T00:00:00Z,1,\n2025-10-20T00:10:00Z,,\n2025-10-20T00:"
        "20:00Z,3,\n2025-10-20T02:00:00Z,8,5\n");
}

TEST_CASE("join reads each file its own way", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", "day,clock,level_m\n20/10/2025,01:15:00,7\n");
  const Result result = bench.run(
      "join trades.csv tide.csv --time trades:day+clock --time time --zone trades:Europe/Dublin "
      "--tolerance 5min");
  CHECK(result.exit == 0);
  CHECK(result.out == "day+clock,level_m_trades,level_m_tide\n2025-10-20T00:15:00Z,7,\n");
  CHECK(bench.run("join tide.csv").exit == 2);
}

TEST_CASE("join matches as asked, and keeps what is asked", "[tool]") {
  const Bench bench;
  bench.put("a.csv", "time,x\n2025-10-20T00:05:00Z,1\n2025-10-20T00:30:00Z,2\n");
  bench.put("b.csv", "time,y\n2025-10-20T00:00:00Z,10\n2025-10-20T00:10:00Z,20\n");
  const auto rows = [&](const std::string& words) {
    return bench.run("join a.csv b.csv --quiet " + words).out;
  };
  const std::string header = "time,x,y\n", first = "2025-10-20T00:05:00Z,1,",
                    second = "2025-10-20T00:30:00Z,2,";
  CHECK(rows("") == header + first + "10\n" + second + "20\n");
  CHECK(rows("--match exact") == header + first + "\n" + second + "\n");
  CHECK(rows("--match next") == header + first + "20\n" + second + "\n");
  CHECK(rows("--match nearest") == header + first + "10\n" + second + "20\n");
  CHECK(rows("--match linear") == header + first + "15\n" + second + "\n");
  CHECK(rows("--keep both --tolerance 5min") == header + first + "10\n");
  CHECK(rows("--match exact --keep all") == header + "2025-10-20T00:00:00Z,,10\n" + first +
                                                "\n2025-10-20T00:10:00Z,,20\n" + second + "\n");
}

TEST_CASE("windows, shifts and outliers go by the options of the command line", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const auto last_column = [&](const std::string& words) {
    const std::string out = bench.run(words + " --quiet").out;
    std::string all;
    std::istringstream lines(out.substr(out.find('\n') + 1));
    for (std::string line; std::getline(lines, line);)
      all += line.substr(line.rfind(',') + 1) + ";";
    return all;
  };
  CHECK(
      last_column("roll tide.csv --window 3 --place centred --min-count 1 --take 'max(level_m)'") ==
      "1;3;8;8;");
  CHECK(last_column("roll tide.csv --window 2 --place leading --take 'count(level_m)'") == ";;2;;");
  CHECK(last_column("roll tide.csv --window 2h --take 'median(level_m)'") == "1;1;2;5.5;");
  CHECK(last_column("lag tide.csv --take 'lead(level_m)' --by 2") == "3;8;;;");
  CHECK(last_column("lag tide.csv --take 'change(level_m)' --by 20min") ==
        ";;2;1.6666666666666667;");
  CHECK(last_column("clip tide.csv --quantiles 0,0.5 --put missing") == "1;;3;;");
  CHECK(last_column("fill tide.csv --how next") == "1;3;3;8;");
}

TEST_CASE("check prints its account, as text and as JSON", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", std::string(tide) + "soon,1\n");
  const Result text = bench.run("check tide.csv");
  CHECK(text.exit == 4);
  CHECK_THAT(text.err, Catch::Contains("1 of 5 records is at fault"));
  CHECK_THAT(text.out,
             Catch::Contains("5 records = 4 kept + 1 rejected") && Catch::Contains("out-of-order"));
  const Result json = bench.run("check tide.csv --json --tolerate 1");
  CHECK(json.exit == 0);
  const auto parsed = nlohmann::json::parse(json.out);
  CHECK(parsed["source"] == "tide.csv");
  CHECK(parsed["strands"][0]["out_of_order"] == 1);
  CHECK(parsed["strands"][0]["most_late_s"] == 600.0);
  CHECK(parsed["columns"][0]["missing"] == 1);
  CHECK(
      nlohmann::json::parse(bench.run("check tide.csv tide.csv --json --tolerate 1").out).size() ==
      2);
}

TEST_CASE("records at fault stop the output until the user has his say", "[tool]") {
  const Bench bench;
  std::string text = "time,level_m\n";
  for (int i = 0; i < 20; ++i)
    text += fmt::format("2025-10-20T00:{:02}:00Z,{}\n", i, i == 7 ? "ERR" : "1");
  bench.put("tide.csv", text + "soon,1\n");
  const Result stopped = bench.run("settle tide.csv -o out.csv");
  CHECK(stopped.exit == 4);
  CHECK(!bench.has("out.csv"));
  CHECK_THAT(stopped.err, Catch::Contains("2 of 21 records are at fault") &&
                              Catch::Contains("line 9: unreadable-reading in level_m: ERR") &&
                              Catch::Contains("--rejects FILE") &&
                              Catch::Contains("--missing ERR"));
  CHECK(bench.run("settle tide.csv --tolerate 1").exit == 4);
  CHECK(bench.run("settle tide.csv --tolerate 2").exit == 0);
  CHECK(bench.run("settle tide.csv --tolerate 10%").exit == 0);
  CHECK(bench.run("settle tide.csv --rejects r.csv --tolerate 1 -o out.csv").exit == 4);
  CHECK(!bench.has("out.csv"));
  CHECK(bench.get("r.csv") == fmt::format("line,byte,column,reason,text\n9,{},level_m,unreadable-"
                                          "reading,ERR\n22,{},time,unreadable-time,\"soon,1\"\n",
                                          text.find("ERR"), text.size()));
  CHECK(bench.run("settle tide.csv --rejects r.csv -o out.csv").exit == 0);
  CHECK(bench.has("out.csv"));
}

TEST_CASE("threads do not show in what is written", "[tool]") {
  const Bench bench;
  std::string text = "time,probe,x\n";
  for (int i = 0; i < 60'000; ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:{:02}.{:03}Z,cold_{},{}.{}\n", i / 3600 % 24,
                        i / 60 % 60, i % 60, i % 1000, i % 3, i % 97, i % 10);
  }
  bench.put("big.csv", text);
  const std::string words =
      "roll big.csv --key probe --window 40 --take 'mean(x),std(x),median(x)'";
  const std::string one = bench.run(words + " --threads 1").out;
  CHECK(one.size() > 1'000'000);
  CHECK(bench.run(words + " --threads 8").out == one);
}

TEST_CASE("plot draws a picture beside another", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  CHECK(bench.run("plot tide.csv --over tide.csv -o fig.png --size 400x300").exit == 0);
  CHECK(bench.get("fig.png").substr(1, 3) == "PNG");
  CHECK(bench.run("plot tide.csv").exit == 2);
  CHECK(bench.run("plot tide.csv -o fig.jpg").exit == 2);
  CHECK_THAT(bench.run("plot tide.csv -o fig.png --y levl_m").err,
             Catch::Contains("did you mean level_m?"));
}

TEST_CASE("the demo runs from dirty records to pictures", "[tool]") {
  const Bench bench;
  const Result result = bench.run("demo harbour");
  CHECK(result.exit == 0);
  for (const char* file : {"board.csv", "level.csv", "water.png", "auction.png", "beat.png",
                           "tide_rejects.csv", "price_clipped.csv"}) {
    INFO(file);
    CHECK(bench.has(std::string("harbour/out/") + file));
  }
  CHECK_THAT(result.err, Catch::Contains("rows in") && Catch::Contains("clipped"));
  // The slip of the finger was ten times its neighbours; it is clipped to what they were.
  CHECK(bench.get("harbour/out/price_clipped.csv").find("price_eur,3") != std::string::npos);
  const Result explained = bench.run("explain harbour/plan.toml");
  CHECK(explained.exit == 0);
  CHECK_THAT(explained.out,
             Catch::Contains("reach back") && Catch::Contains("series board from prices, level"));
  CHECK(bench.run("run harbour/plan.toml --causal").exit == 2);
  // The same again gives the same bytes.
  const std::string board = bench.get("harbour/out/board.csv");
  CHECK(bench.run("run harbour/plan.toml --quiet --threads 1").exit == 0);
  CHECK(bench.get("harbour/out/board.csv") == board);
}

TEST_CASE("command line, plan, explain and reference know the same options", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result reference = bench.run("reference");
  CHECK(bench.run("reference | iconv -f utf-8 -t utf-8").exit == 0);
  CHECK(reference.out == content(fs::path(ZEROBEAT_SOURCE) / "docs/reference.md"));
  struct Case {
    const char* step;
    const char* option;
    const char* value;
  };
  for (const Case& one :
       {Case{"resample", "every", "2h"}, Case{"fill", "max-gap", "2h"},
        Case{"clip", "bounds", "0,5"}, Case{"roll", "window", "2h"}, Case{"lag", "by", "2h"}}) {
    INFO(one.step);
    const std::string dashed = std::string("--") + one.option;
    const Result given = bench.run(fmt::format("{} tide.csv {} {}", one.step, dashed, one.value));
    CHECK(given.exit == 0);
    bench.put("plan.toml",
              fmt::format("[source.tide]\nfile = \"tide.csv\"\n[series.a]\nfrom = \"tide\"\nsteps "
                          "= [{{ {} = {{ {} = \"{}\" }} }}]\n[output.a]\nfile = \"a.csv\"\n",
                          one.step, one.option, one.value));
    CHECK(bench.run("run plan.toml").exit == 0);
    CHECK(bench.get("a.csv") == given.out);
    CHECK_THAT(bench.run("explain plan.toml").out,
               Catch::Contains(fmt::format("{}={}", one.option, one.value)));
    CHECK_THAT(bench.run(std::string(one.step) + " --help").out, Catch::Contains(dashed));
    CHECK_THAT(reference.out, Catch::Contains("`" + dashed + " "));
  }
}

}  // namespace zerobeat::testing::commands
