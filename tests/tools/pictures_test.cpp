#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <string>

#include "support/tool.hpp"

namespace zerobeat::testing::pictures {

namespace {

std::string tide() {
  std::string text = "time,level_m,kg\n";
  for (int i = 0; i < 240; ++i) {
    text += fmt::format("2025-10-{:02}T{:02}:00:00Z,{:.3f},{}\n", 20 + i / 24, i % 24,
                        std::sin(i / 2.0) + 2, 10 + i % 5);
  }
  return text;
}

/// What the tool writes on a terminal of that size: util-linux' script gives it one.
std::string on_terminal(const Bench& bench, const std::string& words, int columns, int rows,
                        const std::string& environment = "") {
  const std::string out = bench.path("terminal.txt");
  const std::string command = fmt::format(
      "cd '{}' && {} TERM=xterm script -qec \"stty cols {} rows {}; '{}' {}\" /dev/null "
      "> '{}' < /dev/null",
      bench.folder().string(), environment, columns, rows, ZEROBEAT_TOOL, words, out);
  REQUIRE(std::system(command.c_str()) == 0);
  std::string text = bench.get("terminal.txt");
  std::erase(text, '\r');
  fs::remove(out);
  return text;
}

std::uint32_t big_endian(const std::string& bytes, std::size_t at) {
  std::uint32_t value = 0;
  for (std::size_t i = 0; i < 4; ++i)
    value = value << 8 | static_cast<unsigned char>(bytes[at + i]);
  return value;
}

}  // namespace

TEST_CASE("a picture has the size and the format that are asked, and no time of its own",
          "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide());
  REQUIRE(bench.run("plot tide.csv --y level_m --size 640x400 --scale 2 -o a.png").exit == 0);
  const std::string png = bench.get("a.png");
  CHECK(big_endian(png, 16) == 1280);
  CHECK(big_endian(png, 20) == 800);
  REQUIRE(bench.run("plot tide.csv --y level_m --size 640x400 -o a.pdf").exit == 0);
  const std::string pdf = bench.get("a.pdf");
  // A pixel is three quarters of a point.
  CHECK_THAT(pdf, Catch::StartsWith("%PDF-") && Catch::Contains("MediaBox [ 0 0 480 300 ]") &&
                      !Catch::Contains("CreationDate"));
  for (const char* ending : {"png", "svg", "pdf"}) {
    INFO(ending);
    const std::string words = fmt::format("plot tide.csv --mean --threads 1 -o b.{}", ending);
    REQUIRE(bench.run(words).exit == 0);
    const std::string first = bench.get(fmt::format("b.{}", ending));
    REQUIRE(bench.run(fmt::format("plot tide.csv --mean --threads 2 -o b.{}", ending)).exit == 0);
    CHECK(bench.get(fmt::format("b.{}", ending)) == first);
  }
}

TEST_CASE("without -o a picture stands in the terminal, as wide as it is", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide());
  const std::string plain = on_terminal(
      bench, "plot tide.csv --y level_m --title Tide --mean --quiet", 90, 32, "NO_COLOR=1");
  CHECK(std::ranges::count(plain, '\n') == 30);
  CHECK_THAT(plain, Catch::Contains("Tide") && Catch::Contains("level (m)") &&
                        Catch::Contains("mean ") && Catch::Contains("└──"));
  CHECK(plain.find("\x1b[38") == std::string::npos);
  // Braille, and no line longer than the terminal.
  CHECK(plain.find("\xe2\xa1") != std::string::npos);
  std::istringstream lines(plain);
  for (std::string line; std::getline(lines, line);) {
    CHECK(std::ranges::count_if(line, [](char c) { return (c & 0xc0) != 0x80; }) <= 90);
  }
  const std::string colored = on_terminal(
      bench, "profile tide.csv --by hour --take 'mean(level_m)' --quiet + plot", 90, 32);
  CHECK_THAT(colored, Catch::Contains("\x1b[38;5;") && Catch::Contains("█"));
  // Into a pipe there is no terminal to draw in; a plan needs a file.
  const Result piped = bench.run("plot tide.csv");
  CHECK(piped.exit == 2);
  CHECK(piped.out.empty());
  CHECK_THAT(piped.err, Catch::Contains("say where the picture goes: -o FIGURE.png"));
}

