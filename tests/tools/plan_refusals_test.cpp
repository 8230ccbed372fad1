// Plans that are refused, word for word: file and line, series and step, and what would be right.
// Nothing is written.

#include <span>

#include "support/tool.hpp"

namespace zerobeat::testing::plan_refusals {

namespace {

constexpr const char* tide = "time,x\n2025-10-20T00:00:00Z,1\n2025-10-20T00:30:00Z,3\n";

struct Refusal {
  const char* plan;
  const char* told;  ///< all that is said, or how it begins
};

void check_refusals(std::span<const Refusal> refusals, const std::string& before,
                    const std::string& after) {
  const Bench bench;
  bench.put("tide.csv", tide);
  for (const auto& [plan, told] : refusals) {
    INFO(plan);
    bench.put("plan.toml", before + plan + after);
    const Result result = bench.run("run plan.toml --quiet");
    CHECK(result.exit == 2);
    CHECK_THAT(result.err, Catch::StartsWith(std::string("zerobeat: ") + told));
    CHECK(bench.files() == std::vector<std::string>{"plan.toml", "tide.csv"});
  }
}

constexpr const char* source = "[source.tide]\nfile = \"tide.csv\"\n";
constexpr const char* output = "[output.tide]\nfile = \"o.csv\"\n";

}  // namespace

TEST_CASE("a series that can't be made is told with its step", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {R"toml(tolerate = -1
)toml",
       "plan.toml:3: source tide: tolerate: \"-1\" is neither a number of records nor a "
       "percentage; write it like 12 or 0.5%"},
      {R"toml(no-header = "yes"
)toml",
       "plan.toml:3: source tide: no-header is true or false"},
      {R"toml(skip-lines = "two"
)toml",
       "plan.toml:3: source tide: skip-lines is a whole number"},
      {R"toml(stamp = 3
)toml",
       "plan.toml:3: source tide: the options of stamp are a table: stamp = { … }"},
      {R"toml(stamp = { rat = "1Hz" }
)toml",
       "plan.toml:3: source tide: \"rat\" is not a key here; did you mean rate?"},
      {R"toml(stamp = { rate = "1Hz" }
reshape = {}
)toml",
       "plan.toml:1: source tide: has its times from stamp or from reshape, not from both"},
      {R"toml(reshape = { into = "wide" }
)toml",
       "plan.toml:1: source tide: reshape of a source is into long: its columns are times"},
      {R"toml([series.a]
)toml",
       "plan.toml:3: series a: has no from: from = \"tide\""},
      {R"toml([series.a]
from = 3
)toml",
       "plan.toml:4: series a: from names a source or series, or several: from = \"tide\", from = "
       "[\"a\", \"b\"]"},
      {R"toml([series.a]
from = "tid"
)toml",
       "plan.toml:3: series a: from \"tid\" is neither a source nor a series; did you mean tide?"},
      {R"toml([series.a]
from = "a"
)toml",
       "plan.toml:3: series a: series are made from themselves: a from a"},
      {R"toml([series.a]
from = "b"
[series.b]
from = "a"
)toml",
       "plan.toml:3: series a: series are made from themselves: a from b from a"},
      {R"toml([series.tide]
from = "tide"
)toml",
       "plan.toml:3: \"tide\" is a source and a series; rename one\nplan.toml:3: series tide: "
       "series are made from themselves: tide from tide"},
      {R"toml([series.a]
from = "tide"
steps = 3
)toml",
       "plan.toml:5: series a: steps is a list of steps: [ { fill = {} } ]"},
      {R"toml([series.a]
from = "tide"
steps = [ 3 ]
)toml",
       "plan.toml:5: series a: a step is a table of one key, its name: { fill = { how = \"linear\" "
       "} }"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = {}, clip = {} } ]
)toml",
       "plan.toml:5: series a: a step is a table of one key, its name: { fill = { how = \"linear\" "
       "} }"},
      {R"toml([series.a]
from = "tide"
steps = [ { fil = {} } ]
)toml",
       "plan.toml:5: series a: \"fil\" is not a step; did you mean fill?"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = 3 } ]
)toml",
       "plan.toml:5: series a, fill: the options of fill are a table: fill = { … }"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = { how = 3 } } ]
)toml",
       "plan.toml:5: series a, fill: how is text in quotes"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = { how = "cubic" } } ]
)toml",
       "plan.toml:5: series a, fill: how: \"cubic\" is not a choice; did you mean spline?"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = { flag = "yes" } } ]
)toml",
       "plan.toml:5: series a, fill: flag is true or false"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = { on = [3.5, true] } } ]
)toml",
       "plan.toml:5: series a, fill: on is text in quotes, or a list of such"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = { on = ["\"a"] } } ]
)toml",
       "plan.toml:5: series a, fill: there is no column \"\"a\"; there is x"},
      {R"toml([series.a]
from = "tide"
steps = [ { roll = { window = "5x" } } ]
)toml",
       "plan.toml:5: series a, roll: window: \"5x\": \"x\" is not a unit; there is ns, us, ms, s, "
       "min, h, d, wk, month, quarter, year"},
      {R"toml([series.a]
from = "tide"
steps = [ { describe = {} }, { fill = {} } ]
)toml",
       "plan.toml:5: series a, describe: makes a table, which nothing goes on from; it is the last "
       "step"},
      {R"toml([series.a]
from = "tide"
steps = [ { describe = {} } ]
[series.b]
from = "a"
)toml",
       "plan.toml:6: series b: a is a table, which nothing goes on from"},
      {R"toml([series.a]
from = ["tide", "tide"]
)toml",
       "plan.toml:3: series a: is made from several; its first step brings them together: join"},
      {R"toml([series.a]
from = ["tide", "tide"]
steps = [ { fill = {} } ]
)toml",
       "plan.toml:5: series a, fill: takes one series, and this one is made from several; its "
       "first step is a join"},
      {R"toml([series.a]
from = "tide"
steps = [ { join = {} } ]
)toml",
       "plan.toml:5: series a, join: takes at least 2 series; it is the first step of one that is "
       "made from several: from = [\"a\", \"b\"]"},
      {R"toml([series.a]
from = "tide"
step = []
)toml",
       "plan.toml:5: series a: \"step\" is not a key here; did you mean steps?"},
      {R"toml(rejects = "o.csv"
)toml",
       "o.csv: one file can't be --rejects of tide and output tide; name another"},
      {R"toml([series.a]
from = "tide"
steps = [ { fill = { on = "depth" } } ]
)toml",
       "plan.toml:5: series a, fill: there is no column \"depth\"; there is x"},
      {R"toml([series.a]
from = "tide"
steps = [ { resample = { every = "1h" } }, { fill = { on = "x" } } ]
)toml",
       "plan.toml:5: series a, fill: there is no column \"x\"; there is x_mean"},
  };
  check_refusals(refusals, source, output);
}

