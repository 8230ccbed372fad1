#include <algorithm>
#include <map>
#include <zerobeat/regular/resample.hpp>

#include "kernel/sums.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

Resample hourly(std::vector<Take> take) { return {.every = 1h, .take = std::move(take)}; }

Readings taken(const Timeline& timeline, Resample options, const Take& take) {
  options.take = {take.as("out")};
  return readings(resample(timeline, options), "out");
}

const Timeline& morning() {
  static const Timeline timeline = strand("00:10 1", "00:20 3", "00:50 -", "03:00 5", "03:59 9");
  return timeline;
}

}  // namespace

TEST_CASE("buckets are half-open and run from the strand's first to its last", "[resample]") {
  const auto result =
      resample(morning(), hourly({mean("level"), count(), count("level").as("readings")}));
  CHECK(clocks(result) == std::vector<std::string>{"00:00", "01:00", "02:00", "03:00"});
  CHECK(readings(result, "level_mean") == Readings{2, missing, missing, 7});
  CHECK(readings(result, "count") == Readings{3, 0, 0, 2});
  CHECK(readings(result, "readings") == Readings{2, 0, 0, 2});
  const auto edge = strand("00:00 1", "01:00 2", "02:00 4");
  CHECK(taken(edge, hourly({}), sum("level")) == Readings{1, 2, 4});
  Resample closed_at_end = hourly({});
  closed_at_end.edge = Resample::Edge::end;
  CHECK(taken(edge, closed_at_end, sum("level")) == Readings{1, 2, 4});
  CHECK(clocks(resample(edge, closed_at_end)) ==
        std::vector<std::string>{"23:00", "00:00", "01:00"});
}

TEST_CASE("labels stand at the start, the middle or the end", "[resample]") {
  const auto label = [](Resample::RowAt where) {
    Resample options = hourly({mean("level")});
    options.row_at = where;
    return clocks(resample(strand("05:10 1"), options)).front();
  };
  CHECK(label(Resample::RowAt::start) == "05:00");
  CHECK(label(Resample::RowAt::middle) == "05:30");
  CHECK(label(Resample::RowAt::end) == "06:00");
}

TEST_CASE("empty buckets are kept as missing rows, or skipped", "[resample]") {
  Resample options = hourly({mean("level")});
  options.empty = Resample::Empty::skip;
  const auto result = resample(morning(), options);
  CHECK(clocks(result) == std::vector<std::string>{"00:00", "03:00"});
  CHECK(readings(result, "level_mean") == Readings{2, 7});
}

TEST_CASE("an anchor moves the grid", "[resample]") {
  Resample options = hourly({count()});
  options.anchor = clock("00:15");
  CHECK(clocks(resample(morning(), options)) ==
        std::vector<std::string>{"23:15", "00:15", "01:15", "02:15", "03:15"});
}

TEST_CASE("partial buckets are kept, dropped or marked", "[resample]") {
  // Every ten minutes from 00:35 to 03:05: the first and the last hour are not covered.
  std::vector<Instant> times;
  Readings level;
  for (Instant t = clock("00:35"); t <= clock("03:05"); t += 10min) {
    times.push_back(t);
    level.push_back(1.0);
  }
  const Timeline timeline = timeline_of({times, {}, {{"level", column_of(level)}}});
  Resample options = hourly({count()});
  options.partial = Resample::Partial::mark;
  CHECK(readings(resample(timeline, options), "partial") == Readings{1, 0, 0, 1});
  options.partial = Resample::Partial::drop;
  CHECK(clocks(resample(timeline, options)) == std::vector<std::string>{"01:00", "02:00"});
  // Within one typical step of the edges nothing is lacking.
  const auto whole = strand("00:10 1", "00:20 1", "00:30 1", "00:40 1", "00:50 1");
  CHECK(clocks(resample(whole, options)) == std::vector<std::string>{"00:00"});
}

