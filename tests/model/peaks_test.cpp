#include <random>
#include <zerobeat/model/peaks.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

std::vector<std::string> texts(const Table& table, const char* name) {
  std::vector<std::string> out;
  const Column& column = table.column(name);
  for (std::size_t row = 0; row < table.rows(); ++row) out.push_back(column.text(row));
  return out;
}

std::vector<double> numbers(const Table& table, const char* name) {
  const Column column = table.column(name);
  return {column.numbers().begin(), column.numbers().end()};
}

std::vector<Instant> times(const Table& table) {
  const Column column = table.column("at");
  return {column.times().begin(), column.times().end()};
}

}  // namespace

TEST_CASE("a peak is higher than the readings on both sides; the ends are none", "[peaks]") {
  const auto level =
      strand("00:00 9", "00:10 1", "00:20 5", "00:30 2", "00:40 7", "00:50 3", "01:00 8");
  const Table table = peaks(level).table;
  CHECK(numbers(table, "value") == std::vector<double>{5, 7});
  CHECK(times(table) == std::vector<Instant>{clock("00:20"), clock("00:40")});
  // 5 above the 2 between it and the 7; 7 above the 3 before the 8.
  CHECK(numbers(table, "prominence") == std::vector<double>{3, 4});
  CHECK(texts(table, "kind") == std::vector<std::string>{"peak", "peak"});
  // At 5: from the middle of 2 to 7 on the left to that of 7 to 3 on the right.
  CHECK(numbers(table, "width_s")[1] == Approx(600 * (2.0 / 5 + 2.0 / 4)));
}

TEST_CASE("missing readings are passed over", "[peaks]") {
  const auto level = strand("00:00 1", "00:10 -", "00:20 5", "00:30 -", "00:40 5", "00:50 2");
  const Table table = peaks(level).table;
  REQUIRE(table.rows() == 1);
  CHECK(times(table)[0] == clock("00:20"));
  CHECK(numbers(table, "width_s")[0] == Approx(45 * 60 - 12.5 * 60));
}

TEST_CASE("troughs are peaks of the negated column, their values as read", "[peaks]") {
  const auto level = strand("00:00 9", "00:10 -1", "00:20 5", "00:30 2", "00:40 7");
  const Table table = peaks(level, {.kind = Peaks::Kind::both}).table;
  CHECK(texts(table, "kind") == std::vector<std::string>{"trough", "peak", "trough"});
  CHECK(numbers(table, "value") == std::vector<double>{-1, 5, 2});
  CHECK(numbers(table, "prominence") == std::vector<double>{8, 3, 3});
  const Table deep = peaks(level, {.kind = Peaks::Kind::troughs, .below = 2.0}).table;
  CHECK(numbers(deep, "value") == std::vector<double>{-1});
}

TEST_CASE("a prominence of exactly P stays; above and below are strict", "[peaks]") {
  const auto level = strand("00:00 0", "00:10 3", "00:20 0", "00:30 5", "00:40 0");
  CHECK(numbers(peaks(level, {.prominence = 3}).table, "value") == std::vector<double>{3, 5});
  CHECK(numbers(peaks(level, {.prominence = 3.5}).table, "value") == std::vector<double>{5});
  CHECK(numbers(peaks(level, {.above = 3.0}).table, "value") == std::vector<double>{5});
  CHECK(numbers(peaks(level, {.below = 5.0}).table, "value") == std::vector<double>{3});
}

TEST_CASE("of peaks that are nearer than that the higher stays, of equal ones the earlier",
          "[peaks]") {
  const auto level = strand("00:00 0", "00:10 4", "00:20 0", "00:30 4", "00:40 0", "00:50 6",
                            "01:00 0", "01:10 4", "01:20 0");
  const auto kept = [&](const Extent& apart) {
    return times(peaks(level, {.apart = apart}).table);
  };
  // Exactly so far apart stays.
  CHECK(kept("20min").size() == 4);
  CHECK(kept(2).size() == 4);
  CHECK(kept("21min") == std::vector<Instant>{clock("00:10"), clock("00:50")});
  CHECK(kept(3) == std::vector<Instant>{clock("00:10"), clock("00:50")});
  CHECK(kept("41min") == std::vector<Instant>{clock("00:50")});
  // Other filters come first.
  CHECK(times(peaks(level, {.below = 6.0, .apart = "30min"}).table) ==
        std::vector<Instant>{clock("00:10"), clock("01:10")});
}

TEST_CASE("apart is what a plain loop keeps", "[peaks]") {
  std::mt19937 random(77);
  for (int again = 0; again < 60; ++again) {
    std::vector<Instant> at;
    Readings readings;
    for (int i = 0; i < 150; ++i) {
      at.push_back(clock("00:00") + std::chrono::seconds(i * 60 + static_cast<int>(random() % 50)));
      readings.push_back(static_cast<double>(random() % 9));
    }
    const Timeline level = timeline_of({at, {}, {{"level", column_of(readings)}}});
    const auto apart = static_cast<std::int64_t>(1 + random() % 12);
    const Table all = peaks(level).table;
    const Table kept = peaks(level, {.apart = Period(std::chrono::minutes(apart))}).table;
    // The highest first; each that is no nearer to one that was kept is kept.
    std::vector<std::size_t> order(all.rows()), plain;
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    const auto values = numbers(all, "value");
    const auto when = times(all);
    std::ranges::stable_sort(order,
                             [&](std::size_t a, std::size_t b) { return values[a] > values[b]; });
    for (const std::size_t i : order) {
      const bool near = std::ranges::any_of(plain, [&](std::size_t j) {
        const auto between = when[i] > when[j] ? when[i] - when[j] : when[j] - when[i];
        return between < std::chrono::minutes(apart);
      });
      if (!near) plain.push_back(i);
    }
    std::ranges::sort(plain);
    std::vector<Instant> expected;
    for (const std::size_t i : plain) expected.push_back(when[i]);
    CHECK(times(kept) == expected);
  }
}

TEST_CASE("peaks are strand by strand, column by column, with the key", "[peaks]") {
  const Timeline both = timeline_of(
      {{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:00"), clock("00:10"),
        clock("00:20")},
       {"a", "a", "a", "b", "b", "b"},
       {{"level", column_of({0, 1, 0, 0, 2, 0})}, {"flow", column_of({0, 3, 0, 5, 4, 5})}}});
  const Table table = peaks(both, {.kind = Peaks::Kind::both}).table;
  CHECK(table.names()[0] == "probe");
  CHECK(texts(table, "probe") == std::vector<std::string>{"a", "a", "b", "b"});
  CHECK(texts(table, "column") == std::vector<std::string>{"level", "flow", "level", "flow"});
  CHECK(texts(table, "kind") == std::vector<std::string>{"peak", "peak", "peak", "trough"});
  CHECK_THROWS_WITH(peaks(both, {.prominence = -1}), Catch::Contains("‹prominence› -1"));
  CHECK_THROWS_WITH(peaks(both, {.on = {"flaw"}}), Catch::Contains("flow"));
}

}  // namespace zerobeat::testing
