// What was found wrong from outside, each through the real binary.

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>

#include "support/tool.hpp"

namespace zerobeat::testing::outside {

namespace {

using Json = nlohmann::json;

/// A minute each from midnight on: 0, 1, 2 …
std::string minutes(int count, int from = 0) {
  std::string text = "time,level\n";
  for (int i = from; i < from + count; ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:00Z,{}\n", i / 60, i % 60, i);
  }
  return text;
}

std::size_t lines(const std::string& text) {
  return static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
}

void shell(const Bench& bench, const std::string& command) {
  const std::string words = "cd '" + bench.folder().string() + "' && " + command;
  REQUIRE(std::system(words.c_str()) == 0);
}

}  // namespace

TEST_CASE("two runs give the same Arrow bytes, whatever stands under missing readings",
          "[outside]") {
  const Bench bench;
  REQUIRE(bench.run("demo one --quiet").exit == 0);
  REQUIRE(bench.run("demo two --quiet --threads 1").exit == 0);
  std::size_t compared = 0;
  for (const auto& entry : fs::directory_iterator(bench.folder() / "one/out")) {
    const std::string name = entry.path().filename().string();
    INFO(name);
    CHECK(bench.get("one/out/" + name) == bench.get("two/out/" + name));
    ++compared;
  }
  CHECK(compared > 15);
}

TEST_CASE("the demo leaves a folder alone whose outputs were changed", "[outside]") {
  const Bench bench;
  REQUIRE(bench.run("demo here --quiet").exit == 0);
  REQUIRE(bench.run("demo here --quiet").exit == 0);
  const std::string good = bench.get("here/out/board.csv");
  bench.put("here/out/board.csv", good + "mine\n");
  const Result changed = bench.run("demo here");
  CHECK(changed.exit == 2);
  CHECK_THAT(changed.err, Catch::Contains("here/out/board.csv: is not as the demo made it"));
  CHECK(bench.get("here/out/board.csv") == good + "mine\n");
  // What was deleted is written again.
  fs::remove(bench.folder() / "here/out/board.csv");
  fs::remove(bench.folder() / "here/landings.csv");
  CHECK(bench.run("demo here --quiet").exit == 0);
  CHECK(bench.get("here/out/board.csv") == good);
  CHECK(bench.has("here/landings.csv"));
}

TEST_CASE("what is packed is unpacked on standard input, too", "[outside]") {
  const Bench bench;
  bench.put("tide.csv", minutes(90));
  for (const char* pack : {"gzip -c", "bzip2 -c", "xz -c", "zstd -qc"}) {
    INFO(pack);
    shell(bench, std::string(pack) + " tide.csv > packed");
    const Result result = bench.run("settle - --quiet", bench.get("packed"));
    INFO(result.err);
    CHECK(result.exit == 0);
    CHECK(result.out == bench.get("tide.csv"));
  }
  shell(bench, "tar -cf tide.tar tide.csv");
  CHECK(bench.run("settle - --quiet", bench.get("tide.tar")).out == bench.get("tide.csv"));
  const Result cut = bench.run("settle -", bench.get("packed").substr(0, 40));
  CHECK(cut.exit == 3);
  CHECK_THAT(cut.err, Catch::Contains("is cut short"));
}

TEST_CASE("no record of joined files is lost in silence", "[outside]") {
  const Bench bench;
  bench.put("a", minutes(60));
  bench.put("b", minutes(30, 60).substr(11));
  shell(bench, "(bzip2 -c a; bzip2 -c b) > both.csv.bz2 && bzip2 -c a > a.bz2");
  CHECK(lines(bench.run("settle both.csv.bz2 --quiet").out) == 91);
  const std::string both = bench.get("both.csv.bz2");
  const std::size_t first = bench.get("a.bz2").size();
  for (const std::size_t kept : {first + 1, first + 5, first + 13, both.size() - 1}) {
    bench.put("cut.csv.bz2", both.substr(0, kept));
    const Result result = bench.run("settle cut.csv.bz2 -o out.csv");
    INFO(kept << ": " << result.err);
    CHECK(result.exit == 3);
    CHECK(!bench.has("out.csv"));
  }
  bench.put("junk.csv.bz2", both + "junk");
  CHECK_THAT(bench.run("settle junk.csv.bz2").err,
             Catch::Contains("goes on with bytes that are not bzip2"));
}

TEST_CASE("many faults in another encoding are each found in their place", "[outside]") {
  const Bench bench;
  std::string text = "time,level\n";
  for (int i = 0; i < 40'000; ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:{:02}Z,{}\n", i / 3600, i / 60 % 60, i % 60,
                        i % 2 == 0 ? "1"
                                   : "n\xe9"
                                     "ant");
  }
  bench.put("tide.csv", text);
  const Result result = bench.run(
      "settle tide.csv --encoding latin1 --number level --rejects r.csv --quiet -o out.csv");
  CHECK(result.exit == 0);
  CHECK(lines(bench.get("r.csv")) == 20'001);
  CHECK_THAT(bench.get("r.csv"), Catch::Contains("\n3,55,level,unreadable-reading,n\xc3\xa9"
                                                 "ant\n"));
}

TEST_CASE("an offset with seconds is written as the nearest minute, at the same instant",
          "[outside]") {
  const Bench bench;
  bench.put("m.csv",
            "time,level\n1971-06-01T12:00:30Z,1\n1971-12-31T00:00:00Z,2\n1972-06-01T00:00:00Z,3\n");
  const Result local = bench.run("settle m.csv --zone Africa/Monrovia --local --quiet");
  CHECK(local.out ==
        "time,level\n1971-06-01T11:16:30-00:44,1\n1971-12-30T23:16:00-00:44,2\n"
        "1972-06-01T00:00:00+00:00,3\n");
  CHECK(bench.run("settle - --quiet", local.out).out ==
        "time,level\n1971-06-01T12:00:30Z,1\n1971-12-31T00:00:00Z,2\n1972-06-01T00:00:00Z,3\n");
}

TEST_CASE("a limit on the size of files is an error, and leaves nothing behind", "[outside]") {
  const Bench bench;
  bench.put("tide.csv", minutes(1'400));
  for (const char* name : {"out.csv", "out.sqlite", "out.arrow"}) {
    const Result result =
        bench.run_within(RLIMIT_FSIZE, 8'192, fmt::format("settle tide.csv -o {}", name));
    INFO(name << ": " << result.err);
    CHECK(result.exit == 5);
    CHECK_THAT(result.err, Catch::Contains(name));
    CHECK(bench.files() == std::vector<std::string>{"tide.csv"});
  }
}

TEST_CASE("edges beyond what can be held are told", "[outside]") {
  const Bench bench;
  bench.put("e.csv", "time,x\n1990-12-01T00:00:00Z,1\n2025-01-01T00:00:00Z,2\n");
  const Result end = bench.run("resample e.csv --every 500year --row-at end");
  CHECK(end.exit == 0);
  CHECK(end.out == "time,x_mean\n2262-04-11T23:47:16.854775807Z,1.5\n");
  CHECK_THAT(end.err, Catch::Contains("1 of 1 buckets reach beyond the times that can be held"));
  // An edge that is not written needs no word.
  const Result start = bench.run("resample e.csv --every 500year");
  CHECK(start.out == "time,x_mean\n1970-01-01T00:00:00Z,1.5\n");
  CHECK(start.err.find("beyond") == std::string::npos);
}

TEST_CASE("at the greatest instant everything reads to the end alike", "[outside]") {
  const Bench bench;
  const std::string last = "2262-04-11T23:47:16.854775807Z";
  bench.put("e.csv", "time,x\n1990-12-01T00:00:00Z,1\n" + last + ",2\n");
  CHECK(lines(bench.run("select e.csv --first 1000year --quiet").out) == 3);
  for (const char* window : {"1000year", "2562000h"}) {
    INFO(window);
    const Result led = bench.run(
        fmt::format("roll e.csv --window {} --place leading --take 'sum(x)' --quiet", window));
    INFO(led.err);
    CHECK_THAT(led.out, Catch::Contains(last + ",2,2\n"));
  }
  // Nothing comes after all time.
  CHECK_THAT(bench.run("lag e.csv --by 1year --take 'lead(x)' --quiet").out,
             Catch::Contains("Z,1,2\n") && Catch::Contains(last + ",2,\n"));
  const std::string first = "1677-09-21T00:12:43.145224193Z";
  bench.put("f.csv", "time,x\n" + first + ",1\n1990-12-01T00:00:00Z,2\n");
  CHECK_THAT(bench.run("lag f.csv --by 1year --quiet").out, Catch::Contains(first + ",1,\n"));
  CHECK_THAT(bench.run("roll f.csv --window 1000year --take 'sum(x)' --quiet").out,
             Catch::Contains(first + ",1,1\n") && Catch::Contains(",2,3\n"));
}

TEST_CASE("a name that holds a newline is one file", "[outside]") {
  const Bench bench;
  bench.put("a\nb.csv", minutes(3));
  const Result result = bench.run("settle 'a\nb.csv'");
  CHECK(result.exit == 0);
  CHECK(result.out == minutes(3));
  CHECK_THAT(result.err, Catch::Contains("a\\x0ab.csv: 3 records"));
}

TEST_CASE("passing over more lines than there are ends at once", "[outside]") {
  const Bench bench;
  bench.put("tide.csv", minutes(3));
  const Result result = bench.run("settle tide.csv --skip-lines 99999999999");
  CHECK(result.exit == 3);
  CHECK_THAT(result.err, Catch::Contains("--skip-lines 99999999999 passes over all of its lines"));
}

TEST_CASE("a plan's mistakes are told at once, those of its data too", "[outside]") {
  const Bench bench;
  bench.put("tide.csv", minutes(30));
  bench.put("plan.toml",
            "[source.tide]\nfile = \"tide.csv\"\n"
            "[series.one]\nfrom = \"tide\"\nsteps = [ { fill = { hwo = \"linear\" } } ]\n"
            "[series.two]\nfrom = \"tide\"\nsteps = [ { fill = { on = \"depth\" } } ]\n"
            "[series.three]\nfrom = \"two\"\nsteps = [ { fill = {} } ]\n"
            "[series.four]\nfrom = \"tide\"\nsteps = [ { select = { where = \"depth > 1\" } } ]\n"
            "[output.one]\nfile = \"one.cvs\"\n[output.two]\nfile = \"two.csv\"\n"
            "[output.four]\nfile = \"four.csv\"\n");
  for (const char* command : {"run", "explain"}) {
    const Result result = bench.run(std::string(command) + " plan.toml");
    INFO(result.err);
    CHECK(result.exit == 2);
    CHECK_THAT(result.err,
               Catch::Contains("plan.toml:5: series one, fill: \"hwo\" is not a key here; did you "
                               "mean how?") &&
                   Catch::Contains("plan.toml:8: series two, fill: there is no column \"depth\"") &&
                   Catch::Contains("plan.toml:14: series four, select:") &&
                   Catch::Contains("plan.toml:16: output one: one.cvs: no format has the ending"));
    CHECK(result.err.find("series three") == std::string::npos);
    CHECK(bench.files() == std::vector<std::string>{"plan.toml", "tide.csv"});
  }
}

TEST_CASE("explain touches no file that an option names", "[outside]") {
  const Bench bench;
  bench.put("tide.csv", minutes(30));
  bench.put("plan.toml",
            "[source.tide]\nfile = \"tide.csv\"\n[series.one]\nfrom = \"tide\"\n"
            "steps = [ { resample = { every = \"1d\", holidays = \"none.ics\" } } ]\n"
            "[output.one]\nfile = \"one.csv\"\n");
  const Result explained = bench.run("explain plan.toml");
  INFO(explained.err);
  CHECK(explained.exit == 0);
  CHECK_THAT(explained.out, Catch::Contains("resample"));
  const Result run = bench.run("run plan.toml");
  CHECK(run.exit == 3);
  CHECK_THAT(run.err, Catch::Contains("plan.toml:5: series one, resample: none.ics: there is no "
                                      "such file"));
}

TEST_CASE("a calendar's components nest as deep as is needed", "[outside]") {
  const Bench bench;
  bench.put("tide.csv", minutes(30));
  std::string deep = "BEGIN:VCALENDAR\n";
  for (int i = 0; i < 100'000; ++i) deep += "BEGIN:VEVENT\n";
  bench.put("deep.ics", deep);
  const Result result = bench.run("resample tide.csv --every 1d --holidays deep.ics");
  CHECK(result.exit == 3);
  CHECK_THAT(result.err, Catch::Contains("deep.ics:65: more than 64 components"));
}

TEST_CASE("times counted from a start that nobody said have no zone", "[outside]") {
  const Bench bench;
  bench.put("winch.csv", "a,b\n1,2\n3,4\n");
  for (const char* by : {"--rate 2Hz", "--count-from 1"}) {
    INFO(by);
    const Result result = bench.run(fmt::format("stamp winch.csv {} --zone Europe/Dublin", by));
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::Contains("zone Europe/Dublin: without a start the times are "
                                           "numbers since a zero"));
    CHECK(bench.run(fmt::format("stamp winch.csv {} --quiet", by)).exit == 0);
  }
  CHECK(bench.run("stamp winch.csv --rate 2Hz --start 2025-10-20 --zone Europe/Dublin --quiet")
            .exit == 0);
  // A plan's zone for all passes it by.
  bench.put("plan.toml",
            "zone = \"Europe/Dublin\"\n[source.winch]\nfile = \"winch.csv\"\nstamp = { rate = "
            "\"2Hz\" }\n[output.winch]\nfile = \"out.csv\"\n");
  const Result run = bench.run("run plan.toml --quiet");
  INFO(run.err);
  CHECK(run.exit == 0);
}

TEST_CASE("readings further out than a picture goes are named", "[outside]") {
  const Bench bench;
  bench.put("inf.csv", "time,x\n2025-10-20T00:00:00Z,1e308\n2025-10-20T00:01:00Z,-1e308\n");
  const Result result = bench.run("plot inf.csv -o inf.png");
  CHECK(result.exit == 2);
  CHECK_THAT(result.err, Catch::Contains("column \"x\": a reading of ") &&
                             Catch::Contains("further from 0 than can be drawn"));
  CHECK(!bench.has("inf.png"));
}

TEST_CASE("too many buckets for the memory are told with the step", "[outside]") {
  if constexpr (!memory_limits) return;
  const Bench bench;
  bench.put("tide.csv", minutes(30));
  const Result result = bench.run_within(RLIMIT_AS, 3'000'000'000,
                                         "resample tide.csv --buckets 900000000 -o out.csv");
  CHECK(result.exit == 3);
  CHECK_THAT(result.err, Catch::Contains("resample: needs more memory than there is, for 30 rows"));
}

TEST_CASE("what SQLite says comes with what to do", "[outside]") {
  const Bench bench;
  shell(bench,
        "sqlite3 i.db \"create table t(time text, x integer); insert into t values "
        "('2025-10-20',9223372036854775807),('2025-10-21',9223372036854775807)\"");
  const Result result =
      bench.run("settle i.db --query 'select max(time) as time, sum(x) as s from t'");
  CHECK(result.exit == 3);
  CHECK_THAT(result.err, Catch::Contains("i.db: integer overflow; of large integers total(x)"));
  const Result none = bench.run("settle i.db --table tt");
  CHECK(none.exit == 2);
  CHECK_THAT(none.err, Catch::Contains("--table tt") && Catch::Contains("t"));
}

TEST_CASE("many files are called after their folder, and listed", "[outside]") {
  const Bench bench;
  fs::create_directories(bench.folder() / "tide");
  bench.put("tide/2025-1.csv", minutes(20));
  bench.put("tide/2025-2.csv", minutes(20, 20));
  bench.put("port-a.csv", minutes(5));
  bench.put("port-b.csv", minutes(5, 5));
  const Result checked = bench.run("check 'tide/*.csv' --json");
  const Json files = Json::parse(checked.out)["files"];
  REQUIRE(files.size() == 2);
  CHECK(files[1]["file"] == "tide/2025-2.csv");
  CHECK(files[1]["records"] == 20);
  const auto name = [&](const std::string& pattern) {
    const Result run = bench.run("settle '" + pattern + "' --account a.json -o out.csv --quiet");
    INFO(run.err);
    REQUIRE(run.exit == 0);
    return Json::parse(bench.get("a.json"))["sources"][0]["name"].get<std::string>();
  };
  CHECK(name("tide/2025-*.csv") == "tide");
  CHECK(name("port-*.csv") == "port");
  CHECK(name("tide/2025-1.csv") == "2025-1");
  // By that name it is told apart from others.
  const Result joined = bench.run("join port-a.csv 'tide/*.csv' --zone tide:UTC --quiet");
  INFO(joined.err);
  CHECK(joined.exit == 0);
  CHECK_THAT(joined.out, Catch::StartsWith("time,level_port-a,level_tide\n"));
}

TEST_CASE("columns of several names that tell series apart are found", "[outside]") {
  const Bench bench;
  std::string text = "time,quay,species,kg\n";
  for (int i = 0; i < 300; ++i) {
    const int series = i % 6;
    text += fmt::format("2025-10-{:02}T{:02}:00:00Z,q{},s{},{}\n", 1 + i / 6 / 24, i / 6 % 24,
                        series / 3, series % 3, i);
  }
  const Result result = bench.run("check - --json", text);
  std::string message;
  const Json report = Json::parse(result.out);
  for (const auto& finding : report["findings"]) {
    if (finding["kind"] == "stacked") message = finding["message"];
  }
  CHECK_THAT(message,
             Catch::Contains("records of 6 series") && Catch::Contains("--key quay+species"));
}

TEST_CASE("a key is missing when all its parts are, and written in its own columns", "[outside]") {
  const Bench bench;
  const std::string text =
      "time,quay,berth,x\n2025-10-20T00:00:00Z,A,,1\n2025-10-20T01:00:00Z,A,2,2\n"
      "2025-10-20T02:00:00Z,,5,3\n2025-10-20T03:00:00Z,,,4\n2025-10-20T04:00:00Z,A,,5\n";
  const Result result = bench.run("settle - --key quay+berth --rejects r.csv --quiet", text);
  CHECK(result.out ==
        "time,quay,berth,x\n2025-10-20T00:00:00Z,A,,1\n2025-10-20T04:00:00Z,A,,5\n"
        "2025-10-20T01:00:00Z,A,2,2\n2025-10-20T02:00:00Z,,5,3\n");
  CHECK_THAT(bench.get("r.csv"), Catch::Contains("5,") && Catch::Contains("missing-key"));
  CHECK_THAT(bench.run("settle - --key quay+berth --tolerate 1 --quiet --to jsonl", text).out,
             Catch::Contains("\"quay\":null,\"berth\":\"5\",\"x\":3") &&
                 Catch::Contains("\"quay\":\"A\",\"berth\":null,\"x\":1"));
  CHECK_THAT(bench.run("resample - --key quay+berth --every 1d --tolerate 1 --quiet", text).out,
             Catch::Contains("2025-10-20T00:00:00Z,,5,3\n"));
}

TEST_CASE("names with commas and brackets in them are named in quotes everywhere", "[outside]") {
  const Bench bench;
  bench.put("p.csv",
            "time,\"price (EUR)\",\"a,b\",berth+quay\n2025-10-20T00:00:00Z,2,10,x\n"
            "2025-10-20T00:10:00Z,4,20,x\n2025-10-20T00:20:00Z,8,,y\n");
  const auto out = [&](const std::string& words) {
    const Result result = bench.run(words + " --quiet");
    INFO(words << ": " << result.err);
    CHECK(result.exit == 0);
    return result.out;
  };
  CHECK_THAT(out("lag p.csv --take 'change(\"price (EUR)\")'"),
             Catch::Contains("price (EUR)_change\n") && Catch::Contains(",4,20,x,1\n"));
  CHECK(out("resample p.csv --every 1h --take 'sum(\"a,b\"),\"n, all\"=count()'") ==
        "time,\"a,b_sum\",\"n, all\"\n2025-10-20T00:00:00Z,30,3\n");
  CHECK_THAT(out("fill p.csv --on '\"a,b\"' --ends hold"), Catch::Contains(",8,20,y\n"));
  CHECK(out("select p.csv --columns '\"a,b\"'") ==
        "time,\"a,b\"\n2025-10-20T00:00:00Z,10\n2025-10-20T00:10:00Z,20\n2025-10-20T00:20:00Z,\n");
  CHECK_THAT(out("settle p.csv --key '\"berth+quay\"'"),
             Catch::StartsWith("time,berth+quay,price (EUR),\"a,b\"\n"));
  CHECK_THAT(out("settle p.csv --text '\"a,b\"' --to jsonl"), Catch::Contains("\"a,b\":\"10\""));
  // In plans, in lists and in text.
  bench.put(
      "plan.toml",
      "[source.p]\nfile = \"p.csv\"\nkey = 'berth+quay'\ncolumns = [\"a,b\", \"price (EUR)\"]\n"
      "[series.f]\nfrom = \"p\"\nsteps = [ { fill = { on = [\"a,b\"], ends = \"hold\", how = "
      "\"previous\" } }, { roll = { window = 2, take = ['mean(\"price (EUR)\")'] } } ]\n"
      "[output.f]\nfile = \"f.csv\"\n");
  const Result run = bench.run("run plan.toml --quiet");
  INFO(run.err);
  CHECK(run.exit == 0);
  CHECK_THAT(bench.get("f.csv"), Catch::StartsWith("time,berth+quay,price (EUR),\"a,b\",price "
                                                   "(EUR)_mean\n"));
  for (const char* words : {"resample p.csv --every 1h --take 'mean(\"price (EUR)\")'",
                            "fill p.csv --on '\"a,b\",\"price (EUR)\"' --how previous"}) {
    check_plan_of(bench, words);
  }
}

TEST_CASE("what follows @ without a space is a time, or a mistake", "[outside]") {
  const Bench bench;
  bench.put("p.csv", "time,x\n2025-01-01T00:00:00Z,4\n2025-02-01T00:00:00Z,8\n");
  CHECK_THAT(bench.run("compute p.csv --set 'y=100*x/x@2025-01' --quiet").out,
             Catch::Contains(",8,200\n"));
  const Result wrong = bench.run("compute p.csv --set 'y=x@2025-13-01' --quiet");
  CHECK(wrong.exit == 2);
  CHECK_THAT(wrong.err, Catch::Contains("\"2025-13-01\" is not a time"));
  CHECK_THAT(bench.run("compute p.csv --set 'y=x@2025-01 - 13' --quiet").out,
             Catch::Contains(",8,-9\n"));
}

TEST_CASE("rises and falls of nothing are missing, and counts 0", "[outside]") {
  const Bench bench;
  bench.put("u.csv",
            "time,x\n2025-10-20T00:00:00Z,1\n2025-10-20T01:00:00Z,\n2025-10-20T02:00:00Z,2\n");
  CHECK_THAT(bench.run("roll u.csv --window 30min --take 'up(x),down(x),count(x)' --quiet").out,
             Catch::Contains("T00:00:00Z,1,0,0,1\n") && Catch::Contains("T01:00:00Z,,,,0\n") &&
                 Catch::Contains("T02:00:00Z,2,1,0,1\n"));
  CHECK_THAT(bench.run("resample u.csv --every 1h --take 'up(x),count(x)' --quiet").out,
             Catch::Contains("T01:00:00Z,,0\n"));
}

TEST_CASE("the root of the mean of squares and the coefficient of variation are taken everywhere",
          "[outside]") {
  const Bench bench;
  bench.put("v.csv",
            "time,x\n2025-10-20T00:00:00Z,3\n2025-10-20T00:10:00Z,-4\n2025-10-20T01:00:00Z,5\n");
  CHECK(bench.run("resample v.csv --every 1h --take 'rms(x),cv(x)' --quiet").out ==
        "time,x_rms,x_cv\n2025-10-20T00:00:00Z,3.5355339059327378,9.899494936611665\n"
        "2025-10-20T01:00:00Z,5,\n");
  CHECK_THAT(bench.run("roll v.csv --window 2 --take 'rms(x)' --quiet").out,
             Catch::Contains(",-4,3.5355339059327378\n"));
  CHECK_THAT(bench.run("profile v.csv --by hour --take 'rms(x)' --quiet").out,
             Catch::Contains("\n1,5\n"));
  CHECK_THAT(bench.run("spells v.csv --where 'x > -9' --take 'rms(x)' --quiet").out,
             Catch::Contains("x_rms\n"));
  CHECK(bench.run("lag v.csv --take 'rms(x)'").exit == 2);
}

TEST_CASE("the option that writes a plan is in the reference", "[outside]") {
  const Bench bench;
  CHECK_THAT(bench.run("reference").out, Catch::Contains("| `--as-plan FILE` |"));
}

TEST_CASE("what can't be told of day and month is told by what each would make", "[outside]") {
  const Bench bench;
  std::string text = "month,x\n";
  for (int year = 2020; year < 2025; ++year) {
    for (int month = 1; month <= 12; ++month) text += fmt::format("{}/1/{},1\n", month, year);
  }
  const Result settled = bench.run("settle -", text);
  CHECK(settled.exit == 3);
  CHECK_THAT(settled.err, Catch::Contains("as month/day they are monthly, 60 of 60") &&
                              Catch::Contains("as day/month they are 12 days of each January"));
  const Result checked = bench.run("check - --json", text);
  CHECK(checked.exit == 0);
  std::set<std::string> kinds;
  const Json report = Json::parse(checked.out);
  for (const auto& finding : report["findings"]) kinds.insert(finding["kind"]);
  CHECK(kinds.contains("ambiguous-order"));
  CHECK(report["records"] == 60);
}

TEST_CASE("a file of nothing but faults needs no memory for each", "[outside]") {
  if constexpr (!memory_limits) return;
  const Bench bench;
  std::string text = "time,x\n";
  for (int i = 0; i < 400'000; ++i) text += "q,1\n";
  bench.put("bad.csv", text);
  const Result result = bench.run_within(RLIMIT_DATA, 80'000'000,
                                         "settle bad.csv --time time -o out.csv --threads 1");
  CHECK(result.exit == 4);
  CHECK_THAT(result.err, Catch::Contains("400,000 of 400,000 records are at fault") &&
                             Catch::Contains("and 399,995 more"));
}

}  // namespace zerobeat::testing::outside
