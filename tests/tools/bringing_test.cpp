// Bringing sources together, through the real binary.

#include "support/tool.hpp"

namespace zerobeat::testing::bringing {

namespace {

const std::string tide =
    "time,level_m\n2025-10-20T00:00:00Z,1\n2025-10-20T01:00:00Z,NA\n2025-10-20T02:00:00Z,3\n";
const std::string trades =
    "time,kg,gear\n2025-10-20T00:30:00Z,10,pot\n2025-10-20T01:15:00Z,20,line\n"
    "2025-10-20T01:45:00Z,30,pot\n";

}  // namespace

TEST_CASE("join tells the age of what it matched, and what found nothing", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", trades);
  const Result joined =
      bench.run("join trades.csv tide.csv --match earlier --age --columns trades:kg");
  CHECK(joined.out ==
        "time,kg,level_m,age_s\n2025-10-20T00:30:00Z,10,1,1800\n2025-10-20T01:15:00Z,20,,900\n"
        "2025-10-20T01:45:00Z,30,,2700\n");
  CHECK_THAT(joined.err, Catch::Contains("tide: 3 rows matched, 0 not, 30 min apart (median), "
                                         "45 min at most; 1 of its 3 records never used"));
  const Result nothing = bench.run("join trades.csv tide.csv --match exact");
  CHECK(nothing.exit == 0);
  CHECK_THAT(nothing.err, Catch::Contains("NOTHING MATCHED: tide") &&
                              Catch::Contains("trades runs from 2025-10-20T00:30:00Z"));
  CHECK(bench.run("join trades.csv tide.csv --tolerance 0s --match nearest").exit == 0);
  bench.put("empty.csv", "time,x\n");
  CHECK_THAT(bench.run("join trades.csv empty.csv").err, Catch::Contains("it has none"));
}

TEST_CASE("align brings every source onto one axis, each column in its own way", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", trades);
  CHECK(bench.run("align tide.csv trades.csv --onto 1h --how tide:linear,trades:sum").out ==
        "time,level_m,kg,gear\n2025-10-20T00:00:00Z,1,10,\n2025-10-20T01:00:00Z,2,50,pot\n"
        "2025-10-20T02:00:00Z,3,,pot\n");
  CHECK(bench.run("align tide.csv trades.csv --onto trades --how previous").out ==
        "time,level_m,kg,gear\n2025-10-20T00:30:00Z,1,10,pot\n2025-10-20T01:15:00Z,1,20,line\n"
        "2025-10-20T01:45:00Z,1,30,pot\n");
  CHECK(bench.run("align tide.csv trades.csv --onto common").out == "time,level_m,kg,gear\n");
  const Result wrong =
      bench.run("align tide.csv trades.csv --onto 1h --how trades:gear=sum -o o.csv");
  CHECK(wrong.exit == 2);
  CHECK_THAT(wrong.err, Catch::Contains("column \"gear\" holds text, not numbers"));
  CHECK(!bench.has("o.csv"));
  bench.put("run.csv", "s,x\n0,1\n60,2\n");
  CHECK_THAT(
      bench.run("align tide.csv run.csv --time-format run:elapsed-s --time run:s --onto 1h").err,
      Catch::Contains("they have no common axis"));
}

TEST_CASE("shift moves times, and counts them from an event through what follows", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  CHECK(bench.run("shift tide.csv --by -90s")
            .out.starts_with("time,level_m\n2025-10-19T23:58:30Z,1\n"));
  CHECK(bench.run("shift tide.csv --to-event 'level_m > 2' --unit h").out ==
        "time,level_m\n-2,1\n-1,\n0,3\n");
  CHECK(bench
            .run("shift tide.csv --to-event 'level_m > 2' --unit h + fill + lag --take "
                 "'diff(level_m)'")
            .out == "time,level_m,level_m_diff\n-2,1,\n-1,2,1\n0,3,1\n");
  CHECK(bench.run("shift tide.csv --to-event 'level_m > 9'").out == "time,level_m\n");
  CHECK_THAT(bench.run("shift tide.csv --to-event 'level_m > 9'").err,
             Catch::Contains("it never holds in tide; left out"));
  CHECK(bench.run("shift tide.csv --to-event 'level_m > 2' --unit h + plot --y level_m -o a.svg")
            .exit == 0);
  CHECK_THAT(bench.run("shift tide.csv --drift 5").err, Catch::Contains("go together"));
}

TEST_CASE("the plans of joins, aligned sources and shifts do the same", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", trades);
  for (const std::string words :
       {"align tide.csv trades.csv --onto 30min --how previous,trades:kg=sum --span common",
        "shift tide.csv --by -1h30min", "shift tide.csv --to-event 'level_m > 2' --unit min",
        "join trades.csv tide.csv --match earlier --age --keep both",
        "resample tide.csv --every 1h + align trades.csv --onto union --tolerance 40min"}) {
    check_plan_of(bench, words);
  }
}

TEST_CASE("what can't be brought together is said clearly, and nothing is written", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("trades.csv", trades);
  bench.put("keyed.csv", "time,gear,kg\n2025-10-20T00:30:00Z,pot,5\n");
  bench.put("elapsed.csv", "s,x\n0,1\n60,2\n");
  const auto refused = [&](const std::string& words, const std::string& why) {
    const Result result = bench.run(words + " -o out.csv");
    INFO(words << result.err);
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::Contains(why));
    CHECK(!bench.has("out.csv"));
  };
  refused("join tide.csv keyed.csv --key keyed:gear", "tide has none; give tide a key too");
  refused("join keyed.csv tide.csv --key keyed:gear --keep all", "tide has none");
  refused(
      "join trades.csv tide.csv --match linear --columns tide:level_m + join trades.csv "
      "--match linear",
      "can't be read between");
  refused("join tide.csv elapsed.csv --time-format elapsed:elapsed-s --time elapsed:s",
          "no common axis");
  refused("align tide.csv trades.csv --onto 1ns", "more than 1,000,000,000 rows");
  refused("align tide.csv trades.csv --onto noon", "no period, and no source here");
  refused("align tide.csv trades.csv", "align takes --onto");
  refused("align tide.csv trades.csv --onto union --how sum", "a statistic is of a grid's buckets");
  refused("align tide.csv trades.csv --onto 1h --how trade:sum", "did you mean trades");
  refused("join tide.csv trades.csv --tolerance nonsense", "nonsense");
}

