#include <algorithm>
#include <zerobeat/clean/clip.hpp>

#include "kernel/order_statistics.hpp"
#include "kernel/window/sorted_windows.hpp"
#include "support/strand.hpp"

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

/// Who judges by these readings, by each rule's definition; unset: nobody.
struct PlainJudge {
  double low = 0, high = 0, centre = 0;
};
std::optional<PlainJudge> plain_judge(const Readings& window, const Clip::Rule& rule,
                                      std::int64_t min_count) {
  std::vector<double> there;
  for (const auto& reading : window) {
    if (reading) there.push_back(*reading);
  }
  const auto n = static_cast<double>(there.size());
  if (static_cast<std::int64_t>(there.size()) < min_count || there.empty()) return std::nullopt;
  const double median = *plain_quantile(window, 0.5);
  if (const auto* spread = std::get_if<Spread>(&rule)) {
    Readings off;
    for (const double x : there) off.emplace_back(std::fabs(x - median));
    const double mad = *plain_quantile(off, 0.5);
    if (mad == 0) return std::nullopt;
    return PlainJudge{median - spread->k * 1.4826 * mad, median + spread->k * 1.4826 * mad, median};
  }
  if (const auto* deviations = std::get_if<Deviations>(&rule)) {
    double mean = 0, squares = 0;
    for (const double x : there) mean += x / n;
    for (const double x : there) squares += (x - mean) * (x - mean);
    const double std = there.size() > 1 ? std::sqrt(squares / (n - 1)) : 0;
    if (std < 1e-12) return std::nullopt;
    return PlainJudge{mean - deviations->k * std, mean + deviations->k * std, mean};
  }
  if (const auto* fences = std::get_if<Fences>(&rule)) {
    const double first = *plain_quantile(window, 0.25), third = *plain_quantile(window, 0.75);
    if (first == third) return std::nullopt;
    return PlainJudge{first - fences->k * (third - first), third + fences->k * (third - first),
                      median};
  }
  const auto& shares = std::get<Quantiles>(rule);
  return PlainJudge{*plain_quantile(window, shares.low), *plain_quantile(window, shares.high),
                    median};
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
             {1, 2, 4, 4, 15, 16}));
}

TEST_CASE("clipping by windows agrees with its definition on random rows", "[clip]") {
  const Timeline timeline = random_timeline(900, 8, 2, 0.3);
  const Readings before = readings(timeline, "level");
  for (const std::int64_t n : {1, 2, 3, 7, 64, 449, 450, 451}) {
    const Readings after = readings(
        clip(timeline, {.on = {"level"}, .by = Quantiles{0.1, 0.8}, .window = n, .min_count = 1}),
        "level");
    for (const Strand& strand : timeline.strands()) {
      const auto size = static_cast<std::int64_t>(strand.size());
      for (std::int64_t i = 0; i < size; ++i) {
        const std::int64_t from = std::max<std::int64_t>(0, i - n / 2);
        const std::int64_t until = std::min(size, i + (n - 1) / 2 + 1);
        const auto first = before.begin() + static_cast<std::ptrdiff_t>(strand.begin);
        const Readings window(first + from, first + until);
        const auto reading = before[strand.begin + static_cast<std::size_t>(i)];
        std::optional<double> expected = reading;
        if (reading) {
          expected =
              std::clamp(*reading, *plain_quantile(window, 0.1), *plain_quantile(window, 0.8));
        }
        REQUIRE(near({after[strand.begin + static_cast<std::size_t>(i)]}, {expected}));
      }
    }
  }
}

TEST_CASE("every rule judges by its definition, whole and in windows", "[clip]") {
  const Timeline timeline = random_timeline(700, 18, 2, 0.3);
  const Readings before = readings(timeline, "level");
  const Clip::Rule rules[] = {Spread{0.8}, Deviations{0.9}, Fences{0.3}, Quantiles{0.1, 0.8}};
  for (const Clip::Rule& rule : rules) {
    for (const std::int64_t n : {0, 1, 2, 3, 7, 64, 349, 350, 351}) {
      Clip options{.on = {"level"}, .by = rule, .put = Clip::Put::level, .band = true};
      if (n > 0) options.window = n;
      const Timeline clipped = clip(timeline, options);
      const Readings after = readings(clipped, "level"), low = readings(clipped, "level_low"),
                     high = readings(clipped, "level_high");
      for (const Strand& strand : timeline.strands()) {
        const auto size = static_cast<std::int64_t>(strand.size());
        for (std::int64_t i = 0; i < size; ++i) {
          const std::int64_t from = n == 0 ? 0 : std::max<std::int64_t>(0, i - n / 2);
          const std::int64_t until = n == 0 ? size : std::min(size, i + (n - 1) / 2 + 1);
          const auto first = before.begin() + static_cast<std::ptrdiff_t>(strand.begin);
          const auto judge = plain_judge(Readings(first + from, first + until), rule, 3);
          const std::size_t row = strand.begin + static_cast<std::size_t>(i);
          std::optional<double> expected = before[row];
          if (judge && expected && (*expected < judge->low || *expected > judge->high)) {
            expected = judge->centre;
          }
          INFO("rule " << rule.index() << ", window " << n << ", row " << row);
          REQUIRE(near({low[row]}, {judge ? std::optional(judge->low) : std::nullopt}));
          REQUIRE(near({high[row]}, {judge ? std::optional(judge->high) : std::nullopt}));
          REQUIRE(near({after[row]}, {expected}));
        }
      }
    }
  }
}

