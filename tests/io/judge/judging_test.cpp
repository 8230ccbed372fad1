#include <fmt/format.h>

#include <zerobeat/io/read.hpp>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/judge/stacked.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono;
using namespace std::chrono_literals;

const Instant start = at("2025-01-06T00:00:00Z");

}  // namespace

TEST_CASE("what judging finds of a strand is what rhythm_of finds", "[rhythm]") {
  std::mt19937 random(5);
  for (int round = 0; round < 20; ++round) {
    std::string text = "time,v\n";
    std::vector<Instant> times;
    for (int i = 0; i < 300; ++i) {
      if (random() % 10 < 2) continue;
      times.push_back(start + i * 6min + (random() % 50 == 0 ? seconds(random() % 100) : 0s));
    }
    for (const Instant t : times) text += to_text(t) + ",1\n";
    const Judgement judged = judge(read_text(text, {}, "tide.csv"));
    CHECK(judged.strands[0].rhythm == rhythm_of(times, Zone()));
  }
}

TEST_CASE("gaps that are the time between sessions are told in the finding", "[rhythm]") {
  std::string text = "time,v\n";
  for (int d = 0; d < 5; ++d) {
    for (int m = 0; m < 8 * 60; ++m) {
      text += fmt::format("{},1\n", to_text(start + d * 24h + 9h + m * 1min));
    }
  }
  const Judgement judged = judge(read_text(text, {}, "trades.csv"));
  CHECK(judged.strands[0].gaps == 4);
  REQUIRE(!judged.findings.empty());
  CHECK(judged.findings[0].kind == "gap");
  CHECK(judged.findings[0].count == 4);
  CHECK_THAT(judged.findings[0].message,
             Catch::Contains("4 of them are the time between sessions (09:00-17:00"));
}

TEST_CASE("series read as one are recognised, and by which column", "[stacked]") {
  const auto found = [](const std::string& text) {
    return find_stacked(read_text(text, {}, "probes.csv"));
  };
  std::string blocks = "time,berth,state,v\n", in_turn = blocks, numbers = blocks;
  std::string shuffled = blocks, own_clocks = blocks;
  std::mt19937 random(11);
  for (int b = 0; b < 3; ++b) {
    for (int i = 0; i < 200; ++i) {
      blocks += fmt::format("{},berth {},{},{}\n", to_text(start + i * 6min), b,
                            random() % 2 == 0 ? "ok" : "low", i);
    }
  }
  Instant t = start;
  for (int i = 0; i < 200; ++i) {
    for (int b = 0; b < 3; ++b) {
      in_turn += fmt::format("{},berth {},ok,{}\n", to_text(start + i * 6min), b, i);
      numbers += fmt::format("{},{},ok,{}\n", to_text(start + i * 6min), 7 + b, i);
      own_clocks +=
          fmt::format("{},berth {},ok,{}\n", to_text(start + i * 6min + b * b * 40s), b, i);
    }
    // One series that comes in disorder, with a word beside each record.
    t += 1min;
    shuffled += fmt::format("{},berth {},ok,{}\n", to_text(t - (random() % 3 == 0 ? 90s : 0s)),
                            random() % 20, i);
  }
  for (const std::string& text : {blocks, in_turn, numbers, own_clocks}) {
    const auto own = found(text);
    REQUIRE(own);
    CHECK(own->kind == "stacked");
    CHECK(own->count == 600);
    CHECK(own->first_line == 2);
    CHECK_THAT(own->message,
               Catch::StartsWith("records of 3 series") && Catch::EndsWith("‹key› berth"));
  }
  CHECK(!found(shuffled));
  CHECK(!find_stacked(read_text(blocks, {.key = "berth"}, "probes.csv")));
}

}  // namespace zerobeat::testing