TEST_CASE("times that tie, keys of one side, and sources that do not meet", "[tool]") {
  const Bench bench;
  // Of right records at one time the last counts; left rows of one time all match it.
  bench.put("left.csv", "time,a\n2025-10-20T00:10:00Z,1\n2025-10-20T00:10:00Z,2\n");
  bench.put("right.csv", "time,b\n2025-10-20T00:10:00Z,7\n2025-10-20T00:10:00Z,8\n");
  CHECK(bench.run("join left.csv right.csv --tolerance 0s").out ==
        "time,a,b\n2025-10-20T00:10:00Z,1,8\n2025-10-20T00:10:00Z,2,8\n");
  CHECK(bench.run("join left.csv right.csv --match earlier").out ==
        "time,a,b\n2025-10-20T00:10:00Z,1,\n2025-10-20T00:10:00Z,2,\n");
  bench.put("east.csv", "time,k,a\n2025-10-20T00:10:00Z,x,1\n2025-10-20T00:10:00Z,y,2\n");
  bench.put("west.csv", "time,k,b\n2025-10-20T00:00:00Z,y,3\n2025-10-20T00:00:00Z,z,4\n");
  CHECK(bench.run("join east.csv west.csv --key k").out ==
        "time,k,a,b\n2025-10-20T00:10:00Z,x,1,\n2025-10-20T00:10:00Z,y,2,3\n");
  CHECK(bench.run("join east.csv west.csv --key k --keep all").out ==
        "time,k,a,b\n2025-10-20T00:10:00Z,x,1,\n2025-10-20T00:10:00Z,y,2,3\n"
        "2025-10-20T00:00:00Z,z,,4\n");
  bench.put("later.csv", "time,c\n2026-01-01T00:00:00Z,9\n");
  CHECK(bench.run("align left.csv later.csv --onto 1h --span common").out == "time,a,c\n");
  const Result apart = bench.run("join left.csv later.csv");
  CHECK(apart.out == "time,a,c\n2025-10-20T00:10:00Z,1,\n2025-10-20T00:10:00Z,2,\n");
  CHECK_THAT(apart.err, Catch::Contains("NOTHING MATCHED") &&
                            Catch::Contains("later from 2026-01-01T00:00:00Z"));
}

}  // namespace zerobeat::testing::bringing
