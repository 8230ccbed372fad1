// What counters rose by, in buckets, windows, parts of the calendar, spells and lags, against the
// plain loop.

#include <zerobeat/clean/spells.hpp>
#include <zerobeat/regular/profile.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// A counter that starts again now and then, with ties and missing readings.
Timeline counters(unsigned seed, int keys = 2) {
  const Timeline random = random_timeline(400, seed, keys);
  std::mt19937 pick(seed);
  Readings meter;
  std::vector<std::optional<std::int64_t>> whole;
  double level = 10;
  for (std::size_t i = 0; i < random.rows(); ++i) {
    level = pick() % 40 == 0 ? 2.5 : level + static_cast<double>(pick() % 9) / 4;
    const bool gone = pick() % 6 == 0;
    meter.push_back(gone ? std::nullopt : std::optional(level));
    whole.push_back(gone ? std::nullopt : std::optional(static_cast<std::int64_t>(level * 4)));
  }
  Timeline::Parts parts = random.parts();
  parts.values = Table(random.rows());
  parts.values.add("meter", column_of(meter));
  parts.values.add("whole", integers_of(whole));
  return Timeline(parts);
}

/// The step that ends at each reading; missing where there is none.
Readings plain_steps(const Timeline& timeline, const std::string& name) {
  const Readings values = readings(timeline, name);
  Readings steps(values.size());
  for (const Strand& strand : timeline.strands()) {
    std::optional<double> before;
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (!values[i]) continue;
      if (before) steps[i] = *values[i] >= *before ? *values[i] - *before : *values[i];
      before = values[i];
    }
  }
  return steps;
}

/// The sum of the steps of rows that `holds`; missing where there is none.
template <typename Holds>
std::optional<double> plain_sum(const Readings& steps, std::size_t from, std::size_t until,
                                Holds&& holds) {
  std::optional<double> sum;
  for (std::size_t i = from; i < until; ++i) {
    if (steps[i] && holds(i)) sum = sum.value_or(0) + *steps[i];
  }
  return sum;
}

}  // namespace

TEST_CASE("in a bucket a counter rises by the steps that end there", "[increase]") {
  for (unsigned seed = 1; seed <= 6; ++seed) {
    const Timeline timeline = counters(seed);
    const Readings steps = plain_steps(timeline, "meter");
    const Timeline hourly =
        resample(timeline, {.every = "30min", .take = {increase("meter"), increase("whole")}});
    CHECK(hourly.values().names() == std::vector<std::string>{"meter_increase", "whole_increase"});
    CHECK(hourly.values().column("whole_increase").type() == Column::Type::integer);
    Readings expected;
    for (std::size_t s = 0; s < hourly.strands().size(); ++s) {
      const Strand& rows = timeline.strands()[s];
      for (std::size_t b = hourly.strands()[s].begin; b < hourly.strands()[s].end; ++b) {
        const Instant start = hourly.times()[b], stop = start + std::chrono::minutes(30);
        expected.push_back(plain_sum(steps, rows.begin, rows.end, [&](std::size_t i) {
          return timeline.times()[i] >= start && timeline.times()[i] < stop;
        }));
      }
    }
    CHECK(near(readings(hourly, "meter_increase"), expected));
  }
}

TEST_CASE("in a window a counter rises by the steps that end in it", "[increase]") {
  for (unsigned seed = 1; seed <= 6; ++seed) {
    const Timeline timeline = counters(seed);
    const Readings steps = plain_steps(timeline, "meter"), values = readings(timeline, "meter");
    const Timeline rolled =
        timeline | Roll{.window = Extents{std::chrono::minutes(9), 4}, .take = {increase("meter")}};
    Readings by_time, by_rows;
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t row = strand.begin; row < strand.end; ++row) {
        const Instant t = timeline.times()[row];
        by_time.push_back(plain_sum(steps, strand.begin, strand.end, [&](std::size_t i) {
          return timeline.times()[i] <= t && timeline.times()[i] > t - std::chrono::minutes(9);
        }));
        // Of so many records all have to be there.
        const std::size_t first = row >= strand.begin + 3 ? row - 3 : row + 1;
        std::int64_t count = 0;
        for (std::size_t i = first; i <= row; ++i) count += values[i].has_value();
        by_rows.push_back(count < 4
                              ? std::nullopt
                              : plain_sum(steps, first, row + 1, [](std::size_t) { return true; }));
      }
    }
    CHECK(near(readings(rolled, "meter_increase_9min"), by_time));
    CHECK(near(readings(rolled, "meter_increase_4"), by_rows));
  }
}