TEST_CASE("the median deviation of a long window is that of its sorted readings", "[clip]") {
  std::mt19937 random(8);
  for (std::size_t n = 1; n < 60; ++n) {
    std::vector<double> sorted(n);
    for (double& x : sorted) x = random() % (n % 3 == 0 ? 5 : 1000);
    std::ranges::sort(sorted);
    const auto found = detail::median_spread_at(n, [&](std::size_t k) { return sorted[k]; });
    Readings all(sorted.begin(), sorted.end()), off;
    const double median = *plain_quantile(all, 0.5);
    for (const double x : sorted) off.emplace_back(std::fabs(x - median));
    CHECK(found.median == Approx(median));
    CHECK(found.deviation == Approx(*plain_quantile(off, 0.5)));
    // From wherever the search begins.
    for (std::size_t from : {std::size_t{0}, n / 3, n, n + 9}) {
      CHECK(detail::median_spread_at(
                n, [&](std::size_t k) { return sorted[k]; }, from)
                .deviation == found.deviation);
    }
    CHECK(detail::median_spread_of(sorted).deviation == Approx(found.deviation));
  }
}

TEST_CASE("spikes on a drifting level are found, and good readings left alone", "[clip]") {
  std::mt19937 random(11);
  const auto share = [&] { return static_cast<double>(random()) / 4294967296.0; };
  Rows rows;
  Readings level;
  std::vector<bool> planted;
  // A gauge that reads every second, on a choppy day.
  const double noise_size = 0.05;
  for (int i = 0; i < 20'000; ++i) {
    double noise = -6;
    for (int k = 0; k < 12; ++k) noise += share();
    rows.times.push_back(at("2025-10-20T00:00:00Z") + std::chrono::seconds(i));
    double reading = 2.6 + 1.4 * std::cos(i / 7117.0) + 0.5 * std::cos(i / 6875.0) + i * 1e-6 +
                     noise_size * noise;
    planted.push_back(share() < 0.005);
    if (planted.back()) reading += (share() < 0.5 ? -1 : 1) * noise_size * (6 + 14 * share());
    level.emplace_back(reading);
  }
  rows.columns = {{"level", column_of(level)}};
  const auto flags = readings(
      clip(timeline_of(rows), {.by = Spread{6}, .window = 31, .flag = true}), "level_clipped");
  int found = 0, altered = 0, all = 0;
  for (std::size_t i = 0; i < planted.size(); ++i) {
    all += planted[i];
    found += planted[i] && *flags[i] == 1;
    altered += !planted[i] && *flags[i] == 1;
  }
  INFO(found << " of " << all << " found, " << altered << " good ones altered");
  CHECK(found > 0.95 * all);
  CHECK(altered < 0.001 * 20'000);
}

TEST_CASE("what stands in an outlier's place", "[clip]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 90", "00:30 80", "00:50 5", "01:00 4",
                            "01:10 3", "01:20 -70");
  const auto put = [&](Clip::Put how) {
    return readings(clip(level, {.by = Fences{1.5}, .put = how}), "level");
  };
  CHECK(near(put(Clip::Put::linear), {1, 2, 2.75, 3.5, 5, 4, 3, 3}));
  CHECK(near(put(Clip::Put::missing), {1, 2, missing, missing, 5, 4, 3, missing}));
  CHECK(near(put(Clip::Put::level), {1, 2, 3.5, 3.5, 5, 4, 3, 3.5}));
  const auto by_mean =
      readings(clip(level, {.by = Deviations{1.4}, .put = Clip::Put::level}), "level");
  CHECK(near({by_mean[2]}, {115.0 / 8}));
  CHECK(near(readings(clip(level, {.by = Bounds{0, 50}, .put = Clip::Put::level}), "level"),
             {1, 2, 3.5, 3.5, 5, 4, 3, 3.5}));
  CHECK(near(
      readings(clip(strand("00:00 9", "00:10 -"), {.by = Bounds{0, 5}, .put = Clip::Put::linear}),
               "level"),
      {missing, missing}));
}

