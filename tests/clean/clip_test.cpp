#include <zerobeat/clean/clip.hpp>

#include "support/strand.hpp"
#include "take/order_statistics.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// The definition: sort, and go linearly between at p (n - 1).
std::optional<double> plain_quantile(Readings window, double share) {
  std::vector<double> sorted;
  for (const auto& reading : window) {
    if (reading) sorted.push_back(*reading);
  }
  if (sorted.empty()) return std::nullopt;
  std::sort(sorted.begin(), sorted.end());
  const double position = share * static_cast<double>(sorted.size() - 1);
  const auto below = static_cast<std::size_t>(std::floor(position));
  const auto above = static_cast<std::size_t>(std::ceil(position));
  return sorted[below] + (sorted[above] - sorted[below]) * (position - std::floor(position));
}

}  // namespace

TEST_CASE("readings beyond bounds come to the bound, those on it stay", "[clip]") {
  const auto level = strand("00:00 1.0", "00:10 5.0", "00:20 -", "00:30 -2.0", "00:40 4.0");
  const auto result = clip(level, {.by = Bounds{0, 4}, .flag = true});
  CHECK(readings(result, "level") == Readings{1, 4, missing, 0, 4});
  CHECK(readings(result, "level_clipped") == Readings{0, 1, 0, 1, 0});
  CHECK(result.account().last().cells_clipped == 2);
  CHECK(readings(clip(level, {.by = Bounds{0, 4}, .put = Clip::Put::missing}), "level") ==
        Readings{1, missing, missing, missing, 4});
}

TEST_CASE("every change is told, with its time, key and both values", "[clip]") {
  const auto two = timeline_of(
      {{clock("00:00"), clock("00:10")}, {"cold_1", "cold_2"}, {{"level", column_of({9.0, 1.0})}}});
  std::vector<ClipChange> changes;
  clip(two, {.by = Bounds{2, 4}}, &changes);
  REQUIRE(changes.size() == 2);
  CHECK(changes[0].key == "cold_1");
  CHECK(changes[0].before == 9);
  CHECK(changes[0].after == 4);
  CHECK(changes[1].time == clock("00:10"));
  CHECK(changes[1].after == 2);
}

TEST_CASE("quantiles are each strand's own", "[clip]") {
  const auto two = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:00"),
                                 clock("00:10"), clock("00:20")},
                                {"a", "a", "a", "b", "b", "b"},
                                {{"level", column_of({1.0, 2.0, 3.0, 100.0, 200.0, 300.0})}}});
  CHECK(near(readings(clip(two, {.by = Quantiles{0.25, 0.75}}), "level"),
             {1.5, 2, 2.5, 150, 200, 250}));
}

TEST_CASE("a window goes by the neighbourhood, the whole by the whole", "[clip]") {
  const auto drifting = strand("00:00 1", "00:10 2", "00:20 13", "00:30 4", "00:40 15", "00:50 16");
  CHECK(near(readings(clip(drifting, {.by = Quantiles{0, 0.5}, .window = 3}), "level"),
             {1, 2, 4, 4, 15, 15.5}));
}

TEST_CASE("clipping by windows agrees with its definition on random rows", "[clip]") {
  const Timeline timeline = random_timeline(900, 8, 2, 0.3);
  const Readings before = readings(timeline, "level");
  for (const std::int64_t n : {1, 2, 3, 7, 64, 449, 450, 451}) {
    const Readings after = readings(
        clip(timeline, {.on = {"level"}, .by = Quantiles{0.1, 0.8}, .window = n}), "level");
    for (const Strand& own : timeline.strands()) {
      const auto size = static_cast<std::int64_t>(own.size());
      for (std::int64_t i = 0; i < size; ++i) {
        const std::int64_t from = std::max<std::int64_t>(0, i - n / 2);
        const std::int64_t until = std::min(size, i + (n - 1) / 2 + 1);
        const auto first = before.begin() + static_cast<std::ptrdiff_t>(own.begin);
        const Readings window(first + from, first + until);
        const auto reading = before[own.begin + static_cast<std::size_t>(i)];
        std::optional<double> expected = reading;
        if (reading) {
          expected =
              std::clamp(*reading, *plain_quantile(window, 0.1), *plain_quantile(window, 0.8));
        }
        REQUIRE(near({after[own.begin + static_cast<std::size_t>(i)]}, {expected}));
      }
    }
  }
}

