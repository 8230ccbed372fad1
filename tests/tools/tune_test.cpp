// Two clocks brought together, through the real binary.

#include <nlohmann/json.hpp>

#include "align/clock/source.hpp"
#include "support/tool.hpp"

namespace zerobeat::testing::tune {

namespace {

std::string csv_of(const Written& written, const std::string& column, const std::string& key = "") {
  std::string text = key.empty() ? "time," + column + "\n" : "";
  for (std::size_t i = 0; i < written.times.size(); ++i) {
    text += to_text(written.times[i], 3) + (key.empty() ? "" : "," + key) +
            fmt::format(",{:.3f}\n", written.readings[i].value_or(0));
  }
  return text;
}

/// The quay's gauge, and a logger that is ahead of it by 250 s at the middle.
void put_two(const Bench& bench) {
  const Shape shape(4);
  bench.put("quay.csv", csv_of(written(shape, {}, 6, 1), "level"));
  bench.put("logger.csv", csv_of(written(shape, {.step_s = 300, .offset_s = 250}, 6, 2), "height"));
}

void put_probes(const Bench& bench) {
  const Shape shape(5);
  bench.put("probes.csv",
            "time,probe,level\n" + csv_of(written(shape, {}, 6, 1), "", "east") +
                csv_of(written(shape, {.offset_s = 400, .drift_ppm = 500}, 6, 2), "", "north") +
                csv_of(written(shape, {}, 6, 3), "", "west"));
}

std::vector<std::vector<std::string>> cells_of(const std::string& csv) {
  std::vector<std::vector<std::string>> rows;
  std::stringstream lines(csv);
  for (std::string line; std::getline(lines, line);) {
    auto& row = rows.emplace_back();
    std::stringstream cells(line + ",");
    for (std::string cell; std::getline(cells, cell, ',');) row.push_back(cell);
  }
  return rows;
}

}  // namespace

TEST_CASE("tune sets one source right by another, and says what it found", "[tool]") {
  const Bench bench;
  put_two(bench);
  const Result tuned = bench.run(
      "tune quay.csv logger.csv --on level --with height --found found.csv -o right.csv "
      "--account account.json");
  INFO(tuned.err);
  REQUIRE(tuned.exit == 0);
  const auto found = cells_of(bench.get("found.csv"));
  REQUIRE(found.size() == 2);
  CHECK(found[0] == std::vector<std::string>{"key", "offset_s", "offset_se_s", "drift_ppm",
                                             "drift_se_ppm", "at", "match_before", "match_after",
                                             "readings"});
  CHECK(found[1][0].empty());
  const double offset = std::stod(found[1][1]);
  CHECK(std::fabs(offset - 250) < 18);
  CHECK(found[1][3] == "0");
  CHECK(std::stod(found[1][7]) > std::stod(found[1][6]));
  // What is written is the other's records, their times less the offset.
  const auto before = cells_of(bench.get("logger.csv")), after = cells_of(bench.get("right.csv"));
  REQUIRE(after.size() == before.size());
  CHECK(after[0] == before[0]);
  for (const std::size_t row : {std::size_t{1}, after.size() - 1}) {
    const Nanoseconds by = at(before[row][0]) - at(after[row][0]);
    CHECK(by.count() == std::llround(offset * 1e9));
    CHECK(std::stod(after[row][1]) == std::stod(before[row][1]));
  }
  CHECK_THAT(tuned.err,
             Catch::Contains("logger: its clock was 4 min") && Catch::Contains("ahead (± "));
  const auto account = nlohmann::json::parse(bench.get("account.json"));
  CHECK(account["sources"].size() == 2);
  CHECK(account["steps"].back()["step"] == "tune");
  check_plan_of(bench, "tune quay.csv logger.csv --on level --with height --drift --found f.csv");
  check_plan_of(bench,
                "settle quay.csv + tune logger.csv --on level --with height + roll "
                "--window 1h");
}

TEST_CASE("the strands of one source are brought to the one that is right", "[tool]") {
  const Bench bench;
  put_probes(bench);
  const Result tuned = bench.run(
      "tune probes.csv --key probe --against east --on level --drift --found found.csv "
      "--precision ns");
  INFO(tuned.err);
  REQUIRE(tuned.exit == 0);
  const auto found = cells_of(bench.get("found.csv"));
  REQUIRE(found.size() == 3);
  CHECK(found[1][0] == "north");
  CHECK(std::fabs(std::stod(found[1][1]) - 400) < 18);
  CHECK(std::fabs(std::stod(found[1][3]) - 500) < 5 * std::stod(found[1][4]));
  CHECK(found[2][0] == "west");
  // The right one's records are written as they were read.
  const std::string text = bench.run("settle probes.csv --key probe --precision ns").out;
  CHECK(tuned.out.substr(0, 20'000) == text.substr(0, 20'000));
  check_plan_of(bench, "tune probes.csv --key probe --against east --on level --drift");

  const Result checked = bench.run("check probes.csv --key probe --tune level --json");
  const auto report = nlohmann::json::parse(checked.out);
  CHECK(report["findings"][0]["kind"] == "clock-off");
  CHECK_THAT(report["findings"][0]["message"].get<std::string>(),
             Catch::Contains("the clock of north is 6 min") && Catch::Contains("gains"));
  CHECK(report["findings"][0]["first_line"] > 1000);
  CHECK_THAT(bench.run("check probes.csv --tune level").err, Catch::Contains("has no key"));
  CHECK_THAT(bench.run("check probes.csv --key probe --tune lvel").err,
             Catch::Contains("did you mean level"));
}

TEST_CASE("a tuning that is refused writes nothing", "[tool]") {
  const Bench bench;
  put_two(bench);
  bench.put("foreign.csv", csv_of(written(Shape(90), {}, 6, 7), "level"));
  bench.put("found.csv", "old\n");
  const Result refused = bench.run(
      "tune quay.csv foreign.csv --on level --found found.csv -o right.csv --as-plan p.toml");
  CHECK(refused.exit == 4);
  CHECK_THAT(refused.err, Catch::Contains("tune: foreign: no match"));
  CHECK(bench.get("found.csv") == "old\n");
  CHECK(!bench.has("right.csv"));
  CHECK(!bench.has("p.toml"));
  const Result strict =
      bench.run("tune quay.csv logger.csv --on level --with height --least 0.9999 -o right.csv");
  CHECK(strict.exit == 4);
  CHECK_THAT(strict.err, Catch::Contains("at best its clock is 4 min"));
  CHECK(!bench.has("right.csv"));
  // Sources without a common time, or with one reading, or none.
  bench.put("one.csv", "time,level\n2025-10-22T00:00:00Z,1\n");
  bench.put("none.csv", "time,level\n");
  for (const char* other : {"one.csv", "none.csv"}) {
    const Result result = bench.run(std::string("tune quay.csv --on level ") + other);
    INFO(other << result.err);
    CHECK(result.exit == 4);
    CHECK_THAT(result.err, Catch::Contains("no match"));
  }
  CHECK(bench.run("tune one.csv none.csv --on level").exit == 4);
}

TEST_CASE("a tune that is used wrongly says what would be right", "[tool]") {
  const Bench bench;
  put_two(bench);
  put_probes(bench);
  const auto error_of = [&](const std::string& words) {
    const Result result = bench.run(words);
    CHECK(result.exit == 2);
    return result.err;
  };
  CHECK_THAT(error_of("tune quay.csv logger.csv"), Catch::Contains("--on COLUMN of quay"));
  CHECK_THAT(error_of("tune quay.csv logger.csv --on level"),
             Catch::Contains("--on level: logger has no such column; there is height"));
  CHECK_THAT(error_of("tune quay.csv --on level"), Catch::Contains("--against KEY"));
  CHECK_THAT(error_of("tune quay.csv --on level --against a"), Catch::Contains("has no key"));
  CHECK_THAT(error_of("tune probes.csv --key probe --on level --against esat"),
             Catch::Contains("did you mean east"));
  CHECK_THAT(error_of("tune quay.csv logger.csv --on level --with height --against a"),
             Catch::Contains("for the strands of one source"));
  CHECK_THAT(error_of("tune probes.csv quay.csv --on level --key probes:probe"),
             Catch::Contains("and quay has none"));
  CHECK_THAT(error_of("tune quay.csv logger.csv probes.csv --on level"),
             Catch::Contains("2 files at most"));
  CHECK_THAT(error_of("tune quay.csv logger.csv --on level --with height --within 0s"),
             Catch::Contains("--within"));
  CHECK_THAT(error_of("tune quay.csv logger.csv --on level --with height --least 2"),
             Catch::Contains("from 0 to 1"));
  CHECK_THAT(error_of("settle quay.csv + tune logger.csv probes.csv --on level"),
             Catch::Contains("takes 2 sources"));
  CHECK_THAT(error_of("tune probes.csv --key level --on probe --against -1.681"),
             Catch::Contains("it holds text"));
}

TEST_CASE("plot draws how two clocks compare, before and after", "[tool]") {
  const Bench bench;
  put_two(bench);
  put_probes(bench);
  const Result drawn =
      bench.run("tune quay.csv logger.csv --on level --with height + plot -o clocks.svg");
  INFO(drawn.err);
  REQUIRE(drawn.exit == 0);
  const std::string svg = bench.get("clocks.svg");
  CHECK_THAT(svg, Catch::Contains("The clock of logger beside that of quay"));
  CHECK_THAT(svg, Catch::Contains("as it was: a match of 0.") &&
                      Catch::Contains("set right: a match of 0.") &&
                      Catch::Contains("half-way down from the peak"));
  CHECK_THAT(svg, Catch::Contains("how far the clock is taken to be ahead"));
  REQUIRE(bench.run("tune probes.csv --key probe --on level --against east --drift + plot -o p.svg")
              .exit == 0);
  CHECK_THAT(bench.get("p.svg"),
             Catch::Contains("north") && Catch::Contains("west") && Catch::Contains("gaining"));
  // What is no match is drawn all the same, and told.
  bench.put("foreign.csv", csv_of(written(Shape(90), {}, 6, 7), "level"));
  const Result unlike = bench.run("tune quay.csv foreign.csv --on level + plot -o u.svg");
  CHECK(unlike.exit == 0);
  CHECK_THAT(unlike.err, Catch::Contains("foreign: no match"));
  CHECK_THAT(bench.get("u.svg"), Catch::Contains("foreign: no match"));
  CHECK_THAT(
      bench.run("tune quay.csv logger.csv --on level --with height + plot --y level -o a.svg").err,
      Catch::Contains("--y does not go with the picture of tune"));
  CHECK(!bench.has("a.svg"));
}

}  // namespace zerobeat::testing::tune
