#include <algorithm>
#include <functional>
#include <numeric>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/strand.hpp"
#include "take/definitions.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// A statistic of the readings of a window, by its definition.
std::optional<double> plain(Stat stat, const std::vector<double>& x, std::size_t rows) {
  const auto n = static_cast<double>(x.size());
  if (stat == Stat::count) return n;
  if (stat == Stat::missing) return static_cast<double>(rows) - n;
  if (x.empty()) return std::nullopt;
  long double sum = 0;
  for (const double value : x) sum += value;
  const auto [low, high] = std::minmax_element(x.begin(), x.end());
  long double squares = 0;
  for (const double value : x) squares += (value - sum / n) * (value - sum / n);
  std::vector<double> sorted = x;
  std::sort(sorted.begin(), sorted.end());
  const std::size_t half = sorted.size() / 2;
  switch (stat) {
    case Stat::sum:
      return static_cast<double>(sum);
    case Stat::mean:
      return static_cast<double>(sum / n);
    case Stat::min:
      return *low;
    case Stat::max:
      return *high;
    case Stat::range:
      return *high - *low;
    case Stat::first:
      return x.front();
    case Stat::last:
      return x.back();
    case Stat::median:
      return sorted.size() % 2 == 1 ? sorted[half] : (sorted[half - 1] + sorted[half]) / 2;
    case Stat::var:
    case Stat::std: {
      if (x.size() < 2) return std::nullopt;
      const double var = static_cast<double>(squares / (n - 1));
      return stat == Stat::var ? var : std::sqrt(var);
    }
    default:
      return std::nullopt;
  }
}

constexpr Stat all_stats[] = {Stat::count,  Stat::sum,   Stat::mean,  Stat::min,
                              Stat::max,    Stat::range, Stat::first, Stat::last,
                              Stat::median, Stat::var,   Stat::std,   Stat::missing};

/// Rolls by the definition: for each row, look at every row of its strand.
Readings plain_roll(
    const Timeline& timeline, Stat stat, std::int64_t least,
    const std::function<bool(const Strand&, std::size_t row, std::size_t other)>& sees) {
  const Readings all = readings(timeline, "level");
  Readings out;
  for (const Strand& strand : timeline.strands()) {
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      std::vector<double> window;
      std::size_t rows = 0;
      for (std::size_t j = strand.begin; j < strand.end; ++j) {
        if (!sees(strand, i, j)) continue;
        ++rows;
        if (all[j]) window.push_back(*all[j]);
      }
      const bool enough = static_cast<std::int64_t>(window.size()) >= least;
      out.push_back(enough ? plain(stat, window, rows) : std::nullopt);
    }
  }
  return out;
}

Take level_take(Stat stat) {
  Take take;
  take.stat = stat;
  take.column = "level";
  return take.as("out");
}

}  // namespace

TEST_CASE("windows of N records agree with their definition", "[roll]") {
  const Timeline timeline = random_timeline(300, 13, 2, 0.25);
  for (const Place place : {Place::trailing, Place::centred, Place::leading}) {
    for (const std::int64_t n : {1, 2, 3, 7, 64, 149, 150, 151}) {
      for (const Stat stat : all_stats) {
        for (const std::optional<std::int64_t> least :
             {std::optional<std::int64_t>(), std::optional<std::int64_t>(1)}) {
          const Roll options{
              .window = n, .take = {level_take(stat)}, .place = place, .min_count = least};
          const auto before = place == Place::trailing  ? n - 1
                              : place == Place::centred ? n / 2
                                                        : 0;
          const auto expected = plain_roll(
              timeline, stat, least.value_or(n), [&](const Strand&, std::size_t i, std::size_t j) {
                const auto apart = static_cast<std::int64_t>(j) - static_cast<std::int64_t>(i);
                return apart >= -before && apart < n - before;
              });
          INFO(to_text(place) << " " << n << " " << word(stat));
          REQUIRE(near(readings(roll(timeline, options), "out"), expected));
        }
      }
    }
  }
}