TEST_CASE("a take with too few readings is missing, and its row stays", "[resample]") {
  Resample options = hourly({mean("level"), count("level").as("n"), count()});
  options.min_count = 2;
  const auto level = strand("00:10 1", "00:20 3", "01:10 5");
  CHECK(readings(resample(level, options), "level_mean") == Readings{2, missing});
  CHECK(readings(resample(level, options), "n") == Readings{2, missing});
  CHECK(readings(resample(level, options), "count") == Readings{2, 1});
}

TEST_CASE("coverage is the share within a typical step after a reading", "[resample]") {
  // Step 10 min; 00:00-00:30 is covered of the first hour, the reading at 01:55 reaches into 02:00.
  const auto level = strand("00:00 1", "00:10 1", "00:20 1", "01:55 1", "02:05 1", "02:15 1");
  Resample options = hourly({});
  options.min_coverage = 0.5;
  CHECK(taken(level, options, mean("level")) == Readings{1, missing, missing});
  options.min_coverage = 0.4;
  CHECK(taken(level, options, mean("level")) == Readings{1, missing, 1});
}

TEST_CASE("weighted means go by the rows that have both", "[resample]") {
  const auto trades = timeline_of(
      {{clock("00:10"), clock("00:20"), clock("00:30"), clock("01:10")},
       {},
       {{"price", column_of({4.0, 5.0, missing, 6.0})}, {"kg", integers_of({100, 300, 900, 0})}}});
  CHECK(taken(trades, hourly({}), wmean("price", "kg")) == Readings{4.75, missing});
}

TEST_CASE("ohlc is four columns of the column's own type", "[resample]") {
  const auto kg = timeline_of({{clock("00:10"), clock("00:20"), clock("00:30"), clock("00:40")},
                               {},
                               {{"kg", integers_of({3, 9, 1, 4})}}});
  const auto result = resample(kg, hourly({ohlc("kg")}));
  CHECK(result.values().names() ==
        std::vector<std::string>{"kg_open", "kg_high", "kg_low", "kg_close"});
  CHECK(result.values().column("kg_high") == integers_of({9}));
  CHECK(readings(result, "kg_open") == Readings{3});
  CHECK(readings(result, "kg_low") == Readings{1});
  CHECK(readings(result, "kg_close") == Readings{4});
}

TEST_CASE("a reading stands until the next one, across edges and missing ones", "[resample]") {
  // 2 stands from 00:30 to 02:00 past a missing reading; the last stands for a typical step.
  const auto level = strand("00:30 2", "01:00 -", "02:00 4", "02:30 6");
  CHECK(
      near(taken(level, hourly({}), integral("level")), {2 * 1800, 2 * 3600, 4 * 1800 + 6 * 1800}));
  CHECK(near(taken(level, hourly({}), twmean("level")), {2, 2, 5}));
}

TEST_CASE("extremes have times, of equals the first", "[resample]") {
  const auto level = strand("00:10 5", "00:20 1", "00:30 5", "00:40 1");
  const auto result = resample(level, hourly({time_of_min("level"), time_of_max("level")}));
  CHECK(result.values().column("level_time_of_max").times()[0] == clock("00:10"));
  CHECK(result.values().column("level_time_of_min").times()[0] == clock("00:20"));
}

TEST_CASE("texts have counts, firsts and modes", "[resample]") {
  const auto gear = timeline_of({{clock("00:10"), clock("00:20"), clock("00:30"), clock("00:40")},
                                 {},
                                 {{"gear", texts_of({"net", "", "line", "line"})}}});
  const auto result = resample(gear, hourly({first("gear"), last("gear"), mode("gear"),
                                             distinct("gear"), take::missing("gear")}));
  CHECK(texts(result, "gear_first") == std::vector<std::string>{"net"});
  CHECK(texts(result, "gear_mode") == std::vector<std::string>{"line"});
  CHECK(readings(result, "gear_distinct") == Readings{2});
  CHECK(readings(result, "gear_missing") == Readings{1});
  CHECK_THROWS_WITH(resample(gear, hourly({mean("gear")})), Catch::Contains("holds text"));
}

