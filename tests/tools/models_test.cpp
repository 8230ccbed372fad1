#include <fmt/format.h>

#include <cmath>
#include <sstream>

#include "support/tool.hpp"

namespace zerobeat::testing::models {

namespace {

/// Rows of a CSV, cell by cell.
std::vector<std::vector<std::string>> cells(const std::string& csv) {
  std::vector<std::vector<std::string>> rows;
  std::stringstream lines(csv);
  for (std::string line; std::getline(lines, line);) {
    rows.emplace_back();
    std::stringstream row(line);
    for (std::string cell; std::getline(row, cell, ',');) rows.back().push_back(cell);
    if (line.ends_with(',')) rows.back().emplace_back();
  }
  return rows;
}

/// Two probes each 10 minutes: a wave, a slope, and a step of noise that repeats.
std::string store() {
  std::string text = "time,probe,t_c,door\n";
  for (int i = 0; i < 300; ++i) {
    for (const char* probe : {"north", "south"}) {
      const double shift = *probe == 'n' ? 0 : 0.3;
      const double value = -18 + 0.01 * i + std::sin(i / 8.0 + shift) + 0.1 * ((i * 7919) % 13 - 6);
      text += fmt::format("2025-10-{:02}T{:02}:{:02}:00Z,{},{:.3f},{}\n", 20 + i / 144, i / 6 % 24,
                          i % 6 * 10, probe, value, i % 5);
    }
  }
  return text;
}

}  // namespace

TEST_CASE("regress tells coefficients, and on standard error what to believe", "[models]") {
  const Bench bench;
  bench.put("store.csv", store());
  const Result run = bench.run(
      "regress store.csv --key probe --y t_c --x 'days=elapsed()/86400,days^2' --fit fit.csv");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  const auto rows = cells(run.out);
  CHECK(rows[0] == std::vector<std::string>{"probe", "y", "term", "coefficient", "se", "t", "p",
                                            "low", "high"});
  REQUIRE(rows.size() == 7);
  CHECK(rows[1][2] == "constant");
  CHECK(rows[2][2] == "days");
  CHECK(rows[6][2] == "days^2");
  CHECK(rows[4][0] == "south");
  CHECK_THAT(run.err,
             Catch::Contains("t_c, north: R² 0.") &&
                 Catch::Contains("the residuals follow each other (Durbin and Watson 0.") &&
                 Catch::Contains("see --errors autocorrelated"));
  const auto fit = cells(bench.get("fit.csv"));
  CHECK(fit[0] == std::vector<std::string>{"probe", "y", "rows", "left_out", "r2", "r2_adjusted",
                                           "sigma", "f", "p", "loglik", "aic", "bic",
                                           "durbin_watson"});
  CHECK(fit[1][2] == "300");
  const auto wider = cells(bench
                               .run("regress store.csv --key probe --y t_c --x "
                                    "'days=elapsed()/86400,days^2' --errors autocorrelated")
                               .out);
  CHECK(wider[2][3] == rows[2][3]);
  CHECK(std::stod(wider[2][4]) > std::stod(rows[2][4]));
  const auto added = cells(
      bench.run("regress store.csv --key probe --y t_c --x 'elapsed()' --add fitted,residual").out);
  CHECK(added[0] ==
        std::vector<std::string>{"time", "probe", "t_c", "door", "t_c_fitted", "t_c_residual"});
  CHECK(std::stod(added[9][2]) == Approx(std::stod(added[9][4]) + std::stod(added[9][5])));
}

TEST_CASE("decompose adds the parts, and says how strong they are", "[models]") {
  const Bench bench;
  bench.put("store.csv", store());
  const Result run = bench.run("decompose store.csv --key probe --season 50 --on t_c --robust");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  const auto rows = cells(run.out);
  CHECK(rows[0] == std::vector<std::string>{"time", "probe", "t_c", "door", "t_c_trend",
                                            "t_c_season", "t_c_rest", "t_c_adjusted"});
  for (std::size_t row : {1u, 50u, 400u}) {
    CHECK(std::stod(rows[row][4]) + std::stod(rows[row][5]) + std::stod(rows[row][6]) ==
          Approx(std::stod(rows[row][2])));
  }
  CHECK_THAT(run.err,
             Catch::Contains("t_c, south: trend 0.") && Catch::Contains("of the rest's variance"));
  // An hour is six rows; a season of a year is too long, and one of 25 minutes no whole number.
  CHECK(bench.run("decompose store.csv --key probe --season 1h --on t_c").exit == 0);
  const Result long_season = bench.run("decompose store.csv --key probe --season 1year --on t_c");
  CHECK(long_season.exit == 4);
  CHECK_THAT(long_season.err, Catch::Contains("no strand has two seasons"));
  const Result odd = bench.run("decompose store.csv --key probe --season 25min --on t_c");
  CHECK(odd.exit == 2);
  CHECK_THAT(odd.err, Catch::Contains("--season 25min") && Catch::Contains("10 min apart"));
  CHECK_THAT(bench.run("decompose store.csv --key probe --season 6 --season-window 4").err,
             Catch::Contains("odd number"));
}

TEST_CASE("what is not regular is refused with the remedy, and taken by rows", "[models]") {
  const Bench bench;
  std::string text = "time,level\n";
  for (int i = 0; i < 60; ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:{:02}Z,{}\n", i / 6, i % 6 * 10, i == 31 ? 30 : 0,
                        i * i % 17);
  }
  bench.put("level.csv", text);
  for (const char* command :
       {"decompose level.csv --season 6", "correlate level.csv", "test level.csv --of noise"}) {
    INFO(command);
    const Result run = bench.run(std::string(command) + " -o out.csv");
    CHECK(run.exit == 4);
    CHECK_THAT(run.err, Catch::Contains(
                            "from 2025-10-20T05:00:00Z to 2025-10-20T05:10:30Z is 10 min 30 s") &&
                            Catch::Contains("resample --every") && Catch::Contains("--by-rows"));
    CHECK(!bench.has("out.csv"));
    CHECK(bench.run(std::string(command) + " --by-rows").exit == 0);
  }
  CHECK(bench.run("test level.csv --of normal,trend,runs").exit == 0);
}