TEST_CASE("a stuck sensor keeps its first reading", "[clip]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 2", "00:30 -", "00:40 2", "00:50 3",
                            "01:00 3", "01:10 9");
  std::vector<ClipChange> changes;
  const auto by_rows = clip(level, {.stuck = 3, .flag = true}, &changes);
  CHECK(readings(by_rows, "level") == Readings{1, 2, missing, missing, missing, 3, 3, 9});
  CHECK(readings(by_rows, "level_clipped") == Readings{0, 0, 1, 0, 1, 0, 0, 0});
  REQUIRE(changes.size() == 2);
  CHECK(changes[1].before == 2);
  CHECK(!changes[1].after);
  CHECK(by_rows.account().last().cells_clipped == 2);
  CHECK(readings(clip(level, {.stuck = Extent(30min)}), "level") ==
        Readings{1, 2, missing, missing, missing, 3, 3, 9});
  CHECK(readings(clip(level, {.stuck = Extent(31min)}), "level") == readings(level, "level"));
  // What was taken out judges nothing.
  CHECK(readings(clip(level, {.by = Bounds{0, 5}, .stuck = 3}), "level") ==
        Readings{1, 2, missing, missing, missing, 3, 3, 5});
}

TEST_CASE("windows that can't judge leave readings alone, and the account says so", "[clip]") {
  const auto few = strand("00:00 1", "00:10 100");
  const auto alone = clip(few, {.by = Spread{1}});
  CHECK(readings(alone, "level") == Readings{1, 100});
  CHECK_THAT(alone.account().last().notes.at(0),
             Catch::Contains("2 readings were not judged: fewer than 3 around them"));
  const auto equal = strand("00:00 5", "00:10 5", "00:20 5", "00:30 5", "00:40 900");
  const auto flat = clip(equal, {.by = Spread{3}, .band = true});
  CHECK(readings(flat, "level") == Readings{5, 5, 5, 5, 900});
  CHECK(readings(flat, "level_low") == Readings{missing, missing, missing, missing, missing});
  CHECK_THAT(flat.account().last().notes.at(0), Catch::Contains("have no spread"));
  const auto none = strand("00:00 -", "00:10 -");
  CHECK(readings(clip(none, {.by = Deviations{2}}), "level") == Readings{missing, missing});
  // A window larger than the strand is the strand.
  const auto level = strand("00:00 1", "00:10 2", "00:20 3", "00:30 90");
  CHECK(readings(clip(level, {.by = Fences{1}, .window = 99}), "level") ==
        readings(clip(level, {.by = Fences{1}}), "level"));
}

TEST_CASE("whole numbers stay whole when what is put allows it", "[clip]") {
  const std::int64_t big = 9'223'372'036'854'775'000;
  const auto counts = timeline_of(
      {{clock("00:00"), clock("00:10"), clock("00:20")}, {}, {{"n", integers_of({big, 7, -big})}}});
  const auto clipped = clip(counts, {.by = Bounds{-10, std::numeric_limits<double>::infinity()}});
  CHECK(clipped.values().column("n").type() == Column::Type::integer);
  CHECK(clipped.values().column("n").integers()[0] == big);
  CHECK(clipped.values().column("n").integers()[2] == -10);
  CHECK(clip(counts, {.by = Bounds{-10.5, 10}}).values().column("n").type() ==
        Column::Type::number);
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
  detail::over_sorted_windows(
      values, validity, 0, windows, [&](std::size_t i, std::size_t n, const auto& at) {
        if (i % 37 != 0) return;
        const Readings window(all.begin() + windows[i].begin, all.begin() + windows[i].end);
        REQUIRE(detail::quantile_at(n, 0.5, at) == Approx(*plain_quantile(window, 0.5)));
        REQUIRE(detail::quantile_at(n, 0.99, at) == Approx(*plain_quantile(window, 0.99)));
      });
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
  CHECK_THROWS_WITH(clip(level, {.by = Quantiles{0.8, 0.1}}),
                    Catch::Contains("the lower one first"));
  CHECK_THROWS_WITH(clip(level, {.stuck = 1}), Catch::Contains("two readings at least"));
  CHECK_THROWS_WITH(clip(level, {.stuck = 3, .window = 5}), Catch::Contains("‹stuck› alone"));
  CHECK_THROWS_WITH(clip(level, {.by = Spread{3}, .min_count = 0}), Catch::Contains("at least 1"));
  CHECK_THROWS_WITH(clip(level, {.stuck = 3, .band = true}), Catch::Contains("‹band›"));
  Spread spread;
  CHECK_THROWS_WITH(from_text("0", spread), Catch::Contains("a number above 0"));
  CHECK_THROWS_AS(from_text("-2", spread), Error);
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
