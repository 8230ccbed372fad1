#include <filesystem>
#include <fstream>
#include <zerobeat/align/join.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/plan/plan.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

constexpr const char* tide =
    "time,level_m\n2025-10-20T00:00:00Z,1\n2025-10-20T00:30:00Z,3\n2025-10-20T02:00:00Z,7\n";

constexpr const char* plan_text = R"plan(
zone = "Europe/Dublin"
[source.tide]
file = "tide.csv"
rejects = "out/rejects.csv"
[series.level]
from = "tide"
steps = [
  { resample = { every = "1h", take = "level=mean(level_m)" } },
  { fill = { how = "linear" } },
]
[series.both]
from = ["level", "tide"]
steps = [ { join = { match = "previous" } } ]
[output.level]
file = "out/level.csv"
[output.both]
file = "out/both.csv"
)plan";

std::string problem(const std::string& text) {
  const Folder folder;
  folder.put("tide.csv", tide);
  try {
    load_plan(folder.put("plan.toml", text));
  } catch (const Error& error) {
    return error.what();
  }
  return "none";
}

}  // namespace

TEST_CASE("a plan reads its sources, makes its series and writes its outputs", "[plan]") {
  const Folder folder;
  folder.put("tide.csv", tide);
  const Plan plan = load_plan(folder.put("plan.toml", plan_text));
  CHECK(plan.sources[0].read.zone.name() == "Europe/Dublin");
  const RunResult result = run_plan(plan);
  CHECK(folder.get("out/level.csv") ==
        "time,level\n2025-10-20T00:00:00Z,2\n2025-10-20T01:00:00Z,4.5\n2025-10-20T02:00:00Z,7\n");
  CHECK(folder.get("out/both.csv").substr(0, 18) == "time,level,level_m");
  CHECK(folder.get("out/rejects.csv") == "line,byte,column,reason,text\n");
  CHECK(result.written.size() == 3);
  const std::string ledger = ledger_text(result.account);
  CHECK(ledger.find("rows in") != std::string::npos);
  CHECK(result.account.last().step == "join");
  CHECK(result.account.sources.size() == 1);
  std::int64_t filled = 0;
  for (const auto& step : result.account.steps) filled += step.cells_filled;
  CHECK(filled == 1);
}

TEST_CASE("series may stand in any order, but not be made from themselves", "[plan]") {
  CHECK(problem("[series.b]\nfrom = \"a\"\n[series.a]\nfrom = \"tide\"\n[source.tide]\nfile = "
                "\"tide.csv\"\n[output.b]\nfile = \"b.csv\"\n") == "none");
  const std::string cycle =
      problem("[series.a]\nfrom = \"b\"\n[series.b]\nfrom = \"a\"\n[output.a]\nfile = \"a.csv\"\n");
  CHECK_THAT(cycle, Catch::Contains("plan.toml:1:") && Catch::Contains("a from b from a"));
}

TEST_CASE("mistakes in a plan are told with file, line and the nearest right word", "[plan]") {
  const std::string source = "[source.tide]\nfile = \"tide.csv\"\n";
  const auto with_step = [&](const std::string& step) {
    return problem(source + "[series.a]\nfrom = \"tide\"\nsteps = [\n  " + step + "\n]\n");
  };
  CHECK_THAT(problem("[source.tide]\nfiel = \"tide.csv\"\n"),
             Catch::Contains("plan.toml:2: source tide: \"fiel\"") && Catch::Contains("file"));
  CHECK_THAT(problem("zoen = \"UTC\"\n"), Catch::Contains("did you mean zone?"));
  CHECK_THAT(problem(source + "rejects = 5 5\n"), Catch::Contains("plan.toml:3"));
  CHECK_THAT(with_step("{ fil = {} }"),
             Catch::Contains("plan.toml:6: series a: \"fil\" is not a step; did you mean fill?"));
  CHECK_THAT(with_step("{ fill = { hwo = 1 } }"), Catch::Contains("did you mean how?"));
  CHECK_THAT(with_step("{ fill = { how = \"liner\" } }"),
             Catch::Contains("how: \"liner\" is not a choice; did you mean linear?"));
  CHECK_THAT(with_step("{ resample = { every = \"15mn\" } }"),
             Catch::Contains("did you mean min?"));
  CHECK_THAT(with_step("{ join = {} }"),
             Catch::Contains("series a, join: takes at least 2 series"));
  CHECK_THAT(with_step("5"), Catch::Contains("a step is a table"));
  CHECK_THAT(problem(source + "[series.a]\nfrom = \"tied\"\n"),
             Catch::Contains("did you mean tide?"));
  CHECK_THAT(problem(source + "[output.tied]\nfile = \"x.csv\"\n"),
             Catch::Contains("did you mean tide?"));
  CHECK_THAT(problem(source + "[output.tide]\n"),
             Catch::Contains("has a file, a figure or a report"));
  CHECK_THAT(problem(source + "[series.tide]\nfrom = \"tide\"\n"),
             Catch::Contains("is a source and a series"));
  CHECK_THAT(problem("[source.tide]\n"), Catch::Contains("has no file"));
  CHECK_THROWS_AS(load_plan("/nowhere/plan.toml"), Error);
}