TEST_CASE("sums of integers are exact, and never wrap", "[resample]") {
  const std::int64_t big = std::int64_t{1} << 62;
  const auto exact =
      timeline_of({{clock("00:10"), clock("00:20")}, {}, {{"n", integers_of({big, 1})}}});
  const Column total = resample(exact, hourly({sum("n")})).values().column("n_sum");
  CHECK(total.integers()[0] == big + 1);
  const auto over =
      timeline_of({{clock("00:10"), clock("00:20")}, {}, {{"n", integers_of({big, big})}}});
  const Column sum_column = resample(over, hourly({sum("n")})).values().column("n_sum");
  CHECK(sum_column.type() == Column::Type::number);
  CHECK(sum_column.numbers()[0] == std::ldexp(1.0, 63));
}

TEST_CASE("N equal buckets hold the whole span, both its ends", "[resample]") {
  const auto level = strand("00:00 1", "00:10 2", "00:20 3", "00:30 4");
  CHECK(readings(resample(level, {.every = EqualBuckets{3}, .take = {sum("level").as("s")}}),
                 "s") == Readings{1, 2, 7});
  CHECK(readings(
            resample(strand("00:00 1"), {.every = EqualBuckets{1}, .take = {sum("level").as("s")}}),
            "s") == Readings{1});
}

TEST_CASE("calendar days follow the zone", "[resample]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  std::vector<Instant> times;
  for (Instant t = at("2025-10-25T00:00:00+01:00"); t < at("2025-10-28T00:00:00Z"); t += 30min) {
    times.push_back(t);
  }
  const Timeline timeline = timeline_of({times, {}, {}}, dublin);
  CHECK(readings(resample(timeline, {.every = Period::of_days(1), .take = {count()}}), "count") ==
        Readings{48, 50, 48});
}

TEST_CASE("every take agrees with its definition on random rows", "[resample]") {
  const Timeline timeline = random_timeline(1500, 31, 3, 0.3);
  const Readings level = readings(timeline, "level"), weight = readings(timeline, "weight");
  for (const Period every : {Period(1min), Period(17min), Period(5h)}) {
    const Resample options{
        .every = every,
        .take = {count(), sum("level"), mean("level"), min("level"), max("level"), first("level"),
                 last("level"), range("level"), median("level"), var("level"),
                 quantile("level", 0.9), distinct("level"), wmean("level", "weight")}};
    const Timeline result = resample(timeline, options);
    std::map<std::string, Readings> columns;
    for (const auto& name : result.values().names()) columns[name] = readings(result, name);
    std::size_t row = 0;
    const auto length = every.nanoseconds;
    for (std::size_t s = 0; s < timeline.strands().size(); ++s) {
      const Strand& strand = timeline.strands()[s];
      std::map<std::int64_t, std::vector<std::size_t>> buckets;
      const auto bucket_of = [&](Instant t) { return t.time_since_epoch() / length; };
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        buckets[bucket_of(timeline.times()[i])].push_back(i);
      }
      const auto last_bucket = buckets.rbegin()->first;
      for (auto b = buckets.begin()->first; b <= last_bucket; ++b, ++row) {
        REQUIRE(result.times()[row] == Instant(length * b));
        std::vector<double> x;
        double weighted = 0, weights = 0;
        for (const std::size_t i : buckets[b]) {
          if (level[i]) x.push_back(*level[i]);
          if (level[i] && weight[i]) {
            weighted += *level[i] * *weight[i];
            weights += *weight[i];
          }
        }
        const auto check = [&](const char* name, std::optional<double> expected) {
          INFO(name << " in row " << row);
          REQUIRE(near({columns[name][row]}, {expected}));
        };
        const auto n = static_cast<double>(x.size());
        double total = 0, squares = 0;
        for (const double value : x) total += value;
        for (const double value : x) squares += (value - total / n) * (value - total / n);
        std::vector<double> sorted = x;
        std::sort(sorted.begin(), sorted.end());
        const auto some = [&](double value) {
          return x.empty() ? std::nullopt : std::optional(value);
        };
        const auto order = [&](double share) {
          const double position = share * (n - 1);
          const auto below = static_cast<std::size_t>(position);
          const auto above = std::min(below + 1, sorted.size() - 1);
          return sorted[below] +
                 (sorted[above] - sorted[below]) * (position - static_cast<double>(below));
        };
        check("count", static_cast<double>(buckets[b].size()));
        check("level_sum", some(total));
        check("level_mean", some(total / n));
        if (!x.empty()) {
          check("level_min", sorted.front());
          check("level_max", sorted.back());
          check("level_first", x.front());
          check("level_last", x.back());
          check("level_range", sorted.back() - sorted.front());
          check("level_median", order(0.5));
          check("level_q90", order(0.9));
        }
        check("level_var", x.size() < 2 ? std::nullopt : std::optional(squares / (n - 1)));
        check("level_distinct",
              static_cast<double>(std::unique(sorted.begin(), sorted.end()) - sorted.begin()));
        check("level_wmean", weights == 0 ? std::nullopt : std::optional(weighted / weights));
      }
    }
    REQUIRE(row == result.rows());
  }
}