TEST_CASE("an output that can't be written is told before anything is read", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {R"toml()toml",
       "plan.toml: the plan has no output: [output.NAME] with file = \"…\", figure = \"…\" or "
       "report = \"…\""},
      {R"toml([output.tide]
)toml",
       "plan.toml:3: output tide: has a file, a figure or a report"},
      {R"toml([output.tide]
file = "o.csv"
figure = "o.png"
)toml",
       "plan.toml:3: output tide: has a file, a figure or a report, and not two of them"},
      {R"toml([output.tide]
file = "o.xyz"
)toml",
       "plan.toml:4: output tide: o.xyz: no format has the ending .xyz; there is .csv, .tsv .tab, "
       ".jsonl .ndjson, .arrow, .parquet, .sqlite .sqlite3 .db, .txt, each with .gz or .zst after "
       "it, or say "
       "which it is: --to c"},
      {R"toml([output.tide]
file = "o.csv"
to = "xyz"
)toml",
       "plan.toml:4: output tide: --to xyz: there is no such format; there is auto, csv, tsv, "
       "jsonl, arrow, parquet, sqlite, postgresql, text"},
      {R"toml([output.tide]
figure = "o.gif"
)toml",
       "plan.toml:4: output tide: o.gif: a figure's file ends in .png, .svg or .pdf"},
      {R"toml([output.tide]
figure = "o.png"
size = "big"
)toml",
       "plan.toml:5: output tide: size: \"big\" is not a size; write it like 1280x800"},
      {R"toml([output.tide]
figure = "o.png"
over = "gauge"
)toml",
       "plan.toml:3: output tide: over \"gauge\" is neither a source nor a series; there is tide"},
      {R"toml([output.gauge]
file = "o.csv"
)toml",
       "plan.toml:3: output gauge: output \"gauge\" is neither a source nor a series; there is "
       "tide"},
      {R"toml([output.a]
from = "gauge"
file = "o.csv"
)toml",
       "plan.toml:3: output a: from \"gauge\" is neither a source nor a series; there is tide"},
      {R"toml([output.a]
from = ["tide", "tide"]
file = "o.csv"
)toml",
       "plan.toml:3: output a: a file holds one series; join them first"},
      {R"toml([output.tide]
file = "o.csv"
precison = "ms"
)toml",
       "plan.toml:5: output tide: \"precison\" is not a key here; did you mean precision?"},
      {R"toml([output.tide]
file = "tide.csv"
)toml",
       "tide.csv: one file can't be the input of source tide and output tide; name another"},
      {R"toml([output.tide]
file = "plan.toml"
)toml",
       "plan.toml:4: output tide: plan.toml: no format has the ending .toml; there is .csv, .tsv "
       ".tab, .jsonl .ndjson, .arrow, .parquet, .sqlite .sqlite3 .db, .txt, each with .gz or .zst "
       "after it, "
       "or say which it is: -"},
      {R"toml([output.tide]
file = "o.csv"
[output.b]
from = "tide"
file = "./o.csv"
)toml",
       "o.csv and ./o.csv: one file can't be output tide and output b; name another"},
  };
  check_refusals(refusals, source, "");
}