TEST_CASE("long windows are ranked in a tree, to the same quantiles", "[clip]") {
  std::mt19937 random(4);
  std::vector<double> values(6000);
  for (double& value : values) value = static_cast<double>(random() % 1000);
  ValidityBuilder gone(values.size());
  Readings all;
  for (std::size_t i = 0; i < values.size(); ++i) {
    const bool is_gone = random() % 5 == 0;
    if (is_gone) gone.set_missing(i);
    all.push_back(is_gone ? std::nullopt : std::optional(values[i]));
  }
  const Validity validity = gone.take();
  std::vector<detail::RowRange> windows;
  for (std::uint32_t i = 0; i < values.size(); ++i) {
    windows.push_back({i < 700 ? 0 : i - 700, std::min<std::uint32_t>(6000, i + 300)});
  }
  const double shares[] = {0.5, 0.99};
  std::vector<std::uint32_t> counts(windows.size());
  std::vector<double> quantiles(2 * windows.size());
  detail::rolling_quantiles(values, validity, 0, windows, shares, counts, quantiles);
  for (std::size_t i = 0; i < windows.size(); i += 37) {
    const Readings window(all.begin() + windows[i].begin, all.begin() + windows[i].end);
    REQUIRE(quantiles[2 * i] == Approx(*plain_quantile(window, 0.5)));
    REQUIRE(quantiles[2 * i + 1] == Approx(*plain_quantile(window, 0.99)));
  }
}

TEST_CASE("half a day is twelve hours by the clock on the wall", "[clip]") {
  const Timeline timeline = random_timeline(300, 3, 1, 0.1);
  const auto with = [&](const Extent& window) {
    return readings(clip(timeline, {.on = {"level"}, .by = Quantiles{0.2, 0.8}, .window = window}),
                    "level");
  };
  CHECK(with(Period::of_days(1)) == with(24h));
  CHECK(with(Period::of_days(3)) == with(72h));
}

TEST_CASE("clip needs just one kind of bounds", "[clip]") {
  const auto level = strand("00:00 1.0");
  CHECK_THROWS_AS(clip(level, {}), Error);
  CHECK_THROWS_AS(clip(level, {}), Error);
  CHECK_THROWS_AS(clip(level, {.by = Bounds{0, 1}, .window = 3}), Error);
  CHECK_THROWS_AS(clip(level, {.by = Quantiles{0, 1.5}}), Error);
  CHECK_THROWS_AS(clip(level, {.by = Quantiles{0, 1}, .window = Period::of_months(1)}), Error);
}

TEST_CASE("bounds may be open on one side", "[clip]") {
  const auto level = strand("00:00 -9", "00:10 2", "00:20 7");
  Bounds bounds;
  from_text(",4", bounds);
  CHECK(readings(clip(level, {.by = bounds}), "level") == Readings{-9, 2, 4});
  CHECK(to_text(bounds) == ",4");
  from_text("0,", bounds);
  CHECK(readings(clip(level, {.by = bounds}), "level") == Readings{0, 2, 7});
  CHECK(to_text(bounds) == "0,");
  CHECK_THROWS_WITH(from_text("5,1", bounds), Catch::Contains("the lower one comes first"));
  CHECK_THROWS_WITH(from_text(",", bounds), Catch::Contains("holds no number"));
  CHECK_THROWS_WITH(from_text("5", bounds), Catch::Contains("is not two numbers"));
  CHECK_THROWS_AS(from_text("1,2,3", bounds), Error);
}

TEST_CASE("shares are numbers or percentages", "[clip]") {
  Clip clip;
  const auto options = bind_options(clip);
  const auto quantiles = std::ranges::find(options, "quantiles", &BoundOption::name);
  REQUIRE(quantiles != options.end());
  quantiles->set("10%,90%");
  CHECK(clip.by == Clip::Rule(Quantiles{0.1, 0.9}));
  CHECK(quantiles->get() == "0.1,0.9");
  quantiles->set("0.05,0.95");
  CHECK(clip.by == Clip::Rule(Quantiles{0.05, 0.95}));
  CHECK_THROWS_WITH(quantiles->set("1o%,90%"), Catch::Contains("\"1o%\" is not a share"));
  CHECK_THROWS_AS(quantiles->set("90%,10%"), Error);
}

}  // namespace zerobeat::testing
