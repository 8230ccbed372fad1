#include <fmt/format.h>
#include <sys/stat.h>

#include "support/tool.hpp"

namespace zerobeat::testing::faults {

namespace {

constexpr const char* row = "2025-10-20T00:00:00Z,1\n";

}  // namespace

TEST_CASE("a source that can't be read at all ends with 3 and says why", "[faults]") {
  const Bench bench;
  const auto fails = [&](const std::string& file, const std::string& why) {
    const Result result = bench.run("settle " + file + " -o out.csv");
    INFO(result.err);
    CHECK(result.exit == 3);
    CHECK_THAT(result.err, Catch::Contains(why));
    CHECK(!bench.has("out.csv"));
  };
  fails("gone.csv", "gone.csv: there is no such file");
  fails(".", "is a directory");
  bench.put("empty.csv", "");
  fails("empty.csv", "is empty");
  bench.put("secret.csv", row);
  fs::permissions(bench.folder() / "secret.csv", fs::perms::none);
  if (geteuid() != 0) fails("secret.csv", "can't be opened");
  bench.put("twice.csv", "time,x,x\n");
  fails("twice.csv", "two columns are named \"x\"");
  bench.put("words.csv", "a,b\nx,y\n");
  fails("words.csv", "no column reads as times");
  bench.put("binary.csv", std::string("\x7f"
                                      "ELF\0\0\0\1",
                                      8));
  fails("binary.csv", "is a NUL");
}

TEST_CASE("a header alone, one record and no newline at the end are read", "[faults]") {
  const Bench bench;
  CHECK(bench.run("settle -", "time,x\n").out == "time,x\n");
  CHECK(bench.run("settle -", "time,x").exit == 0);
  CHECK(bench.run("settle -", std::string("time,x\n") + row).out == std::string("time,x\n") + row);
  CHECK(bench.run("settle -", "time,x\n2025-10-20T00:00:00Z,1").out ==
        std::string("time,x\n") + row);
  CHECK(bench.run("resample - --every 1h", "time,x\n").out == "time,x_mean\n");
  CHECK(bench.run("check - --json", "time,x\n").exit == 0);
}

TEST_CASE("odd bytes go into the account", "[faults]") {
  const Bench bench;
  const Result nul =
      bench.run("check - --tolerate 9", std::string("time,x\n2025-10-20T00:00:00Z,a\0b\n", 33));
  CHECK(nul.exit == 0);
  const Result encoding =
      bench.run("check -", std::string("time,x\n2025-10-20T00:00:00Z,\xff\n") + row);
  CHECK(encoding.exit == 4);
  CHECK_THAT(encoding.err, Catch::Contains("bad-encoding"));
  const Result quote =
      bench.run("check -", std::string("time,x\n2025-10-20T00:00:00Z,\"1\n") + row);
  CHECK(quote.exit == 4);
  CHECK_THAT(quote.err, Catch::Contains("broken-quote"));
  CHECK_THAT(quote.out, Catch::Contains("1 kept + 1 rejected"));
}

TEST_CASE("long lines and many columns are read whole", "[faults]") {
  const Bench bench;
  const std::string note(10'000'000, 'n');
  bench.put("long.csv",
            "time,note\n2025-10-20T00:00:00Z," + note + "\n2025-10-20T00:01:00Z,short\n");
  CHECK(bench.run("settle long.csv").out == bench.get("long.csv"));
  std::string header = "time", cells = "2025-10-20T00:00:00Z";
  for (int i = 0; i < 10'000; ++i) {
    header += fmt::format(",x{}", i);
    cells += fmt::format(",{}", i);
  }
  bench.put("wide.csv", header + "\n" + cells + "\n");
  CHECK(bench.run("settle wide.csv").out == bench.get("wide.csv"));
}

TEST_CASE("an output that can't be written ends with 5 and leaves nothing", "[faults]") {
  const Bench bench;
  std::string text = "time,x\n";
  for (int i = 0; i < 50'000; ++i) text += row;
  bench.put("tide.csv", text);
  CHECK(bench.run("settle tide.csv -o /dev/full").exit == 5);
  CHECK(bench.run("settle tide.csv -o gone/out.csv").exit == 5);
  CHECK(bench.run("settle tide.csv -o .").exit == 5);
  const Result full = bench.run("settle tide.csv --quiet -o - > /dev/full; exit $?; true");
  CHECK(full.exit == 5);
  CHECK(bench.files() == std::vector<std::string>{"tide.csv"});
}

TEST_CASE("a reader that goes away early is no error, and nothing is said", "[faults]") {
  const Bench bench;
  std::string text = "time,x\n";
  for (int i = 0; i < 200'000; ++i) text += row;
  bench.put("tide.csv", text);
  const Result result = bench.run(
      "--version > /dev/null; bash -c '\"$0\" settle tide.csv | head -c 10 > /dev/null; "
      "exit ${PIPESTATUS[0]}' \"" +
      std::string(ZEROBEAT_TOOL) + "\"");
  CHECK(result.exit == 0);
  CHECK(result.err.empty());
}

TEST_CASE("an interrupt while writing leaves no partial output", "[faults]") {
  const Bench bench;
  std::string text = "time,x\n";
  for (int i = 0; i < 400'000; ++i) text += row;
  bench.put("tide.csv", text);
  for (const int delay_ms : {5, 20, 60, 120}) {
    const pid_t child = fork();
    if (child == 0) {
      if (chdir(bench.folder().c_str()) != 0) _exit(99);
      execl(ZEROBEAT_TOOL, ZEROBEAT_TOOL, "roll", "tide.csv", "--window", "9", "--take",
            "std(x),median(x),mean(x)", "-o", "out.csv", "--quiet", nullptr);
      _exit(99);
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(delay_ms));
    kill(child, SIGINT);
    int status = 0;
    waitpid(child, &status, 0);
    if (WIFSIGNALED(status)) {
      CHECK(WTERMSIG(status) == SIGINT);
      CHECK(bench.files() == std::vector<std::string>{"tide.csv"});
    } else {
      CHECK(WEXITSTATUS(status) == 0);
      CHECK(bench.has("out.csv"));
      fs::remove(bench.folder() / "out.csv");
    }
  }
}

TEST_CASE("an old output stays when the new one can't be made", "[faults]") {
  const Bench bench;
  bench.put("tide.csv", std::string("time,x\nsoon,1\n") + row);
  bench.put("out.csv", "old");
  CHECK(bench.run("settle tide.csv -o out.csv --time time").exit == 4);
  CHECK(bench.get("out.csv") == "old");
}

TEST_CASE("wrong use ends with 2 and names what would be right", "[faults]") {
  const Bench bench;
  bench.put("tide.csv", std::string("time,level_m\n") + row);
  const auto fails = [&](const std::string& words, const std::string& why) {
    const Result result = bench.run(words);
    INFO(words << "\n" << result.err);
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::Contains(why));
    CHECK(result.out.empty());
  };
  fails("resample tide.csv --every 0min", "longer than zero");
  fails("resample tide.csv --every 15mn",
        "--every 15mn: \"15mn\": \"mn\" is not a unit; did you mean min?");
  fails("resample tide.csv --evry 15min", "there is no option --evry; did you mean --every?");
  fails("resample tide.csv --every 1h --take 'mean(levl_m)'", "did you mean level_m?");
  fails("resample tide.csv --every 1h --take 'mean(level_m),mean(level_m)'", "NAME=");
  fails("resample tide.csv --every 1wk --anchor 2025-01-01 --week-starts mon", "contradict");
  fails("resample tide.csv", "--every");
  fails("resmaple tide.csv", "did you mean resample?");
  fails("settle", "name a file to read");
  fails("settle tide.csv tide.csv", "one file");
  fails("settle tide.csv --zone Europe/Dubln", "did you mean Europe/Dublin?");
  fails("settle tide.csv --key prob", "no column \"prob\"");
  fails("settle tide.csv --tolerate many", "neither a number");
  fails("settle tide.csv --threads 0", "from 1 to 1024");
  fails("settle tide.csv --duplicates keep --duplicates last", "given twice");
  fails("settle tide.csv --from jsnl", "did you mean jsonl?");
  fails("settle tide.csv --skip-lines -1", "not negative");
  fails("resample tide.csv --every 1M", "did you mean month or min?");
  fails("resample tide.csv --every 1h --take 'avg(level_m)'", "did you mean mean?");
  fails("roll tide.csv --window 0", "no length");
  fails("run", "name one plan");
  fails("run tide.csv", "tide.csv:1");
  CHECK(bench.run("").exit == 2);
  CHECK(bench.run("--help").exit == 0);
  CHECK(bench.run("fill --help").exit == 0);
}

TEST_CASE("a file whose shape was not told is met with the option that tells it", "[faults]") {
  const Bench bench;
  bench.put("head.csv", "# by hand\ntime,x\n2025-10-20T00:00:00Z,1\n");
  CHECK(bench.run("settle head.csv").out == bench.run("settle head.csv --comment '#'").out);
  CHECK_THAT(bench.run("check head.csv").out, Catch::Contains("preamble"));
  bench.put("amid.csv", "time,x\n2025-10-20T00:00:00Z,1\n# by hand\n");
  CHECK_THAT(bench.run("settle amid.csv").err, Catch::Contains("--comment '#'"));
  bench.put("old.csv", "time,x\r2025-10-20T00:00:00Z,1\r2025-10-20T00:01:00Z,2\r");
  CHECK(bench.run("settle old.csv").out ==
        "time,x\n2025-10-20T00:00:00Z,1\n2025-10-20T00:01:00Z,2\n");
  CHECK_THAT(bench.run("check old.csv").out, Catch::Contains("line-ends"));
}

TEST_CASE("a profile that would be too large is refused before it is made", "[faults]") {
  const Bench bench;
  std::string text = "time,key,x\n";
  for (int i = 0; i < 100; ++i) text += fmt::format("2025-10-20T00:00:00Z,k{},1\n", i);
  bench.put("keys.csv", text);
  const Result result = bench.run("profile keys.csv --key key --by yearday,hour,minute -o o.csv");
  CHECK(result.exit == 2);
  CHECK_THAT(result.err, Catch::Contains("more than 40,000,000 rows"));
  CHECK(!bench.has("o.csv"));
}

TEST_CASE("a plan that nests too deep is refused, and a pipe is not waited for", "[faults]") {
  const Bench bench;
  std::string deep = "a";
  for (int i = 0; i < 50'000; ++i) deep += ".a";
  bench.put("deep.toml", deep + " = 1\n");
  const Result result = bench.run("run deep.toml");
  CHECK(result.exit == 2);
  CHECK_THAT(result.err, Catch::Contains("deep.toml:1") && Catch::Contains("64 parts"));
  REQUIRE(mkfifo((bench.folder() / "pipe").c_str(), 0600) == 0);
  bench.put("plan.toml", "[source.a]\nfile = \"pipe\"\n[output.a]\nfile = \"o.csv\"\n");
  const Result explained = bench.run("explain plan.toml");
  CHECK(explained.exit == 0);
  CHECK_THAT(explained.out, Catch::Contains("not looked at: it is no regular file"));
}

TEST_CASE("a window larger than the data is no fault", "[faults]") {
  const Bench bench;
  bench.put("tide.csv", std::string("time,x\n") + row);
  CHECK(bench.run("roll tide.csv --window 100").out == "time,x,x_mean\n2025-10-20T00:00:00Z,1,\n");
  CHECK(bench.run("roll tide.csv --window 100h").out ==
        "time,x,x_mean\n2025-10-20T00:00:00Z,1,1\n");
  CHECK(bench.run("clip tide.csv --quantiles 0.1,0.9 --window 100").exit == 0);
  CHECK(bench.run("lag tide.csv --by 100").exit == 0);
}

TEST_CASE("a plan with a cycle is told, with its line", "[faults]") {
  const Bench bench;
  bench.put("plan.toml",
            "[series.a]\nfrom = \"b\"\n[series.b]\nfrom = \"a\"\n[output.a]\nfile = \"a.csv\"\n");
  const Result result = bench.run("run plan.toml");
  CHECK(result.exit == 2);
  CHECK_THAT(
      result.err,
      Catch::Contains("plan.toml:1: series a: series are made from themselves: a from b from a"));
}

}  // namespace zerobeat::testing::faults
