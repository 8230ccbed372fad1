#include "clean/filled.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

const Timeline& open_at_both_ends() {
  static const Timeline timeline =
      strand("00:00 -", "00:10 1.0", "00:20 -", "00:40 -", "01:10 4.0", "01:20 -");
  return timeline;
}

}  // namespace

TEST_CASE("a gap longer than max_gap stays open", "[fill]") {
  const auto level = strand("00:00 1.0", "00:10 -", "00:20 -", "00:30 4.0");
  const auto result = fill(level, {.max_gap = 20min});
  CHECK(readings(result, "level") == Readings{1.0, missing, missing, 4.0});
  CHECK(result.account().last().cells_filled == 0);
}

TEST_CASE("max_gap is inclusive, in time and in rows", "[fill]") {
  const auto level = strand("00:00 1.0", "00:10 -", "00:20 -", "00:30 4.0");
  CHECK(filled(level, {.max_gap = 30min}) == Readings{1, 2, 3, 4});
  CHECK(filled(level, {.max_gap = 30min - 1ns}) == Readings{1, missing, missing, 4});
  CHECK(filled(level, {.max_gap = 2}) == Readings{1, 2, 3, 4});
  CHECK(filled(level, {.max_gap = 1}) == Readings{1, missing, missing, 4});
}

TEST_CASE("each way of filling has its own ends", "[fill]") {
  using How = Fill::How;
  const auto& level = open_at_both_ends();
  CHECK(filled(level, {.how = How::previous}) == Readings{missing, 1, 1, 1, 4, 4});
  CHECK(filled(level, {.how = How::next}) == Readings{1, 1, 4, 4, 4, missing});
  CHECK(filled(level, {.how = How::nearest}) == Readings{missing, 1, 1, 1, 4, missing});
  CHECK(near(filled(level, {.how = How::linear}), {missing, 1, 1.5, 2.5, 4, missing}));
  CHECK(filled(level, {.how = Fill::Constant{9}}) == Readings{9, 1, 9, 9, 4, 9});
}

TEST_CASE("a gap at an end is as long as from its reading to the last row", "[fill]") {
  const auto level = strand("00:00 1.0", "00:10 -", "00:20 -");
  CHECK(filled(level, {.how = Fill::How::previous, .max_gap = 20min}) == Readings{1, 1, 1});
  CHECK(filled(level, {.how = Fill::How::previous, .max_gap = 19min}) ==
        Readings{1, missing, missing});
}

TEST_CASE("filling flags what it put in, and counts it", "[fill]") {
  const auto level = strand("00:00 1.0", "00:10 -", "00:20 3.0");
  const auto result = fill(level, {.flag = true});
  CHECK(readings(result, "level_filled") == Readings{0, 1, 0});
  CHECK(result.account().last().cells_filled == 1);
}

TEST_CASE("filling keeps to the strand", "[fill]") {
  const auto two = timeline_of({{clock("00:00"), clock("00:10"), clock("00:00"), clock("00:10")},
                                {"cold_1", "cold_1", "cold_2", "cold_2"},
                                {{"level", column_of({1.0, missing, missing, 2.0})}}});
  CHECK(filled(two, {.how = Fill::How::previous}) == Readings{1, 1, missing, 2});
  CHECK(filled(two, {}) == Readings{1, missing, missing, 2});
}

TEST_CASE("integers stay integers where no fraction comes in", "[fill]") {
  const auto kg = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20")},
                               {},
                               {{"level", integers_of({1, missing, 2})}}});
  const auto type = [&](const Fill& options) {
    return fill(kg, options).values().column("level").type();
  };
  CHECK(type({.how = Fill::How::previous}) == Column::Type::integer);
  CHECK(type({.how = Fill::Constant{0}}) == Column::Type::integer);
  CHECK(type({.how = Fill::Constant{0.5}}) == Column::Type::number);
  CHECK(filled(kg, {}) == Readings{1, 1.5, 2});
}

TEST_CASE("the input of a step never changes", "[fill]") {
  const auto level = strand("00:00 1.0", "00:10 -", "00:20 3.0");
  fill(level, {});
  CHECK(readings(level, "level") == Readings{1, missing, 3});
}

TEST_CASE("filling needs columns that are there and fit", "[fill]") {
  const auto level = strand("00:00 1.0");
  CHECK_THROWS_WITH(fill(level, {.on = {"levl"}}), Catch::Contains("did you mean level?"));
  const auto text =
      timeline_of({{clock("00:00"), clock("00:10")}, {}, {{"gear", texts_of({"net", ""})}}});
  CHECK_THROWS_AS(fill(text, {.on = {"gear"}}), Error);
  CHECK(texts(fill(text, {.how = Fill::How::previous, .on = {"gear"}}), "gear") ==
        std::vector<std::string>{"net", "net"});
}

TEST_CASE("linear filling agrees with its definition on random rows", "[fill]") {
  const Timeline timeline = random_timeline(600, 21, 3, 0.5);
  const Readings before = readings(timeline, "level");
  const Readings after = filled(timeline, {.max_gap = 5min});
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      std::optional<double> expected = before[i];
      std::size_t a = i, b = i;
      while (a > strand.begin && !before[a]) --a;
      while (b + 1 < strand.end && !before[b]) ++b;
      if (!before[i] && before[a] && before[b]) {
        const auto whole = timeline.times()[b] - timeline.times()[a];
        const double share =
            whole.count() == 0
                ? 0
                : static_cast<double>((timeline.times()[i] - timeline.times()[a]).count()) /
                      static_cast<double>(whole.count());
        if (whole <= 5min) expected = *before[a] + (*before[b] - *before[a]) * share;
      }
      CHECK(near({after[i]}, {expected}));
    }
  }
}

}  // namespace zerobeat::testing
