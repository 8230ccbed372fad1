// Columns of windows: their names and types, their digits, the calendar's lengths.

#include <numeric>
#include <set>

#include "window/windows.hpp"

namespace zerobeat::testing {

using namespace std::chrono_literals;

TEST_CASE("several windows are columns of their own, one alone adds no name", "[roll]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 4");
  const auto rolled = roll(level, {.window = {2, Extent(20min), Extent(3)},
                                   .take = {mean("level"), count(), max("level").as("top")},
                                   .min_count = 1});
  CHECK(rolled.values().names() == std::vector<std::string>{"level", "level_mean_2",
                                                            "level_mean_20min", "level_mean_3",
                                                            "count_2", "count_20min", "count_3",
                                                            "top_2", "top_20min", "top_3"});
  CHECK(near(readings(rolled, "level_mean_3"), {1, 1.5, 7.0 / 3}));
  CHECK(readings(rolled, "level_mean_20min") ==
        readings(roll(level, {.window = 20min}), "level_mean"));
  CHECK(roll(level, {.window = 2}).values().names()[1] == "level_mean");
  Extents twice;
  CHECK_THROWS_WITH(from_text("2,2", twice), Catch::Contains("given twice"));
}

TEST_CASE("whole numbers stay exact in windows, or become numbers all together", "[roll]") {
  constexpr std::int64_t big = std::numeric_limits<std::int64_t>::max();
  const auto kg = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20")},
                               {},
                               {{"kg", integers_of({big - 1, 1, -7})}}});
  const auto rolled =
      roll(kg, {.window = 2,
                .take = {sum("kg"), min("kg"), max("kg"), first("kg"), mode("kg"), rank("kg")},
                .min_count = 1});
  CHECK(rolled.values().column("kg_sum") == integers_of({big - 1, big, -6}));
  CHECK(rolled.values().column("kg_min") == integers_of({big - 1, 1, -7}));
  CHECK(rolled.values().column("kg_max") == integers_of({big - 1, big - 1, 1}));
  CHECK(rolled.values().column("kg_first") == integers_of({big - 1, big - 1, 1}));
  CHECK(rolled.values().column("kg_mode") == integers_of({big - 1, 1, -7}));
  CHECK(readings(rolled, "kg_rank") == Readings{1, 0.5, 0.5});
  const auto wide = roll(kg, {.window = 3, .take = {range("kg"), sum("kg")}});
  CHECK(wide.values().column("kg_range").type() == Column::Type::number);
  CHECK(wide.values().column("kg_sum").type() == Column::Type::integer);
  CHECK_THAT(wide.account().last().notes.at(0), Catch::Contains("kg_range: not every result fits"));
}

TEST_CASE("moments recover after a jump, and keep their digits at an offset", "[roll]") {
  std::mt19937 random(3);
  std::vector<Instant> times;
  Readings small, far;
  std::normal_distribution<double> noise;
  for (int i = 0; i < 3000; ++i) {
    times.push_back(at("2025-10-20") + std::chrono::seconds(i));
    const double z = noise(random);
    small.push_back(i == 1000 ? 1e9 : 1e-9 * z);
    far.push_back(1e9 + z);
  }
  const Timeline timeline =
      timeline_of({times, {}, {{"small", column_of(small)}, {"far", column_of(far)}}});
  const auto rolled = roll(
      timeline,
      {.window = 100, .take = {mean("small"), take::std("small"), take::std("far"), sum("small")}});
  const auto plain = [&](const Readings& all, std::size_t i, bool root, double shift) {
    std::vector<double> x;
    for (std::size_t k = i - 99; k <= i; ++k) x.push_back(*all[k] - shift);
    return root ? std::sqrt(moment(x, 2) * 100 / 99) : mean_of(x);
  };
  const Readings means = readings(rolled, "small_mean"), deviations = readings(rolled, "small_std"),
                 of_far = readings(rolled, "far_std");
  for (std::size_t i = 1100; i < 3000; i += 37) {
    REQUIRE(*means[i] == Approx(plain(small, i, false, 0)).epsilon(1e-9).margin(0));
    REQUIRE(*deviations[i] == Approx(plain(small, i, true, 0)).epsilon(1e-12).margin(0));
    REQUIRE(*of_far[i] == Approx(plain(far, i, true, 1e9)).epsilon(1e-6).margin(0));
  }
  // With the jump in it, too.
  CHECK(*deviations[1050] == Approx(plain(small, 1050, true, 0)).epsilon(1e-12).margin(0));
}

