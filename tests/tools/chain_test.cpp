#include <sys/stat.h>

#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace zerobeat::testing::chain {

namespace {

constexpr const char* tide =
    "time,level_m,note\n"
    "2025-10-20T00:00:00Z,1,a\n"
    "2025-10-20T00:20:00Z,3,b\n"
    "2025-10-20T00:40:00Z,5,c\n"
    "2025-10-20T02:00:00Z,8,d\n";

constexpr const char* trades =
    "time,kg\n2025-10-20T00:10:00Z,7\n2025-10-20T01:30:00Z,9\n2025-10-20T02:10:00Z,4\n";

}  // namespace

TEST_CASE("a lone + begins the next step, and no file stands between", "[chain]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result chain = bench.run(
      "resample tide.csv --every 1h + fill --how linear + lag --take 'rise=diff(level_m_mean)'");
  CHECK(chain.exit == 0);
  CHECK(chain.out ==
        "time,level_m_mean,rise\n2025-10-20T00:00:00Z,3,\n2025-10-20T01:00:00Z,5.5,2.5\n"
        "2025-10-20T02:00:00Z,8,2.5\n");
  CHECK_THAT(chain.err, Catch::Contains("resample: 4 rows in, 3 out") &&
                            Catch::Contains("fill: 3 rows in, 3 out, 1 filled") &&
                            Catch::Contains("columns without numbers were left out: note"));
  // The same by way of files.
  CHECK(bench.run("resample tide.csv --every 1h -o a.csv").exit == 0);
  CHECK(bench.run("fill a.csv -o b.csv").exit == 0);
  CHECK(bench.run("lag b.csv --take 'rise=diff(level_m_mean)'").out == chain.out);
}

TEST_CASE("shared options stand in any part of a chain, each once", "[chain]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const auto fails = [&](const std::string& words, const std::string& why) {
    const Result result = bench.run(words);
    INFO(words << "\n" << result.err);
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::Contains(why));
  };
  CHECK(bench.run("resample tide.csv --every 1h + fill --zone Europe/Dublin --local --quiet").out ==
        "time,level_m_mean\n2025-10-20T01:00:00+01:00,3\n2025-10-20T02:00:00+01:00,5.5\n"
        "2025-10-20T03:00:00+01:00,8\n");
  fails("resample tide.csv --every 1h --zone UTC + fill --zone UTC", "--zone is given twice");
  fails("resample tide.csv --every 1h -o a.csv + fill -o b.csv", "--output is given twice");
  fails("resample tide.csv --every 1h --every 2h", "--every is given twice");
  fails("fill tide.csv --flag --flag", "--flag is given twice");
  fails("resample tide.csv --every 1h +", "a + has a step on both sides");
  fails("resample tide.csv --every 1h + fill tide.csv", "a later step works on");
  fails("resample tide.csv --every 1h + stamp", "first step of a chain");
  fails("check tide.csv + fill", "does not go into a chain");
  fails("profile tide.csv --by hour + fill", "makes a table");
  fails("plot tide.csv -o a.png + fill", "last step of a chain");
  fails("resample tide.csv --every 1h + plot", "say where the picture goes");
  fails("resample tide.csv --every 1h --local + plot -o a.png", "ends in a picture");
}