TEST_CASE("windows of a period agree with their definition", "[roll]") {
  const Timeline timeline = random_timeline(400, 17, 2, 0.25);
  const auto times = timeline.times();
  for (const Nanoseconds w : {Nanoseconds(1), Nanoseconds(90s), Nanoseconds(10min),
                              Nanoseconds(10min + 1ns), Nanoseconds(900h)}) {
    for (const Place place : {Place::trailing, Place::centred, Place::leading}) {
      for (const Stat stat : all_stats) {
        const auto expected =
            plain_roll(timeline, stat, stat == Stat::count || stat == Stat::missing ? 0 : 1,
                       [&](const Strand&, std::size_t i, std::size_t j) {
                         const auto apart = 2 * (times[j] - times[i]);
                         if (place == Place::trailing) return apart > -2 * w && apart <= 0ns;
                         if (place == Place::leading) return apart >= 0ns && apart < 2 * w;
                         return apart > -w && apart <= w;
                       });
        INFO(to_text(place) << " " << w.count() << " " << word(stat));
        const Roll options{.window = w, .take = {level_take(stat)}, .place = place};
        REQUIRE(near(readings(roll(timeline, options), "out"), expected));
      }
    }
  }
}

TEST_CASE("a window of N needs N readings unless told otherwise", "[roll]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 -", "00:30 4", "00:40 6");
  CHECK(readings(level | Roll{.window = 2, .take = {mean("level").as("m")}}, "m") ==
        Readings{missing, 1.5, missing, missing, 5});
  CHECK(readings(level | Roll{.window = 2, .take = {mean("level").as("m")}, .min_count = 1}, "m") ==
        Readings{1, 1.5, 2, 4, 5});
  CHECK(readings(level | Roll{.window = 9, .take = {mean("level").as("m")}}, "m") ==
        Readings{missing, missing, missing, missing, missing});
}

TEST_CASE("what has left a window leaves no trace", "[roll]") {
  const auto level = strand("00:00 1e300", "00:10 1", "00:20 2", "00:30 3");
  CHECK(readings(level | Roll{.window = 2, .take = {sum("level").as("s")}}, "s") ==
        Readings{missing, 1e300 + 1, 3, 5});
  const auto flat = strand("00:00 0.1", "00:10 0.1", "00:20 0.1", "00:30 0.1");
  const auto rolled =
      flat | Roll{.window = 3, .take = {mean("level").as("m"), take::std("level").as("s")}};
  CHECK(readings(rolled, "m") == Readings{missing, missing, 0.1, 0.1});
  CHECK(readings(rolled, "s") == Readings{missing, missing, 0, 0});
}

TEST_CASE("long strands are rolled in parts that do not show", "[roll]") {
  std::vector<Instant> times;
  Readings level;
  std::mt19937 random(2);
  for (int i = 0; i < 600'000; ++i) {
    times.push_back(at("2025-10-20") + std::chrono::seconds(i));
    level.push_back(static_cast<double>(random() % 1000));
  }
  const Timeline timeline = timeline_of({times, {}, {{"level", column_of(level)}}});
  const auto sums = readings(timeline | Roll{.window = 1000, .take = {sum("level").as("s")}}, "s");
  double expected = 0;
  bool same = true;
  for (std::size_t i = 0; i < level.size(); ++i) {
    expected += *level[i];
    if (i >= 1000) expected -= *level[i - 1000];
    if (i >= 999) same &= *sums[i] == expected;
  }
  CHECK(same);
}

TEST_CASE("roll names what it can't do", "[roll]") {
  const auto level = strand("00:00 1");
  CHECK_THROWS_AS(roll(level, {}), Error);
  CHECK_THROWS_WITH(roll(level, {.window = 2, .take = {take::at("level")}}),
                    Catch::Contains("at is not a statistic of roll"));
  CHECK_THROWS_WITH(roll(level, {.take = {mean("level")}}), Catch::Contains("needs one"));
  CHECK_THROWS_WITH(roll(level, {.window = 2, .restart = Period(1h)}),
                    Catch::Contains("‹restart› goes with cumsum(x), ewma(x,A)"));
  CHECK_THROWS_AS(roll(level, {.window = 2, .take = {mean("level").as("level")}}), Error);
  CHECK_THROWS_AS(roll(level, {.window = 2, .take = {mean("level"), mean("level")}}), Error);
}