TEST_CASE("quantiles of long windows, of any numbers, are those of their readings", "[roll]") {
  std::mt19937 random(19);
  std::vector<Instant> times;
  Readings level;
  Instant t = at("2025-10-20");
  for (int i = 0; i < 4000; ++i) {
    times.push_back(t += std::chrono::milliseconds(random() % 2000));
    const auto kind = random() % 20;
    level.push_back(kind == 0   ? std::nullopt
                    : kind == 1 ? std::optional(0.0)
                    : kind == 2 ? std::optional(-0.0)
                    : kind == 3 ? std::optional(1e300)
                    : kind == 4 ? std::optional(-1e-300)
                                : std::optional(std::floor(random() % 2000 / 10.0) - 100));
  }
  const Timeline timeline = timeline_of({times, {}, {{"level", column_of(level)}}});
  for (const Extent& window : {Extent(33), Extent(301), Extent(999), Extent(700s)}) {
    for (const char* text : {"quantile(level,0)", "quantile(level,0.25)", "quantile(level,0.5)",
                             "quantile(level,0.93)", "quantile(level,1)"}) {
      Take take;
      from_text(text, take);
      const auto got =
          readings(roll(timeline, {.window = window, .take = {take.as("o")}, .min_count = 1}), "o");
      const auto& strand = timeline.strands()[0];
      for (std::size_t i = 0; i < 4000; i += 1 + random() % 60) {
        std::vector<double> x;
        for (const std::size_t j : rows_seen(timeline, strand, i, window, Place::trailing)) {
          if (level[j]) x.push_back(*level[j]);
        }
        INFO(text << " in " << to_text(window) << " at " << i);
        REQUIRE(got[i].has_value() == !x.empty());
        if (!x.empty()) REQUIRE(*got[i] == quantile_of(x, take.share));
      }
    }
  }
}

TEST_CASE("times of windows are on the timeline's axis, and weights below nothing are told",
          "[roll]") {
  Timeline::Parts parts = strand("00:00 3", "00:10 1", "00:20 2").parts();
  parts.axis.elapsed = ElapsedUnit::min;
  parts.times = Column::times(Buffer<Instant>(std::span<const Instant>(
      std::vector{instant_of(0), instant_of(600'000'000'000), instant_of(1'200'000'000'000)})));
  parts.values.add("weight", column_of({1, -1, 3}));
  const auto rolled =
      roll(Timeline(std::move(parts)),
           {.window = 3,
            .take = {time_of_min("level"), first_time("level"), wmean("level", "weight")},
            .min_count = 1});
  CHECK(readings(rolled, "level_time_of_min") == Readings{0, 10, 10});
  CHECK(readings(rolled, "level_first_time") == Readings{0, 0, 0});
  CHECK(readings(rolled, "level_wmean") == Readings{3, 3, 9.0 / 4});
  CHECK_THAT(rolled.account().last().notes.at(0),
             Catch::Contains("1 records with a negative weight were left out"));
}

TEST_CASE("a function of the program's sees the window's readings and their times", "[roll]") {
  const auto level = strand("00:00 1", "00:10 -", "00:30 4", "00:40 9");
  const auto rolled =
      roll(level,
           {.window = 30min,
            .take = {take::of("level", OwnStatistic([](auto times, auto readings) {
                                REQUIRE(times.size() == readings.size());
                                return static_cast<double>((times.back() - times.front()) / 1min) +
                                       readings.back() / 100;
                              }))
                         .as("seen")}});
  CHECK(near(readings(rolled, "seen"), {0.01, 0.01, 0.04, 10.09}));
}

}  // namespace zerobeat::testing