TEST_CASE("a lag's increase is the sum of the steps since the earlier record", "[increase]") {
  for (unsigned seed = 1; seed <= 6; ++seed) {
    const Timeline timeline = counters(seed);
    const Readings steps = plain_steps(timeline, "meter"), values = readings(timeline, "meter");
    const Timeline lagged = timeline | Lag{.by = Extents{3, std::chrono::minutes(5)},
                                           .take = {increase("meter"), increase("whole")}};
    Readings by_rows, by_time;
    for (const Strand& strand : timeline.strands()) {
      for (std::size_t row = strand.begin; row < strand.end; ++row) {
        const auto since = [&](std::size_t before) -> std::optional<double> {
          if (!values[row] || !values[before]) return std::nullopt;
          return plain_sum(steps, before + 1, row + 1, [](std::size_t) { return true; })
              .value_or(0);
        };
        by_rows.push_back(row >= strand.begin + 3 ? since(row - 3) : std::nullopt);
        const Instant until = timeline.times()[row] - std::chrono::minutes(5);
        std::optional<std::size_t> before;
        for (std::size_t i = strand.begin; i < row; ++i) {
          if (values[i] && timeline.times()[i] <= until) before = i;
        }
        by_time.push_back(before ? since(*before) : std::nullopt);
      }
    }
    CHECK(near(readings(lagged, "meter_increase_3"), by_rows));
    CHECK(near(readings(lagged, "meter_increase_5min"), by_time));
    CHECK(lagged.values().column("whole_increase_3").type() == Column::Type::integer);
  }
}

TEST_CASE("along the time between two readings a step is divided", "[increase]") {
  for (unsigned seed = 1; seed <= 6; ++seed) {
    const Timeline timeline = counters(seed);
    const Timeline spread =
        resample(timeline, {.every = "30min", .take = {increase("meter", Joining::linear)}});
    const Readings values = readings(timeline, "meter");
    Readings expected;
    for (std::size_t s = 0; s < spread.strands().size(); ++s) {
      const Strand& rows = timeline.strands()[s];
      for (std::size_t b = spread.strands()[s].begin; b < spread.strands()[s].end; ++b) {
        const Instant start = spread.times()[b], stop = start + std::chrono::minutes(30);
        std::optional<double> sum;
        std::optional<std::size_t> from, before;
        double risen = 0;
        for (std::size_t i = rows.begin; i < rows.end; ++i) {
          if (!values[i]) continue;
          if (before) {
            risen += *values[i] >= *values[*before] ? *values[i] - *values[*before] : *values[i];
          }
          before = i;
          if (!from) from = i;
          // Readings of one time are one: only the last of them ends a step.
          bool more = false;
          for (std::size_t j = i + 1; j < rows.end && timeline.times()[j] == timeline.times()[i];
               ++j) {
            more |= values[j].has_value();
          }
          const Instant t0 = timeline.times()[*from], t1 = timeline.times()[i];
          if (more || t0 == t1) continue;
          const Instant a = std::max(t0, start), z = std::min(t1, stop);
          if (a < z) {
            sum = sum.value_or(0) + risen * std::chrono::duration<double>(z - a).count() /
                                        std::chrono::duration<double>(t1 - t0).count();
          }
          from = i;
          risen = 0;
        }
        expected.push_back(sum);
      }
    }
    INFO(seed);
    CHECK(near(readings(spread, "meter_increase"), expected));
  }
}

TEST_CASE("a counter's first reading, alone, is no step", "[increase]") {
  const Timeline one = strand("00:10 5", "01:10 7", "02:10 3");
  const auto hourly = resample(one, {.every = "1h", .take = {increase("level"), count("level")}});
  CHECK(readings(hourly, "level_increase") == Readings{missing, 2, 3});
  CHECK(readings(hourly, "level_count") == Readings{1, 1, 1});
  CHECK(readings(resample(strand("00:10 5"),
                          {.every = "1h", .take = {increase("level", Joining::linear)}}),
                 "level_increase") == Readings{missing});
}

TEST_CASE("increases go with other takes, profiles and spells", "[increase]") {
  const Timeline one = strand("00:10 5", "00:40 7", "01:10 3", "01:40 9");
  const auto by_hour = profile(one, {.by = {{Part::Kind::hour}},
                                     .take = {mean("level"), increase("level"), max("level")},
                                     .empty = Resample::Empty::skip});
  CHECK(by_hour.takes == std::vector<std::string>{"level_mean", "level_increase", "level_max"});
  CHECK(by_hour.table.column("level_increase").numbers()[0] == 2);
  CHECK(by_hour.table.column("level_increase").numbers()[1] == 9);
  const auto high = spells(one, {.where = "level > 4", .take = {increase("level")}});
  CHECK(high.table.names().back() == "level_increase");
  CHECK(high.table.column("level_increase").numbers()[0] == 2);
  CHECK(high.table.column("level_increase").numbers()[1] == 6);
}

TEST_CASE("what an increase can't be is told", "[increase]") {
  const Timeline one = strand("00:10 5", "00:40 7");
  CHECK_THAT(usage([&] { roll(one, {.window = 2, .take = {increase("level", Joining::linear)}}); }),
             Catch::Contains("window of a period"));
  // From one reading to another there is nothing to divide.
  CHECK(readings(lag(one, {.take = {increase("level", Joining::linear)}}), "level_increase") ==
        Readings{missing, 2});
  Take read;
  from_text("rise=increase(level,linear)", read);
  CHECK(read == increase("level", Joining::linear).as("rise"));
  CHECK(to_text(read) == "rise=increase(level,linear)");
}

}  // namespace zerobeat::testing