TEST_CASE("a causal run refuses a step that looks ahead, by name", "[plan]") {
  const Folder folder;
  folder.put("tide.csv", tide);
  const Plan plan = load_plan(folder.put("plan.toml", plan_text));
  CHECK_THROWS_WITH(run_plan(plan, {.causal = true}),
                    Catch::Contains("resample") && Catch::Contains("looks ahead"));
  CHECK(!folder.has("out"));
}

TEST_CASE("a run with too many faults writes its rejects and nothing else", "[plan]") {
  const Folder folder;
  folder.put("tide.csv", std::string(tide) + "soon,9\n");
  std::string text = plan_text;
  text.insert(text.find("rejects"), "tolerate = 0\n");
  const Plan plan = load_plan(folder.put("plan.toml", text));
  CHECK_THROWS_AS(run_plan(plan), Error);
  CHECK(folder.get("out/rejects.csv").find("unreadable-time") != std::string::npos);
  CHECK(!folder.has("out/level.csv"));
}

TEST_CASE("explaining a plan tells columns, reach and what is causal", "[plan]") {
  const Folder folder;
  folder.put("tide.csv", tide);
  const std::string text = explain_plan(load_plan(folder.put("plan.toml", plan_text)));
  CHECK_THAT(text,
             Catch::Contains("      every=1h take=level=mean(level_m) span=own row-at=start"));
  CHECK_THAT(text, Catch::Contains("time level level_m"));
  CHECK_THAT(text, Catch::Contains("not causal: resample looks ahead"));
  CHECK_THAT(text, Catch::Contains("not causal: level, which it is made from, looks ahead"));
}

TEST_CASE("settling, clipping and their files are steps of a plan", "[plan]") {
  const Folder folder;
  folder.put("tide.csv", std::string(tide) + "2025-10-20T02:00:00Z,99\n");
  const Plan plan = load_plan(folder.put("plan.toml", R"plan(
[source.tide]
file = "tide.csv"
tolerate = "50%"
rejects = "rejects.csv"
[series.clean]
from = "tide"
steps = [
  { settle = { duplicates = "reject" } },
  { clip = { bounds = [0, 5], changes = "changes.csv" } },
]
[output.clean]
file = "clean.csv"
)plan"));
  run_plan(plan);
  CHECK(folder.get("changes.csv") ==
        "time,key,column,before,after,why\n2025-10-20T02:00:00Z,,level_m,7,5,bounds\n");
  CHECK(folder.get("rejects.csv").find("5,82,time,duplicate-time,") != std::string::npos);
}

TEST_CASE("steps are values: made by name, printed, compared", "[step]") {
  for (const StepKind& kind : standard_steps()) {
    Step step = make_step(kind.name);
    CHECK(step.name() == kind.name);
    CHECK(to_text(step) == kind.name);
    CHECK(step == make_step(kind.name));
    CHECK(!step.options().empty());
  }
  Step step = make_step("fill");
  const Step before = step;
  for (const auto& option : step.options()) {
    if (option.name == "max-gap") option.set("1h");
  }
  CHECK(to_text(step) == "fill max-gap=1h");
  CHECK(to_text(before) == "fill");
  CHECK(*step.as<Fill>() == Fill{.max_gap = std::chrono::hours(1)});
  CHECK(step.as<Join>() == nullptr);
  CHECK_THROWS_WITH(make_step("resampel"), Catch::Contains("did you mean resample?"));
}

}  // namespace zerobeat::testing
