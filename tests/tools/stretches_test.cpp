// Files that are resampled stretch by stretch, against the same read as a whole.

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "support/tool.hpp"

namespace zerobeat::testing::stretches {

namespace {

/// Some 9 MB of readings of six probes in turn, a little more than a second apart.
std::string readings(int rows, bool with_faults) {
  std::string text = "time,probe,level_m,count\n";
  std::uint64_t state = 3;
  const auto random = [&](std::uint64_t below) {
    state = state * 6'364'136'223'846'793'005ULL + 1'442'695'040'888'963'407ULL;
    return (state >> 33) % below;
  };
  std::int64_t ms = 0;
  for (int i = 0; i < rows; ++i) {
    ms += static_cast<std::int64_t>(random(2500));
    const auto seconds = ms / 1000;
    const std::string time =
        fmt::format("2025-10-{:02}T{:02}:{:02}:{:02}.{:03}Z", 1 + seconds / 86'400,
                    seconds / 3600 % 24, seconds / 60 % 60, seconds % 60, ms % 1000);
    const bool faulty = with_faults && random(500) == 0;
    text += fmt::format("{},cold_{},{}.{:03},{}\n", faulty ? "soon" : time, random(6) + 1,
                        random(5), random(1000), random(90));
    if (with_faults && random(700) == 0) text += text.substr(text.rfind('\n', text.size() - 2) + 1);
  }
  return text;
}

/// The account without what takes its time.
nlohmann::json account_of(const Bench& bench, const std::string& file) {
  nlohmann::json account = nlohmann::json::parse(bench.get(file));
  account.erase("run");
  for (auto& step : account["steps"]) {
    step.erase("seconds");
    step.erase("series");
  }
  return account;
}

constexpr int many = 240'000;

/// The same by a plan in which a second series looks at the source, so that it is read as a whole.
void check_as_whole(const Bench& bench, const std::string& key, const std::string& options,
                    const std::string& plan_options) {
  INFO(options);
  const Result direct = bench.run("resample readings.csv --rejects r.csv " +
                                  (key.empty() ? key : "--key " + key + " ") + options +
                                  " -o direct.csv --account direct.json");
  INFO(direct.err);
  REQUIRE(direct.exit == 0);
  bench.put("whole.toml",
            "[source.readings]\nfile = \"readings.csv\"\nrejects = \"r2.csv\"\n" +
                (key.empty() ? key : "key = \"" + key + "\"\n") +
                "[series.buckets]\nfrom = \"readings\"\nsteps = [ { resample = { " + plan_options +
                " } } ]\n[series.other]\nfrom = \"readings\"\nsteps = [ { describe = {} } ]\n"
                "[output.buckets]\nfile = \"whole.csv\"\n[output.other]\nfile = \"other.csv\"\n");
  const Result whole = bench.run("run whole.toml --quiet --account whole.json");
  INFO(whole.err);
  REQUIRE(whole.exit == 0);
  CHECK(bench.get("direct.csv") == bench.get("whole.csv"));
  CHECK(bench.get("r.csv") == bench.get("r2.csv"));
  const auto own = account_of(bench, "direct.json"), all = account_of(bench, "whole.json");
  CHECK(own["sources"] == all["sources"]);
  REQUIRE(own["steps"].size() >= 2);
  CHECK(own["steps"][0] == all["steps"][0]);
  CHECK(own["steps"][1] == all["steps"][1]);
}

}  // namespace

TEST_CASE("a file that is resampled by stretches gives the bytes of the whole", "[stretches]") {
  const Bench bench;
  const bool faults = GENERATE(false, true);
  bench.put("readings.csv", readings(many, faults));
  check_as_whole(bench, "", "--every 1h --take 'mean(level_m),sum(count),first(probe)'",
                 "every = \"1h\", take = \"mean(level_m),sum(count),first(probe)\"");
  check_as_whole(bench, "probe", "--every 10min --take 'std(level_m),median(count),count()'",
                 "every = \"10min\", take = \"std(level_m),median(count),count()\"");
  check_as_whole(bench, "probe", "--every 1d --row-at end --empty skip",
                 "every = \"1d\", row-at = \"end\", empty = \"skip\"");
}

TEST_CASE("threads change nothing of what comes of stretches, and neither does the door",
          "[stretches]") {
  const Bench bench;
  bench.put("readings.csv", readings(many, false));
  const std::string options = " --key probe --every 15min --quiet";
  const Result one = bench.run("resample readings.csv --threads 1" + options);
  REQUIRE(one.exit == 0);
  CHECK(one.out.size() > 100'000);
  CHECK(bench.run("resample readings.csv --threads 2" + options).out == one.out);
  CHECK(bench.run("resample readings.csv --threads 5" + options).out == one.out);
  CHECK(bench.run("resample -" + options, bench.get("readings.csv")).out == one.out);
  REQUIRE(bench.run("settle readings.csv --quiet -o readings.arrow").exit == 0);
  CHECK(bench.run("resample readings.arrow" + options).out == one.out);
  check_plan_of(bench, "resample readings.csv --key probe --every 15min");
}

TEST_CASE("records out of order give what they give in order", "[stretches]") {
  const Bench bench;
  std::string text = readings(many, false);
  bench.put("in_order.csv", text);
  // A block near the end goes to the beginning.
  const std::size_t header = text.find('\n') + 1;
  const std::size_t from = text.find('\n', text.size() - 20'000) + 1;
  const std::string late = text.substr(from);
  bench.put("readings.csv", text.substr(0, header) + late + text.substr(header, from - header));
  const std::string options = " --every 1h --take 'mean(level_m),count()' --quiet";
  const Result ordered = bench.run("resample in_order.csv" + options);
  REQUIRE(ordered.exit == 0);
  CHECK(bench.run("resample readings.csv" + options).out == ordered.out);
}

TEST_CASE("memory does not grow with the file that is resampled", "[stretches]") {
  if (!memory_limits) return;
  const Bench bench;
  // 50 MB, whose times and readings alone would take 48.
  bench.put("readings.csv", readings(1'300'000, false));
  const std::string words =
      "resample readings.csv --every 1h --take 'mean(level_m),max(count)' --quiet --threads 1";
  constexpr rlim_t most = rlim_t{40} << 20;
  const Result bounded = bench.run_within(RLIMIT_DATA, most, words);
  INFO(bounded.err);
  CHECK(bounded.exit == 0);
  CHECK(bounded.out == bench.run(words).out);
  // What looks at all rows does not fit.
  const Result whole = bench.run_within(
      RLIMIT_DATA, most, "roll readings.csv --window 1h --take 'mean(level_m)' --quiet -o out.csv");
  CHECK(whole.exit == 3);
  CHECK_THAT(whole.err, Catch::Contains("memory"));
}

TEST_CASE("records that are there twice are told from others of their time, all through a file",
          "[stretches]") {
  const Bench bench;
  // Each line, some of them once more, some with another reading, some with a cell of two lines.
  std::stringstream lines(readings(60'000, false));
  std::string text, line;
  std::getline(lines, line);
  text = line + "\n";
  std::vector<std::string> records;
  for (int i = 0; std::getline(lines, line); ++i) {
    if (i % 4000 == 0)
      line.replace(line.find("cold"), 4, "\"co\nld\"")
          .erase(line.find('"', line.find('\n')) + 1, 2);
    records.push_back(line);
    if (i % 700 == 1) records.push_back(line);
    if (i % 900 == 5) records.push_back(line.substr(0, line.rfind(',')) + ",1000");
  }
  for (const auto& record : records) text += record + "\n";
  bench.put("readings.csv", text);
  // Records of one time stand together.
  std::int64_t same = 0, again = 0;
  const auto time_of = [](const std::string& record) { return record.substr(0, 24); };
  for (std::size_t from = 0; from < records.size();) {
    std::size_t until = from;
    std::set<std::string> distinct;
    for (; until < records.size() && time_of(records[until]) == time_of(records[from]); ++until) {
      distinct.insert(records[until]);
    }
    again += static_cast<std::int64_t>(until - from) - 1;
    same += static_cast<std::int64_t>(until - from - distinct.size());
    from = until;
  }
  REQUIRE(same > 80);
  for (const char* threads : {"1", "2"}) {
    const Result run = bench.run("check readings.csv --threads " + std::string(threads));
    CHECK(run.exit == 0);
    CHECK_THAT(run.out, Catch::Contains(fmt::format("{} the same record again, {} with other "
                                                    "readings",
                                                    same, again - same)));
  }
}

TEST_CASE("mistakes of a step that takes stretches are told as of any other", "[stretches]") {
  const Bench bench;
  bench.put("readings.csv", readings(many, true));
  const Result column =
      bench.run("resample readings.csv --tolerate 5% --every 1h --take 'mean(depth)'");
  CHECK(column.exit == 2);
  CHECK_THAT(column.err, Catch::Contains("depth") && Catch::Contains("level_m"));
  const Result number =
      bench.run("resample readings.csv --every 1h --take 'mean(level_m)' -o out.csv");
  CHECK(number.exit == 4);
  CHECK_THAT(number.err, Catch::Contains("unreadable-time") && Catch::Contains("--tolerate"));
  CHECK_FALSE(fs::exists(bench.folder() / "out.csv"));
  const Result many_buckets = bench.run("resample readings.csv --tolerate 5% --every 1us");
  CHECK(many_buckets.exit == 2);
  CHECK_THAT(many_buckets.err, Catch::Contains("1,000,000,000"));
}

}  // namespace zerobeat::testing::stretches
