// Windows and lags, through the real binary.

#include <algorithm>

#include "support/tool.hpp"

namespace zerobeat::testing::windows {

namespace {

const std::string kg =
    "day,berth,kg,price\n2025-10-24,east,5,1\n2025-10-25,east,7,2\n2025-10-26,east,,4\n"
    "2025-10-27,east,12,8\n2025-10-28,east,3,4\n2025-10-24,west,1,9\n2025-10-25,west,2,3\n";

/// The cell of a column in a line of CSV without quotes, the header being line 0.
std::string cell(const std::string& csv, std::size_t line, const std::string& column) {
  const auto cells = [](const std::string& text) {
    std::vector<std::string> out(1);
    for (const char c : text) {
      if (c == ',') {
        out.emplace_back();
      } else {
        out.back() += c;
      }
    }
    return out;
  };
  std::stringstream lines(csv);
  std::string head, own;
  std::getline(lines, head);
  for (std::size_t i = 0; i < line; ++i) std::getline(lines, own);
  const auto names = cells(head);
  const auto at = std::find(names.begin(), names.end(), column);
  REQUIRE(at != names.end());
  return cells(own)[static_cast<std::size_t>(at - names.begin())];
}

}  // namespace

TEST_CASE("roll has several windows, statistics of two columns and of age", "[tool]") {
  const Bench bench;
  bench.put("kg.csv", kg);
  const Result rolled = bench.run(
      "roll kg.csv --key berth --window 2,3d --min-count 1 --take "
      "'mean(kg),corr(kg,price),rank(kg),top=max(kg)'");
  INFO(rolled.err);
  REQUIRE(rolled.exit == 0);
  CHECK(rolled.out.substr(0, rolled.out.find('\n')) ==
        "day,berth,kg,price,kg_mean_2,kg_mean_3d,kg_corr_2,kg_corr_3d,kg_rank_2,kg_rank_3d,top_2,"
        "top_3d");
  CHECK(cell(rolled.out, 2, "kg_mean_2") == "6");
  CHECK(cell(rolled.out, 4, "kg_mean_3d") == "9.5");
  CHECK(cell(rolled.out, 4, "kg_corr_3d") == "1");
  CHECK(cell(rolled.out, 3, "kg_rank_3d") == "");  // its own reading is missing
  CHECK(cell(rolled.out, 5, "kg_rank_2") == "0.5");
  CHECK(cell(rolled.out, 6, "top_2") == "1");  // another strand
  const Result aged =
      bench.run("roll kg.csv --key berth --take 'ewma(kg,0.5),ewsd(price,1d)' --restart 1month");
  INFO(aged.err);
  CHECK(cell(aged.out, 2, "kg_ewma") == "6.333333333333333");
  CHECK(cell(aged.out, 3, "kg_ewma") == "6.333333333333333");
  check_plan_of(bench, "roll kg.csv --key berth --window 2,3d --take 'corr(kg,price),mad(kg)'");
  check_plan_of(bench, "roll kg.csv --key berth --take 'ewma(kg,0.5),ewvol(kg,12h)'");
}

TEST_CASE("roll weighs by place, and says what does not go", "[tool]") {
  const Bench bench;
  bench.put("kg.csv", kg);
  const Result split =
      bench.run("roll kg.csv --key berth --window 2 --weights split --take 'm=mean(price)'");
  INFO(split.err);
  CHECK(cell(split.out, 1, "m") == "");
  CHECK(cell(split.out, 2, "m") == "2.25");
  CHECK(cell(split.out, 4, "m") == "6");
  check_plan_of(bench, "roll kg.csv --key berth --window 3 --weights 1,2,1 --min-count 2");
  check_plan_of(bench, "roll kg.csv --key berth --window 4 --weights triangle --place centred");
  const auto refused = [&](const std::string& words, const std::string& why) {
    INFO(words);
    const Result result = bench.run("roll kg.csv --key berth " + words);
    CHECK(result.exit == 2);
    CHECK(result.out.empty());
    CHECK_THAT(result.err, Catch::Contains(why));
  };
  refused("--window 0", "at least 1 row");
  refused("--window -2", "--window");
  refused("--window 2,2", "given twice");
  refused("--window 3 --weights 1,2", "one for each");
  refused("--window 2 --weights 1,-1", "come to 0");
  refused("--window 3 --weights split", "even number");
  refused("--window 2 --weights split --place leading", "split weights are centred");
  refused("--window 2d --weights triangle", "window of records");
  refused("--window 2 --weights 1,1 --take 'max(kg)'", "go with mean(x)");
  refused("--window 2 --take 'twmean(kg)'", "window of a period");
  refused("--window 2 --take 'at(kg)'", "at is not a statistic of roll");
  refused("--window 2 --take 'lag(kg)'", "lag is not a statistic of roll");
  refused("--window 2 --take 'corr(kg)'", "two columns");
  refused("--window 2 --take 'corr(kg,berth)'", "berth");
  refused("--take 'mean(kg)'", "needs one");
  refused("--take 'ewma(kg,2)'", "between 0 and 1");
  refused("--take 'ewma(kg,1quarter)'", "not always as long");
  refused("--window 3month --place centred", "odd number of months");
}

TEST_CASE("windows beyond the strand, of nothing, and on an axis of counts", "[tool]") {
  const Bench bench;
  bench.put("kg.csv", kg);
  const Result long_one = bench.run("roll kg.csv --key berth --window 900 --take 'mean(kg)'");
  CHECK(long_one.exit == 0);
  CHECK(cell(long_one.out, 5, "kg_mean") == "");
  bench.put("none.csv", "time,x\n2025-10-20,\n2025-10-21,\n");
  const Result none = bench.run(
      "roll none.csv --window 2 --min-count 1 --take "
      "'mean(x),std(x),median(x),count(x),distinct(x),mode(x),ewma(x,0.5)'");
  INFO(none.err);
  CHECK_THAT(none.out, Catch::EndsWith("2025-10-21T00:00:00Z,,,,,,,,\n"));
  bench.put("steps.csv", "step,x\n0,1\n1,4\n2,9\n");
  CHECK(
      bench
          .run(
              "roll steps.csv --time step --time-format elapsed-count --window 2 --take 'm=sum(x)'")
          .out == "step,x,m\n0,1,\n1,4,5\n2,9,13\n");
  CHECK_THAT(bench.run("roll steps.csv --time step --time-format elapsed-count --window 2h").err,
             Catch::Contains("--window 2h"));
  CHECK_THAT(
      bench.run("roll steps.csv --time step --time-format elapsed-count --take 'ewma(x,1h)'").err,
      Catch::Contains("1h"));
}

TEST_CASE("lag has several distances and orders", "[tool]") {
  const Bench bench;
  bench.put("kg.csv", kg);
  const Result lagged =
      bench.run("lag kg.csv --key berth --by 1,2d --take 'diff(price),change(price),lead(price)'");
  INFO(lagged.err);
  CHECK(lagged.out.substr(0, lagged.out.find('\n')) ==
        "day,berth,kg,price,price_diff_1,price_diff_2d,price_change_1,price_change_2d,price_lead_1,"
        "price_lead_2d");
  CHECK(cell(lagged.out, 4, "price_diff_1") == "4");
  CHECK(cell(lagged.out, 4, "price_diff_2d") == "6");
  CHECK(cell(lagged.out, 1, "price_lead_2d") == "4");
  const Result bent = bench.run("lag kg.csv --key berth --order 2 --take 'd=diff(price),diff(kg)'");
  CHECK(cell(bent.out, 3, "d") == "1");
  CHECK(cell(bent.out, 5, "d") == "-8");
  CHECK(cell(bent.out, 4, "kg_diff") == "");
  check_plan_of(bench, "lag kg.csv --key berth --by 1,1d --order 3 --take 'diff(price)'");
  CHECK_THAT(bench.run("lag kg.csv --order 2 --take 'lag(kg)'").err, Catch::Contains("of diff(x)"));
  CHECK_THAT(bench.run("lag kg.csv --order 0").err, Catch::Contains("--order 0"));
  CHECK_THAT(bench.run("lag kg.csv --by 1,1").err, Catch::Contains("given twice"));
}

}  // namespace zerobeat::testing::windows