TEST_CASE("the plan of a command does the same, to the byte", "[chain]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", trades);
  bench.put("capture.csv", "rate: 2 Hz\nx,y\n1,2\n3,4\n5,6\n");
  bench.put("wide.csv", "stock,2025-10-01,2025-10-02\nling,1,2\nhake,3,4\n");
  fs::create_directory(bench.folder() / "plans");
  const char* commands[] = {
      "settle tide.csv --duplicates last",
      "resample tide.csv --every 1h --take 'mean(level_m),last(note)' --row-at end + fill",
      "resample tide.csv trades.csv --every 1h --take 'tide:a=mean(level_m),max(level_m)' --take "
      "trades:'sum(kg)'",
      "resample tide.csv --by-value level_m:2 --take 'count()'",
      "profile tide.csv --by weekday,hour --take 'n=count()'",
      "stamp capture.csv --start 2025-10-20 --rate-from rate + roll --window 2",
      "reshape wide.csv --into long",
      "join tide.csv trades.csv --tolerance 1h + resample --every 1h + join trades.csv",
      "clip tide.csv --bounds ,4 --changes changes.csv",
      "thin tide.csv --share 0.5 --seed 7 + settle --duplicates first",
  };
  for (const std::string command : commands) {
    INFO(command);
    const Result direct = bench.run(command + " --quiet -o out.csv --as-plan plans/p.toml");
    INFO(direct.err);
    REQUIRE(direct.exit == 0);
    const std::string bytes = bench.get("out.csv");
    fs::remove(bench.folder() / "out.csv");
    const Result planned = bench.run("run plans/p.toml --quiet");
    INFO(planned.err << bench.get("plans/p.toml"));
    CHECK(planned.exit == 0);
    CHECK(bench.get("out.csv") == bytes);
  }
  // A command that fails leaves an older plan as it is.
  const std::string older = bench.get("plans/p.toml");
  CHECK(bench.run("settle gone.csv --as-plan plans/p.toml").exit == 3);
  CHECK(bench.get("plans/p.toml") == older);
  CHECK(bench.run("settle tide.csv --as-plan -").exit == 2);
}

TEST_CASE("files of a later join are its other sources, and are counted once", "[chain]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", trades);
  const Result result = bench.run(
      "join tide.csv trades.csv --tolerance 1h + join trades.csv --match next --account a.json");
  CHECK(result.exit == 0);
  CHECK(result.out.substr(0, result.out.find('\n')) == "time,level_m,note,kg_tide,kg_trades_2");
  const auto account = nlohmann::json::parse(bench.get("a.json"));
  REQUIRE(account["sources"].size() == 2);
  CHECK(account["sources"][0]["name"] == "tide");
  CHECK(account["sources"][1]["file"] == "trades.csv");
  CHECK(account["sources"][1]["kept"] == 3);
  CHECK(account["steps"].back()["step"] == "join");
  CHECK(account["steps"].back()["series"] == "tide");
  CHECK(account["steps"].back()["rows_in"] == 7);
}

TEST_CASE("no path has two roles, by whatever spelling", "[roles]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", trades);
  fs::create_symlink("tide.csv", bench.folder() / "link.csv");
  fs::create_hard_link(bench.folder() / "tide.csv", bench.folder() / "hard.csv");
  fs::create_directory(bench.folder() / "sub");
  bench.put("plan.toml",
            "[source.a]\nfile = \"tide.csv\"\nrejects = \"r.csv\"\n[source.b]\nfile = "
            "\"trades.csv\"\nrejects = \"sub/../r.csv\"\n[output.a]\nfile = \"o.csv\"\n");
  const auto before = bench.files();
  const char* commands[] = {
      "settle tide.csv -o tide.csv",
      "settle tide.csv -o ./tide.csv",
      "settle tide.csv -o sub/../tide.csv",
      "settle tide.csv -o link.csv",
      "settle tide.csv -o hard.csv",
      "settle tide.csv --rejects tide.csv -o o.csv",
      "settle tide.csv --rejects o.csv -o o.csv",
      "settle tide.csv --account ./o.csv -o o.csv",
      "settle tide.csv --as-plan o.csv -o o.csv",
      "clip tide.csv --bounds 0,4 --changes o.csv -o o.csv",
      "clip tide.csv --bounds 0,4 --changes tide.csv -o o.csv",
      "join tide.csv trades.csv --rejects o.csv",
      "plot tide.csv --over trades.csv -o trades.csv",
      "run plan.toml",
      "run plan.toml --account o.csv",
      "run plan.toml --account plan.toml",
  };
  for (const char* command : commands) {
    const Result result = bench.run(command);
    INFO(command << "\n" << result.err);
    CHECK(result.exit == 2);
    CHECK(bench.files() == before);
    CHECK(bench.get("tide.csv") == tide);
  }
  CHECK(bench.run("settle tide.csv --rejects /dev/null -o /dev/null --quiet").exit == 0);
}