TEST_CASE("a plan that is none is told where", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {R"toml()toml",
       "plan.toml: the plan has no output: [output.NAME] with file = \"…\", figure = \"…\" or "
       "report = \"…\""},
      {R"toml([source.tide]
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:1: source tide: has no file: file = \"tide.csv\""},
      {R"toml([source.tide]
file = 3
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:2: source tide: file is text in quotes"},
      {R"toml([source.tide]
file = []
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:2: source tide: file is an empty list"},
      {R"toml([source.tide]
file = ["a.csv", 3]
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:2: source tide: file is a name or a list of names of files"},
      {R"toml(source = 3
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:1: source is a table of tables: [source.NAME]\nplan.toml:2: output tide: output "
       "\"tide\" is neither a source nor a series"},
      {R"toml([source]
tide = "x"
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:2: source.tide is a table: [source.tide]\nplan.toml:3: output tide: output "
       "\"tide\" is neither a source nor a series"},
      {R"toml(zoen = "UTC"
[source.tide]
file = "tide.csv"
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:1: \"zoen\" is not a key here; did you mean zone?"},
      {R"toml(zone = "Mars/Base"
[source.tide]
file = "tide.csv"
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:1: zone: \"Mars/Base\" is not a zone; zones are named like Europe/Dublin"},
      {R"toml(zone = 3
[source.tide]
file = "tide.csv"
[output.tide]
file = "o.csv"
)toml",
       "plan.toml:1: zone is text in quotes"},
      {R"toml(a = 
)toml",
       "plan.toml:1: byte 5 of the line: Error while parsing key-value pair: expected value, saw "
       "'\\n'"},
      {R"toml([source.tide]
file = "x"
[source.tide]
file = "y"
)toml",
       "plan.toml:3: byte 1 of the line: Error while parsing table header: cannot redefine "
       "existing table 'source.tide'"},
      {R"toml(a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.b = 1
)toml",
       "plan.toml:1: a key of more than 64 parts is none of a plan's"},
  };
  check_refusals(refusals, "", "");
}

}  // namespace zerobeat::testing::plan_refusals