TEST_CASE("sums keep what plain addition loses", "[resample]") {
  std::vector<double> values{1e16};
  for (int i = 0; i < 10'000; ++i) values.push_back(1.0);
  values.push_back(-1e16);
  CHECK(detail::sum_of(values).value() == 10'000);
  CHECK(detail::sum_of(std::vector<double>{1, INFINITY, 2}).value() == INFINITY);
  CHECK(std::isnan(detail::sum_of(std::vector<double>{INFINITY, -INFINITY}).value()));
  CHECK(detail::sum_of(std::vector<double>(7, 0.1)).mean(7) == 0.1);
  // A large mean and a small spread (as in the hard ones of the reference sets for variance).
  std::vector<double> hard;
  for (int i = 0; i < 1001; ++i) hard.push_back(1e9 + (i % 2 == 0 ? 0.25 : 0.75));
  CHECK(std::sqrt(detail::variance_of(hard)) == Approx(0.25012).epsilon(1e-4));
  CHECK(detail::variance_of(std::vector<double>(9, 5.1)) == 0);
}

TEST_CASE("resample names what contradicts itself", "[resample]") {
  const auto level = strand("00:00 1", "01:00 2");
  CHECK_THROWS_AS(resample(level, {}), Error);
  CHECK_THROWS_AS(resample(level, {.every = Period()}), Error);
  CHECK_THROWS_WITH(resample(level, {.every = Period::of_days(7),
                                     .anchor = clock("00:00"),
                                     .week_starts = WeekStart::mon}),
                    Catch::Contains("contradict"));
  CHECK_THROWS_WITH(resample(level, {.every = 1us}), Catch::Contains("3,600,000,001 buckets"));
  CHECK_THROWS_WITH(resample(level, hourly({lag("level")})),
                    Catch::Contains("not a statistic of resample"));
  CHECK(resample(strand("00:00 1", "01:00 2"), {.every = 1us, .empty = Resample::Empty::skip})
            .rows() == 2);
}

TEST_CASE("an empty timeline has no buckets", "[resample]") {
  const Timeline empty = timeline_of({{}, {}, {{"level", column_of({})}}});
  CHECK(resample(empty, hourly({mean("level")})).rows() == 0);
  CHECK(resample(empty, {.every = EqualBuckets{4}}).rows() == 0);
}

TEST_CASE("a row at its bucket's start looks ahead, and so does an empty bucket that is kept",
          "[resample]") {
  CHECK(!reach(Resample{.every = 1h}).causal());
  CHECK(reach(Resample{.every = 1h, .row_at = Resample::RowAt::end, .empty = Resample::Empty::skip})
            .causal());
  CHECK(!reach(Resample{.every = 1h, .row_at = Resample::RowAt::end}).causal());
}

}  // namespace zerobeat::testing