TEST_CASE("correlate, test, peaks and crossings make their tables", "[models]") {
  const Bench bench;
  bench.put("store.csv", store());
  const auto lags = cells(bench.run("correlate store.csv --key probe --on t_c --lags 4").out);
  CHECK(lags[0] == std::vector<std::string>{"probe", "column", "lag", "correlation", "partial",
                                            "bound", "q", "p"});
  CHECK(lags.size() == 9);
  CHECK(lags[8][2] == "4");
  const auto both =
      cells(bench.run("correlate store.csv --key probe --on t_c --with door --lags 2").out);
  CHECK(both.size() == 11);
  CHECK(both[1][3] == "-2");

  const auto tests = cells(
      bench.run("test store.csv --key probe --on t_c --of unit-root,trend,uniform --range=-30,0")
          .out);
  CHECK(tests[0] == std::vector<std::string>{"probe", "column", "test", "null", "statistic", "p",
                                             "lags", "readings", "verdict", "slope"});
  CHECK(tests.size() == 7);
  CHECK(tests[2][8] == "rejected");
  // 0.01 a row is 1.44 a day.
  CHECK(std::stod(tests[2][9]) == Approx(1.44).epsilon(0.2));

  const auto tops = cells(
      bench.run("peaks store.csv --key probe --on t_c --kind both --prominence 1.5 --apart 3h")
          .out);
  CHECK(tops[0] == std::vector<std::string>{"probe", "column", "kind", "at", "value", "prominence",
                                            "width_s"});
  // Six waves of 50 rows in each of two strands.
  CHECK(tops.size() > 20);
  CHECK(tops.size() < 30);
  const auto passed =
      cells(bench
                .run("crossings store.csv --key probe --of t_c --with -17 --stay 1h --local --zone "
                     "Europe/Dublin")
                .out);
  CHECK(passed[0] ==
        std::vector<std::string>{"probe", "column", "with", "at", "direction", "value"});
  CHECK_THAT(passed[1][3], Catch::Contains("+01:00"));
  for (std::size_t row = 1; row < passed.size(); ++row) CHECK(std::stod(passed[row][5]) == -17);
}

