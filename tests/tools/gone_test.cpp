#include <fmt/format.h>

#include <cmath>
#include <filesystem>

#include "support/tool.hpp"

namespace zerobeat::testing {

namespace {

std::string wave() {
  std::string text = "time,probe,level,kg\n";
  for (int i = 0; i < 200; ++i) {
    for (const char* probe : {"north", "south"}) {
      text += fmt::format("2025-10-{:02}T{:02}:00:00Z,{},{:.3f},{}\n", 1 + i / 24, i % 24, probe,
                          std::sin(i / 5.0) + 2, i % 7);
    }
  }
  return text;
}

}  // namespace

TEST_CASE("what plot drew by options of its own, a chain draws: the message holds it", "[tool]") {
  const Bench bench;
  bench.put("wave.csv", wave());
  bench.put("a b.csv", wave());
  struct Gone {
    const char* words;
    const char* chain;
  };
  static constexpr Gone gone[] = {
      {"plot wave.csv --by weekday,hour --take 'mean(level)' --key probe -o x.svg",
       "zerobeat profile wave.csv --key probe --by weekday,hour --take 'mean(level)' + plot -o "
       "x.svg"},
      {"plot wave.csv --by hour --mean --size 640x480 -o x.svg --quiet",
       "zerobeat profile wave.csv --quiet --by hour + plot --mean --size 640x480 -o x.svg"},
      {"plot -o x.svg 'a b.csv' --key=probe --keys north --describe level",
       "zerobeat select 'a b.csv' --key=probe --keys north + describe --on level + plot -o x.svg"},
      {"plot wave.csv --missing -o x.svg --y level",
       "zerobeat gaps wave.csv --on level + plot -o x.svg"},
      {"plot wave.csv --key probe --try linear,spline --hide 0.2 --seed 4 --y level --last 7d -o "
       "x.svg",
       "zerobeat select wave.csv --key probe --last 7d + fill --try linear,spline --hide 0.2 "
       "--seed 4 "
       "--on level + plot -o x.svg"},
      {"plot wave.csv --key probe --tune level --against north --drift -o x.svg",
       "zerobeat tune wave.csv --key probe --on level --against north --drift + plot -o x.svg"},
      {"compute wave.csv --key probe --set 'twice=2*level' + plot --by hour -o x.svg",
       "zerobeat compute wave.csv --key probe --set 'twice=2*level' + profile --by hour + plot -o "
       "x.svg"},
  };
  for (const auto& [words, chain] : gone) {
    INFO(words);
    const Result refused = bench.run(words);
    CHECK(refused.exit == 2);
    CHECK(!bench.has("x.svg"));
    const std::string line = refused.err.substr(refused.err.find('\n') + 1);
    CHECK(line == std::string("  ") + chain + "\n");
    // As it stands it runs, and draws.
    const Result drawn = bench.run(line.substr(std::string("  zerobeat ").size()));
    INFO(drawn.err);
    CHECK(drawn.exit == 0);
    CHECK(bench.has("x.svg"));
    std::filesystem::remove(bench.folder() / "x.svg");
  }
  // Of reading, --missing has words.
  CHECK(bench.run("plot wave.csv --missing none,gone -o y.svg").exit == 0);
}

}  // namespace zerobeat::testing