TEST_CASE("an ending that no format has is refused, unless the format is named", "[roles]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  for (const char* name : {"x.ods", "x.xlsx", "x.csv.old", "x.xlsx.gz"}) {
    const Result result = bench.run(std::string("settle tide.csv -o ") + name);
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::Contains("no format has the ending"));
    CHECK(!bench.has(name));
  }
  CHECK(bench.run("settle tide.csv --to csv -o x.ods").exit == 0);
  CHECK(bench.get("x.ods") == bench.run("settle tide.csv").out);
  CHECK(bench.run("settle tide.csv -o x.CSV").exit == 0);
  CHECK(bench.run("settle tide.csv -o plain").exit == 0);
  CHECK(bench.run("settle tide.csv -o x.tsv").exit == 0);
  CHECK(bench.get("x.tsv").substr(0, 18) == "time\tlevel_m\tnote\n");
  bench.put("tab.csv", "time,note\n2025-10-20T00:00:00Z,a\tb\n");
  CHECK(bench.run("settle tab.csv -o t.tsv").exit == 5);
  CHECK(!bench.has("t.tsv"));
}

TEST_CASE("every output or none: what was put in place is put back", "[roles]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("a.csv", "old");
  // A folder stands where the second output is to go once all was read.
  bench.put(
      "plan.toml",
      "[source.tide]\nfile = \"tide.csv\"\n[series.b]\nfrom = \"tide\"\n[output.tide]\nfile = "
      "\"a.csv\"\n[output.b]\nfile = \"b/x.csv\"\n");
  bench.put("b", "a file where a folder is needed");
  CHECK(bench.run("run plan.toml").exit == 5);
  CHECK(bench.get("a.csv") == "old");
  CHECK(bench.files() == std::vector<std::string>{"a.csv", "b", "plan.toml", "tide.csv"});
}

TEST_CASE("a file that is replaced keeps its mode, and a link is followed", "[roles]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("out.csv", "old");
  fs::permissions(bench.folder() / "out.csv", static_cast<fs::perms>(0640));
  fs::create_symlink("out.csv", bench.folder() / "link.csv");
  fs::create_symlink("made.csv", bench.folder() / "dangling.csv");
  CHECK(bench.run("settle tide.csv -o link.csv").exit == 0);
  CHECK(bench.run("settle tide.csv -o dangling.csv").exit == 0);
  CHECK(fs::is_symlink(bench.folder() / "link.csv"));
  CHECK(fs::is_symlink(bench.folder() / "dangling.csv"));
  CHECK(bench.get("out.csv") == bench.get("made.csv"));
  CHECK(fs::status(bench.folder() / "out.csv").permissions() == static_cast<fs::perms>(0640));
  const std::string name(250, 'n');
  CHECK(bench.run("settle tide.csv -o " + name + ".csv").exit == 0);
  CHECK(bench.has(name + ".csv"));
  CHECK(bench.run("settle tide.csv -o " + name + "nn.csv").exit == 5);
}

TEST_CASE("a closed or full standard error loses what is said, and nothing else", "[process]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const std::string data = bench.run("settle tide.csv").out;
  CHECK(bench.run("settle tide.csv -o a.csv 2>&-").exit == 0);
  CHECK(bench.get("a.csv") == data);
  const Result full = bench.run("settle tide.csv -o b.csv 2>/dev/full; exit $?; true");
  CHECK(full.exit == 0);
  CHECK(bench.get("b.csv") == data);
  CHECK(bench.run("settle tide.csv >&-; exit $?; true").exit == 5);
  CHECK(bench.run("--help > /dev/full; exit $?; true").exit == 5);
  CHECK(bench.run("settle - 0<&- ; exit $?; true").exit == 3);
}