TEST_CASE("only what looks back is causal", "[roll]") {
  CHECK(reach(Roll{.window = 2h}).causal());
  CHECK(!reach(Roll{.window = 2h, .place = Place::centred}).causal());
  CHECK(reach(Roll{.window = 1, .place = Place::centred}).causal());
  CHECK(to_text(reach(Roll{.window = 5}).back) == "4 rows");
}

TEST_CASE("each statistic of one column is the same in a bucket and in a window of its rows",
          "[roll]") {
  const Timeline timeline = random_timeline(400, 31, 1, 0.25);
  const auto rows = static_cast<std::int64_t>(timeline.rows());
  int compared = 0;
  for (const Statistic& row : statistics()) {
    const bool both = row.is_taken_by(TakenBy::buckets) && row.is_taken_by(TakenBy::windows);
    const bool of_numbers = row.needs == Needs::readings || row.needs == Needs::times;
    const bool is_number = row.result == Result::number || row.result == Result::exact;
    const bool one = row.form == TakeForm::column && row.stat != Stat::own && row.word != "ohlc";
    if (!both || !of_numbers || !is_number || !one) continue;
    Take take = mean("level");
    take.stat = row.stat;
    const Take named = take.as("s");
    INFO(row.word);
    // All rows as one bucket, and as the last window of a strand.
    const auto bucket =
        readings(resample(timeline, {.every = ByCount{rows}, .take = {named}}), "s");
    const auto window =
        readings(roll(timeline, {.window = Extent(rows), .take = {named}, .min_count = 1}), "s");
    REQUIRE(bucket.size() == 1);
    CHECK(near(bucket, {window.back()}, 1e-11));
    // Too few readings have none.
    const auto single = strand("00:00 4");
    CHECK(readings(roll(single, {.window = Extent(3), .take = {named}, .min_count = 1}), "s")[0]
              .has_value() == (row.least == 1));
    ++compared;
  }
  CHECK(compared >= 14);
}

TEST_CASE("a rolling slope is that of the window's readings over their times", "[roll]") {
  const Timeline timeline = random_timeline(600, 77, 2, 0.3);
  for (const Extent& window : {Extent(2), Extent(7), Extent(64), Extent(5min)}) {
    const auto got = readings(
        roll(timeline, {.window = window, .take = {slope("level").as("s")}, .min_count = 1}), "s");
    const Readings level = readings(timeline, "level");
    Readings expected;
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        std::vector<double> t, x;
        for (std::size_t k = strand.begin; k < strand.end; ++k) {
          const Nanoseconds age = timeline.times()[i] - timeline.times()[k];
          const bool within = window.in_rows()
                                  ? k <= i && k + static_cast<std::size_t>(window.rows) > i
                                  : age >= Nanoseconds(0) && age < window.period.nanoseconds;
          if (!within || !level[k]) continue;
          t.push_back(-static_cast<double>(age.count()) / 1e9);
          x.push_back(*level[k]);
        }
        const double n = static_cast<double>(t.size());
        const double mt = std::accumulate(t.begin(), t.end(), 0.0) / n;
        const double mx = std::accumulate(x.begin(), x.end(), 0.0) / n;
        double spread = 0, product = 0;
        for (std::size_t k = 0; k < t.size(); ++k) {
          spread += (t[k] - mt) * (t[k] - mt);
          product += (t[k] - mt) * (x[k] - mx);
        }
        expected.push_back(t.size() < 2 || spread == 0 ? std::nullopt
                                                       : std::optional(product / spread));
      }
    }
    INFO(to_text(window));
    CHECK(near(got, expected, 1e-9));
  }
}

}  // namespace zerobeat::testing