TEST_CASE("models work in chains and plans, and draw what they made", "[models]") {
  const Bench bench;
  bench.put("store.csv", store());
  const char* chains[] = {"regress store.csv --key probe --y t_c --x 'elapsed()'",
                          "decompose store.csv --key probe --season 50 --on t_c",
                          "correlate store.csv --key probe --on t_c --lags 30",
                          "peaks store.csv --key probe --on t_c --prominence 1",
                          "crossings store.csv --key probe --of t_c --with -17"};
  const char* titles[] = {"Residuals of t_c", "Trend, season and rest of t_c",
                          "Correlations by lag", "peaks", "upwards"};
  for (std::size_t i = 0; i < std::size(chains); ++i) {
    INFO(chains[i]);
    const Result run = bench.run(std::string(chains[i]) + " + plot -o made.svg");
    INFO(run.err);
    REQUIRE(run.exit == 0);
    const std::string svg = bench.get("made.svg");
    CHECK_THAT(svg, Catch::Contains(titles[i]) && !Catch::Contains("nothing to draw"));
  }
  const Result chain = bench.run(
      "decompose store.csv --key probe --season 50 --on t_c + test --of noise --on t_c_rest + plot "
      "-o no.png --as-plan p.toml");
  CHECK(chain.exit != 0);  // a table of tests has no picture
  REQUIRE(bench
              .run("decompose store.csv --key probe --season 50 --on t_c + test --of noise --on "
                   "t_c_rest -o tests.csv --as-plan p.toml")
              .exit == 0);
  const std::string before = bench.get("tests.csv");
  fs::remove(bench.folder() / "tests.csv");
  REQUIRE(bench.run("run p.toml").exit == 0);
  CHECK(bench.get("tests.csv") == before);
  CHECK_THAT(bench.run("explain p.toml").out, Catch::Contains("decompose"));
  CHECK_THAT(bench.run("run p.toml --causal").err, Catch::Contains("decompose"));
  // The same bytes at any number of threads.
  for (const char* command : {chains[0], chains[1], chains[2]}) {
    CHECK(bench.run(std::string(command) + " --threads 1").out == bench.run(command).out);
  }
}

TEST_CASE("what a model is asked wrongly is told with its option", "[models]") {
  const Bench bench;
  bench.put("store.csv", store());
  const std::pair<const char*, const char*> wrong[] = {
      {"regress store.csv --key probe --y t_c", "--x TERMS"},
      {"regress store.csv --key probe --y t --x row\\(\\)", "t_c"},
      {"regress store.csv --key probe --y t_c --x 'row()' --lags 3", "--errors autocorrelated"},
      {"regress store.csv --key probe --y t_c --x 'row()' --how hubr", "huber"},
      {"test store.csv --key probe --of norml", "normal"},
      {"test store.csv --key probe --of uniform", "--range LO,HI"},
      {"peaks store.csv --key probe --prominence=-1", "--prominence -1"},
      {"crossings store.csv --key probe --of t_c", "--with COLUMN"},
      {"crossings store.csv --key probe --of t_c --with dor", "door"},
      {"decompose store.csv --key probe", "--season N"},
      {"correlate store.csv --key probe --lags 0", "--lags 0"}};
  for (const auto& [command, told] : wrong) {
    INFO(command);
    const Result run = bench.run(command);
    CHECK(run.exit == 2);
    CHECK_THAT(run.err, Catch::Contains(told));
  }
}

}  // namespace zerobeat::testing::models
