#include "view/page/held.hpp"

#include <random>

#include "support/strand.hpp"

namespace zerobeat::testing {

using namespace std::chrono_literals;
using detail::HeldRange;

TEST_CASE("rows that are held are those that a plain loop holds", "[page]") {
  std::mt19937 random(91);
  for (int again = 0; again < 400; ++again) {
    const std::size_t rows = 1 + random() % 300, around = random() % 6, most = random() % 200;
    std::vector<HeldRange> wanted;
    for (std::size_t i = random() % 20; i > 0; --i) {
      const std::size_t begin = random() % rows;
      wanted.push_back({begin, std::min(rows, begin + 1 + random() % 8)});
    }
    std::size_t left_out = 0;
    const auto held = detail::held_rows(wanted, rows, around, most, left_out);

    // One row after another.
    std::vector<bool> plain(rows);
    std::size_t plain_left_out = 0;
    for (const HeldRange& range : wanted) {
      auto with = plain;
      for (std::size_t row = 0; row < rows; ++row) {
        if (row + around >= range.begin && row < range.end + around) with[row] = true;
      }
      if (static_cast<std::size_t>(std::ranges::count(with, true)) > most) {
        ++plain_left_out;
      } else {
        plain = with;
      }
    }
    CHECK(left_out == plain_left_out);
    std::vector<bool> own(rows);
    std::size_t before = 0;
    bool first = true;
    for (const HeldRange& range : held) {
      CHECK(range.begin < range.end);
      CHECK((first || range.begin > before));
      first = false;
      before = range.end;
      for (std::size_t row = range.begin; row < range.end; ++row) own[row] = true;
    }
    CHECK(own == plain);
  }
}

namespace {

/// A strand of a reading a minute, with one spike, one gap, and one run of missing readings.
PageSource lively() {
  std::vector<Instant> times;
  Readings levels;
  for (int minute = 0; minute < 5'000; ++minute) {
    if (minute >= 3'000 && minute < 3'100) continue;
    times.push_back(clock("00:00") + std::chrono::minutes(minute));
    levels.push_back(minute == 1'234                     ? 99
                     : minute >= 4'000 && minute < 4'010 ? std::optional<double>()
                                                         : std::sin(minute / 50.0));
  }
  PageSource source{{}, timeline_of({times, {}, {{"level", column_of(levels)}}}), {}, {}, {}};
  source.missing = {{{clock("00:00") + 3'000min, clock("00:00") + 3'100min}}};
  return source;
}

/// Whether one of the ranges holds a row.
bool holds(const std::vector<HeldRange>& ranges, std::size_t row) {
  return std::ranges::any_of(
      ranges, [&](const HeldRange& range) { return range.begin <= row && row < range.end; });
}

}  // namespace

TEST_CASE("close-ups stand by the extremes, findings, changes, gaps and missing readings",
          "[page]") {
  PageContent content;
  content.sources.push_back(lively());
  content.sources[0].findings.push_back({.strand = 0, .at = clock("00:00") + 2'000min});
  content.sources[0].marks.push_back({.strand = 0, .at = clock("00:00") + 2'500min});
  const auto pairs = detail::pairs_of(content);
  REQUIRE(pairs.drawn.size() == 1);
  const detail::Pair& pair = pairs.drawn[0];
  CHECK(pair.most == 99);
  const std::vector<PageChange> changes{{.column = "level", .at = clock("00:00") + 700min},
                                        {.column = "other", .at = clock("00:00") + 800min}};
  const auto ranges = detail::close_ups(pair, changes);
  CHECK(holds(ranges, 1'234));
  CHECK(holds(ranges, pair.least_row));
  CHECK(holds(ranges, 2'000));
  CHECK(holds(ranges, 700));
  CHECK_FALSE(holds(ranges, 800));
  CHECK(holds(ranges, 2'999));  // the last before the gap, and the first after it
  CHECK(holds(ranges, 3'000));
  for (std::size_t row = 3'900; row < 3'910; ++row) CHECK(holds(ranges, row));
  CHECK(holds(ranges, 2'500));
  // The spike is the first of all.
  CHECK(ranges[1] == HeldRange{1'234, 1'235});
}

TEST_CASE("what a page holds of a column fits its room, whole where it can", "[page]") {
  PageContent content;
  content.sources.push_back(lively());
  const auto pairs = detail::pairs_of(content);
  const detail::Pair& pair = pairs.drawn[0];
  const auto all = detail::held_of(pair, {}, 200'000);
  CHECK(all.all);
  CHECK(all.attributes.find("data-pieces") == std::string::npos);
  for (const std::size_t room : {10'000u, 30'000u, 60'000u, 100'000u}) {
    const auto some = detail::held_of(pair, {}, room);
    CHECK_FALSE(some.all);
    CHECK(some.attributes.find(" data-pieces=\"") != std::string::npos);
    CHECK(some.attributes.size() <= room + 200);
  }
  // Without any room the pieces are there all the same.
  const auto least = detail::held_of(pair, {}, 0);
  CHECK(least.attributes.find(" data-pieces=\"") != std::string::npos);
  CHECK(least.left_out > 0);
}

}  // namespace zerobeat::testing