TEST_CASE("escapes of a terminal are shown, not sent", "[process]") {
  const Bench bench;
  bench.put("tide.csv",
            "time,key,\x1b[31mx\n2025-10-20T00:00:00Z,a\x07\xe2\x80\xae"
            "b,1\n");
  const Result report = bench.run("check tide.csv --key key");
  CHECK(report.exit == 0);
  CHECK(report.out.find('\x1b') == std::string::npos);
  CHECK(report.out.find('\x07') == std::string::npos);
  CHECK(report.out.find("\xe2\x80\xae") == std::string::npos);
  CHECK_THAT(report.out, Catch::Contains("\\x1b[31mx") && Catch::Contains("a\\x07\\u202eb"));
  const Result error = bench.run("settle $'no\\e]0;x\\asuch.csv'");
  CHECK(error.err.find('\x1b') == std::string::npos);
}

TEST_CASE("a file that is cut while it is read is an error, and told", "[process]") {
  const Bench bench;
  std::string text = "time,x,note\n";
  for (int i = 0; i < 300'000; ++i)
    text += "2025-10-20T00:00:00Z,1,aaaaaaaaaaaaaaaaaaaaaaaaaaaaaa\n";
  int told = 0;
  for (const int delay_us : {500, 2000, 4000, 8000, 12'000, 20'000}) {
    bench.put("tide.csv", text);
    const pid_t child = fork();
    if (child == 0) {
      if (chdir(bench.folder().c_str()) != 0) _exit(99);
      const int sink = open("err.txt", O_WRONLY | O_CREAT | O_TRUNC, 0600);
      dup2(sink, STDERR_FILENO);
      execl(ZEROBEAT_TOOL, ZEROBEAT_TOOL, "settle", "tide.csv", "-o", "out.csv", "--threads", "1",
            nullptr);
      _exit(99);
    }
    std::this_thread::sleep_for(std::chrono::microseconds(delay_us));
    fs::resize_file(bench.folder() / "tide.csv", 100);
    int status = 0;
    waitpid(child, &status, 0);
    REQUIRE(WIFEXITED(status));
    const bool fine = WEXITSTATUS(status) == 0 || WEXITSTATUS(status) == 3;
    CHECK((fine || WEXITSTATUS(status) == 4));
    if (WEXITSTATUS(status) == 3) {
      ++told;
      CHECK_THAT(bench.get("err.txt"), Catch::Contains("tide.csv"));
      CHECK(!bench.has("out.csv"));
    }
    fs::remove(bench.folder() / "out.csv");
  }
  INFO(told);
}

TEST_CASE("a report goes to standard output", "[check]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  const Result report = bench.run("check tide.csv");
  CHECK_THAT(report.out, Catch::Contains("4 records = 4 kept"));
  CHECK(report.err.empty());
}

TEST_CASE("help shows an example and the statistics, in short lines", "[help]") {
  const Bench bench;
  const Result help = bench.run("help roll");
  CHECK(help.exit == 0);
  CHECK(help.out == bench.run("roll --help").out);
  CHECK_THAT(help.out, Catch::Contains("zerobeat roll tide_gauge.csv") &&
                           Catch::Contains("median") && Catch::Contains("--window N|PERIOD"));
  std::istringstream lines(help.out);
  for (std::string line; std::getline(lines, line);) {
    if (line.find("zerobeat roll ") == std::string::npos) CHECK(line.size() <= 104);
  }
  CHECK(bench.run("help rol").exit == 2);
}

TEST_CASE("a demo's folder that was changed is left alone", "[demo]") {
  const Bench bench;
  CHECK(bench.run("demo d --quiet").exit == 0);
  const std::string plan = bench.get("d/plan.toml");
  fs::remove(bench.folder() / "d/landings.csv");
  CHECK(bench.run("demo d --quiet").exit == 0);
  CHECK(bench.has("d/landings.csv"));
  bench.put("d/plan.toml", plan + "# mine\n");
  const Result changed = bench.run("demo d");
  CHECK(changed.exit == 2);
  CHECK_THAT(changed.err, Catch::Contains("plan.toml"));
  CHECK(bench.get("d/plan.toml") == plan + "# mine\n");
  bench.put("d/plan.toml", plan);
  bench.put("d/mine.csv", "x");
  CHECK(bench.run("demo d").exit == 2);
}

}  // namespace zerobeat::testing::chain
