#include <fmt/format.h>

#include <cmath>
#include <map>
#include <sstream>

#include "support/tool.hpp"

namespace zerobeat::testing::forecasts {

namespace {

std::vector<std::vector<std::string>> rows_of(const std::string& csv) {
  std::vector<std::vector<std::string>> rows;
  std::stringstream lines(csv);
  for (std::string line; std::getline(lines, line);) {
    rows.emplace_back();
    // A name of a model has commas, and quotes around it.
    std::string cell;
    bool quoted = false;
    for (const char c : line) {
      if (c == '"') {
        quoted = !quoted;
      } else if (c == ',' && !quoted) {
        rows.back().push_back(std::move(cell));
        cell.clear();
      } else {
        cell += c;
      }
    }
    rows.back().push_back(std::move(cell));
  }
  return rows;
}

/// The 20th of each month: a slope, a season of 12 and noise.
std::string catches(int months, bool two_boats = false) {
  std::string text = two_boats ? "day,boat,catch_t\n" : "day,catch_t\n";
  std::uint64_t state = 7;
  for (int m = 0; m < months; ++m) {
    state = state * 6'364'136'223'846'793'005ULL + 1'442'695'040'888'963'407ULL;
    const double noise = static_cast<double>(state >> 40) / 0x1p24 - 0.5;
    const double value = 80 + 1.2 * m + 12 * std::sin(m * M_PI / 6) + 6 * noise;
    const std::string day = fmt::format("{}-{:02}-20", 2015 + m / 12, m % 12 + 1);
    if (!two_boats) {
      text += fmt::format("{},{:.2f}\n", day, value);
      continue;
    }
    text += fmt::format("{},gannet,{:.2f}\n{},tern,{:.2f}\n", day, value, day, 200 - value);
  }
  return text;
}

}  // namespace

TEST_CASE("the next twelve months come with bands, and with why", "[forecast]") {
  const Bench bench;
  bench.put("catches.csv", catches(96));
  const Result run =
      bench.run("forecast catches.csv --ahead 12 --season 1year --levels 80,95 --fit fit.csv");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  const auto rows = rows_of(run.out);
  REQUIRE(rows.size() == 13);
  CHECK(rows[0] == std::vector<std::string>{"day", "catch_t", "catch_t_low80", "catch_t_high80",
                                            "catch_t_low95", "catch_t_high95"});
  CHECK(rows[1][0] == "2023-01-20T00:00:00Z");
  CHECK(rows[12][0] == "2023-12-20T00:00:00Z");
  for (std::size_t row = 1; row < rows.size(); ++row) {
    const double value = std::stod(rows[row][1]);
    CHECK(std::stod(rows[row][4]) < std::stod(rows[row][2]));
    CHECK(std::stod(rows[row][2]) < value);
    CHECK(value < std::stod(rows[row][3]));
    const int m = 95 + static_cast<int>(row);
    CHECK(value == Approx(80 + 1.2 * m + 12 * std::sin(m * M_PI / 6)).margin(5));
  }
  CHECK_THAT(run.err, Catch::Contains("  catch_t: ") && Catch::Contains("(aicc ") &&
                          Catch::Contains("; the next best ") &&
                          Catch::Contains("; over 5 hidden ends its mean absolute error is ") &&
                          Catch::Contains(" t, ") && Catch::Contains("seasonal's ") &&
                          Catch::Contains("naive's "));
  const auto fit = rows_of(bench.get("fit.csv"));
  CHECK(fit[0] == std::vector<std::string>{"column", "model", "readings", "parameters", "sigma",
                                           "loglik", "aic", "aicc", "bic", "terms"});
  // The model that was chosen, named, gives the same rows.
  const Result named =
      bench.run("forecast catches.csv --ahead 12 --season 12 --model " + fit[1][1]);
  const auto again = rows_of(named.out);
  for (std::size_t row = 1; row < rows.size(); ++row) {
    CHECK(std::stod(again[row][1]) == Approx(std::stod(rows[row][1])).epsilon(1e-4));
  }
}

TEST_CASE("models are tried on hidden ends, each on the same", "[forecast]") {
  const Bench bench;
  bench.put("catches.csv", catches(72, true));
  const Result run = bench.run(
      "forecast catches.csv --key boat --ahead 6 --season 12 --try "
      "naive,seasonal,arima:0,1,1,0,1,1,smoothing:AAA,mean --rounds 4");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  const auto rows = rows_of(run.out);
  CHECK(rows[0] == std::vector<std::string>{"boat", "column", "model", "rounds", "mae", "rmse",
                                            "mase", "within80", "within95"});
  REQUIRE(rows.size() == 11);
  CHECK(rows[3][2] == "arima:0,1,1,0,1,1");
  std::map<std::string, double> mae;
  for (std::size_t row = 1; row <= 5; ++row) {
    CHECK(rows[row][0] == "gannet");
    CHECK(rows[row][3] == "4");
    mae[rows[row][2]] = std::stod(rows[row][4]);
    CHECK(std::stod(rows[row][5]) >= std::stod(rows[row][4]));
  }
  CHECK(mae["arima:0,1,1,0,1,1"] < mae["naive"]);
  CHECK(mae["smoothing:AAA"] < mae["naive"]);
  CHECK_THAT(run.err, Catch::Contains("gannet: mean is no better than naive over 4 hidden ends"));
}

TEST_CASE("a forecast is the same as a command, in a chain, and in a plan", "[forecast]") {
  const Bench bench;
  bench.put("catches.csv", catches(60, true));
  const std::string command =
      "forecast catches.csv --key boat --ahead 6 --season 12 --model smoothing:AAA --with-past";
  const Result run = bench.run(command);
  INFO(run.err);
  REQUIRE(run.exit == 0);
  CHECK(bench.run(command + " --threads 1").out == run.out);
  REQUIRE(bench.run(command + " -o ahead.csv --as-plan p.toml").exit == 0);
  fs::remove(bench.folder() / "ahead.csv");
  const Result planned = bench.run("run p.toml");
  INFO(planned.err);
  REQUIRE(planned.exit == 0);
  CHECK(bench.get("ahead.csv") == run.out);
  CHECK_THAT(bench.run("explain p.toml").out, Catch::Contains("forecast"));
  // Nothing ahead of a row was looked at for it.
  CHECK(bench.run("run p.toml --causal").exit == 0);
  const Result picture = bench.run(command + " + plot -o ahead.svg");
  INFO(picture.err);
  REQUIRE(picture.exit == 0);
  CHECK_THAT(bench.get("ahead.svg"), Catch::Contains("80% band") && Catch::Contains("95% band") &&
                                         Catch::Contains("catch_t, gannet") &&
                                         Catch::Contains("catch_t, tern"));
  const Result wide = bench.run(
      "settle catches.csv --key boat + forecast --ahead 2 --model naive + compute "
      "--set 'width=catch_t_high95-catch_t_low95'");
  CHECK_THAT(wide.out, Catch::Contains("width"));
}

TEST_CASE("a plan says models and levels as lists", "[forecast]") {
  const Bench bench;
  bench.put("catches.csv", catches(60));
  bench.put("p.toml", R"plan(
[source.catches]
file = "catches.csv"

[series.ahead]
from = "catches"
steps = [{ forecast = { ahead = "6 months", season = "1year", model = "smoothing:ANA", levels = [50, 99.5], fit = "fit.csv" } }]

[series.tried]
from = "catches"
steps = [{ forecast = { ahead = 6, season = 12, try = ["naive", "arima:0,1,1,0,1,1", "mean"], rounds = 3 } }]

[output.ahead]
file = "ahead.csv"

[output.tried]
file = "tried.csv"

[output.picture]
from = "ahead"
figure = "ahead.svg"
)plan");
  const Result run = bench.run("run p.toml");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  const auto ahead = rows_of(bench.get("ahead.csv"));
  REQUIRE(ahead.size() == 7);
  CHECK(ahead[0][4] == "catch_t_low99_5");
  CHECK(rows_of(bench.get("fit.csv"))[1][1] == "smoothing:ANA");
  const auto tried = rows_of(bench.get("tried.csv"));
  REQUIRE(tried.size() == 4);
  CHECK(tried[2][1] == "arima:0,1,1,0,1,1");
  CHECK(tried[2][2] == "3");
  CHECK_THAT(bench.get("ahead.svg"), Catch::Contains("99.5% band"));
  // What the fit says of the season is what it puts ahead.
  const std::string terms = rows_of(bench.get("fit.csv"))[1].back();
  CHECK_THAT(terms, Catch::StartsWith("alpha=") && Catch::Contains(" gamma=") &&
                        Catch::Contains(" level=") && Catch::Contains(" season12="));
}

TEST_CASE("days ahead follow the zone's clocks, steps of a count go on counting", "[forecast]") {
  const Bench bench;
  std::string text = "day,x\n";
  for (int day = 14; day <= 24; ++day) text += fmt::format("2025-10-{} 06:00,{}\n", day, day % 3);
  bench.put("days.csv", text);
  const Result run =
      bench.run("forecast days.csv --zone Europe/Dublin --local --ahead 4d --model naive");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  const auto rows = rows_of(run.out);
  REQUIRE(rows.size() == 5);
  CHECK(rows[1][0] == "2025-10-25T06:00:00+01:00");
  CHECK(rows[2][0] == "2025-10-26T06:00:00+00:00");
  bench.put("steps.csv", "step,x\n0,1\n5,2\n10,4\n15,3\n");
  const Result steps =
      bench.run("forecast steps.csv --time-format elapsed-count --ahead 3 --model drift");
  INFO(steps.err);
  REQUIRE(steps.exit == 0);
  const auto counted = rows_of(steps.out);
  CHECK(counted[1][0] == "20");
  CHECK(counted[3][0] == "30");
  CHECK(std::stod(counted[3][1]) == Approx(3 + 3 * 2.0 / 3));
}

TEST_CASE("whatever the readings, there is an answer or a reason", "[forecast]") {
  const Bench bench;
  const std::string header = "day,x\n";
  const std::pair<const char*, std::string> files[] = {
      {"one", header + "2025-01-01,3\n"},
      {"two", header + "2025-01-01,3\n2025-01-02,4\n"},
      {"three", header + "2025-01-01,3\n2025-01-02,4\n2025-01-03,1\n"},
      {"none", header + "2025-01-01,\n2025-01-02,\n2025-01-03,\n"},
      {"same", header + "2025-01-01,7\n2025-01-02,7\n2025-01-03,7\n2025-01-04,7\n2025-01-05,7\n"},
      {"huge",
       header + "2025-01-01,1e300\n2025-01-02,-1e300\n2025-01-03,1e300\n2025-01-04,9e299\n"}};
  for (const auto& [name, text] : files) {
    bench.put(std::string(name) + ".csv", text);
    for (const char* model : {"auto", "mean", "drift", "seasonal", "smoothing", "arima",
                              "arima:2,1,2,1,1,1", "smoothing:MAdM"}) {
      const Result run =
          bench.run(fmt::format("forecast {}.csv --ahead 2 --season 7 --model {}", name, model));
      INFO(name << " " << model << "\n" << run.err);
      CHECK(run.exit == 0);
      CHECK_THAT(run.err, Catch::Contains("\n  x: "));
    }
  }
  const Result negative = bench.run("forecast huge.csv --ahead 2 --multiply");
  CHECK(negative.exit == 2);
  CHECK_THAT(negative.err, Catch::Contains("--multiply: x is -1e+300 at 2025-01-02T00:00:00Z"));
}

TEST_CASE("what forecast is asked wrongly is told with its option", "[forecast]") {
  const Bench bench;
  bench.put("catches.csv", catches(30));
  const std::pair<const char*, const char*> wrong[] = {
      {"forecast catches.csv", "--ahead N or PERIOD"},
      {"forecast catches.csv --ahead 0", "--ahead"},
      {"forecast catches.csv --ahead 1d", "--ahead 1d: it is shorter than a step of a month"},
      {"forecast catches.csv --ahead 3 --model arma", "smoothing:ETS"},
      {"forecast catches.csv --ahead 3 --model arima:1,0", "three numbers or six"},
      {"forecast catches.csv --ahead 3 --model seasonal", "there is no --season"},
      {"forecast catches.csv --ahead 3 --season 10d", "no whole number of rows"},
      {"forecast catches.csv --ahead 3 --levels 120", "less than 100 percent"},
      {"forecast catches.csv --ahead 3 --try naive --fit f.csv", "does not go with --fit"},
      {"forecast catches.csv --ahead 3 --try naive,naive", "given twice"},
      {"forecast catches.csv --ahead 3 --on catch", "catch_t"}};
  for (const auto& [command, told] : wrong) {
    INFO(command);
    const Result run = bench.run(command);
    INFO(run.err);
    CHECK(run.exit == 2);
    CHECK_THAT(run.err, Catch::Contains(told));
  }
  bench.put("gap.csv", "day,x\n2025-01-01,1\n2025-01-02,2\n2025-01-05,3\n");
  const Result uneven = bench.run("forecast gap.csv --ahead 2");
  CHECK(uneven.exit == 4);
  CHECK_THAT(uneven.err, Catch::Contains("resample --every") && Catch::Contains("--by-rows"));
}

}  // namespace zerobeat::testing::forecasts