TEST_CASE("names are drawn as they are, whatever they hold", "[tool]") {
  const Bench bench;
  bench.put("odd.csv",
            "time,\"]]>`date` <b>&amp; 'x'\",\"a\xe2\x80\xae"
            "b\"\n2025-10-20T00:00:00Z,1,2\n"
            "2025-10-20T01:00:00Z,2,3\n");
  const Result drawn = bench.run("plot odd.csv -o odd.svg");
  INFO(drawn.err);
  REQUIRE(drawn.exit == 0);
  const std::string svg = bench.get("odd.svg");
  // Once escaped as XML asks it, in the line's own title and in the key.
  CHECK_THAT(svg, Catch::Contains("<title>]]&gt;`date` &lt;b>&amp;amp; 'x'</title>"));
  CHECK_THAT(svg, Catch::Contains("a\\u202eb") && !Catch::Contains("\xe2\x80\xae"));
  CHECK(bench.run("plot odd.csv -o odd.png").exit == 0);
  CHECK(bench.run("plot odd.csv --title 'it''s `id`' -o odd.pdf").exit == 0);
}

TEST_CASE("nothing to draw is a frame that says so, and no error", "[tool]") {
  const Bench bench;
  bench.put("head.csv", "time,level_m\n");
  bench.put("gone.csv", "time,level_m\n2025-10-20T00:00:00Z,\n2025-10-20T01:00:00Z,\n");
  struct Empty {
    const char* words;
    const char* why;
  };
  for (const auto& [words, why] :
       {Empty{"plot head.csv --time time --y level_m -o e.svg", "no rows"},
        Empty{"plot gone.csv -o e.svg", "every reading is missing"},
        Empty{"describe gone.csv + plot -o e.svg", "every reading is missing"},
        Empty{"profile gone.csv --by hour + plot -o e.svg", "every reading is missing"},
        Empty{"gaps head.csv --time time + plot -o e.svg", "no records"}}) {
    INFO(words);
    const Result result = bench.run(words);
    INFO(result.err);
    CHECK(result.exit == 0);
    CHECK_THAT(result.err, Catch::Contains(std::string("there is nothing to draw: ") + why));
    REQUIRE(bench.has("e.svg"));
    CHECK_THAT(bench.get("e.svg"),
               Catch::Contains(std::string("there is nothing to draw: ") + why));
    fs::remove(bench.folder() / "e.svg");
  }
}

TEST_CASE("figures of a plan draw what the step made, and old keys name the step", "[tool]") {
  const Bench bench;
  bench.put("tide.csv", tide());
  bench.put("plan.toml", R"plan(
[source.tide]
file = "tide.csv"

[series.hours]
from = "tide"
steps = [{ profile = { by = "weekday,hour", take = "mean(level_m)" } }]

[series.there]
from = "tide"
steps = [{ gaps = { on = "level_m" } }]

[series.loads]
from = "tide"
steps = [{ gaps = { on = "kg" } }]

[output.heat]
from = "hours"
figure = "heat.svg"
title = "The week"

[output.table]
from = "hours"
file = "hours.csv"

[output.strips]
from = ["there", "loads"]
figure = "strips.svg"

[output.lines]
from = "tide"
figure = "lines.svg"
panels = "columns"
names = "level_m=Water level (m)"
)plan");
  const Result run = bench.run("run plan.toml");
  INFO(run.err);
  REQUIRE(run.exit == 0);
  CHECK_THAT(bench.get("heat.svg"), Catch::Contains("The week") && Catch::Contains("sun") &&
                                        Catch::Contains("level mean (m)"));
  CHECK(bench.has("hours.csv"));
  CHECK_THAT(bench.get("strips.svg"), Catch::Contains("tide level_m 100%; tide kg 100%") ||
                                          Catch::Contains("tide 100%; tide 100%"));
  CHECK_THAT(bench.get("lines.svg"), Catch::Contains("Water level (m)") && Catch::Contains("kg"));
  bench.put("old.toml", R"plan(
[source.tide]
file = "tide.csv"

[output.hours]
from = "tide"
figure = "old.svg"
by = "hour"
panels = 3
)plan");
  const Result old = bench.run("run old.toml");
  CHECK(old.exit == 2);
  CHECK_THAT(old.err, Catch::Contains("old.toml:8: output hours: \"by\" is no key of a figure any "
                                      "more; a figure draws what a step made: name a series whose "
                                      "last step is profile") &&
                          Catch::Contains("old.toml:9: output hours: panels is true or false, or a "
                                          "word in quotes"));
  // A chain and its plan draw the same bytes.
  for (const char* words :
       {"profile tide.csv --by hour + plot --mean -o p.svg", "plot tide.csv --panels -o p.svg",
        "plot tide.csv --panels columns -o p.svg"}) {
    INFO(words);
    REQUIRE(bench.run(std::string(words) + " --as-plan p.toml").exit == 0);
    const std::string picture = bench.get("p.svg");
    fs::remove(bench.folder() / "p.svg");
    REQUIRE(bench.run("run p.toml").exit == 0);
    CHECK(bench.get("p.svg") == picture);
  }
}

}  // namespace zerobeat::testing::pictures
