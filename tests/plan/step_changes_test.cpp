#include "plan/step_changes.hpp"

#include <random>
#include <set>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline with_levels(const Timeline& timeline, const Readings& readings,
                     const char* name = "level") {
  auto parts = timeline.parts();
  parts.values = Table(timeline.rows());
  parts.values.add(name, column_of(readings));
  return Timeline(parts);
}

Readings levels_of(const Timeline& timeline) {
  const Column numbers = timeline.values().column("level").as_numbers();
  Readings readings;
  for (std::size_t row = 0; row < timeline.rows(); ++row) {
    readings.push_back(numbers.valid(row) ? std::optional(numbers.numbers()[row]) : missing);
  }
  return readings;
}

const StepAccount clipped{.step = "clip", .cells_clipped = 1};

}  // namespace

TEST_CASE("the readings that a step changed are those that a plain loop finds", "[page]") {
  std::mt19937 random(44);
  for (unsigned again = 0; again < 40; ++again) {
    const Timeline before = random_timeline(300, 70 + again, 3, 0.2);
    Readings readings = levels_of(before);
    for (auto& reading : readings) {
      if (random() % 9 == 0) reading = random() % 2 == 0 ? missing : std::optional(500.0);
    }
    const Timeline after = with_levels(before, readings);
    const Readings old = levels_of(before);
    std::vector<std::size_t> plain;
    for (std::size_t row = 0; row < old.size(); ++row) {
      if (old[row] != readings[row]) plain.push_back(row);
    }
    detail::StepChanges changes;
    changes.note(7, clipped, {&before, 1}, after);
    REQUIRE(changes.all_changes() == static_cast<std::int64_t>(plain.size()));
    for (std::size_t i = 0; i < plain.size(); ++i) {
      const PageChange& change = changes.changes()[i];
      CHECK(change.step == 7);
      CHECK(change.at == before.times()[plain[i]]);
      CHECK(change.time == to_text(change.at));
      CHECK(change.before == old[plain[i]]);
      CHECK(change.after == readings[plain[i]]);
    }
  }
}

TEST_CASE("the stretch that is shown is where most was changed", "[page]") {
  std::vector<Instant> times;
  Readings old, readings;
  for (int i = 0; i < 20'000; ++i) {
    times.push_back(clock("00:00") + std::chrono::minutes(i));
    old.push_back(std::sin(i / 40.0));
    const bool one = i == 900, many = i >= 15'000 && i < 15'020;
    readings.push_back(one ? 3.0 : many ? missing : old.back());
  }
  const Timeline before = timeline_of({times, {}, {{"level", column_of(old)}}});
  detail::StepChanges changes;
  changes.note(0, clipped, {&before, 1}, with_levels(before, readings));
  REQUIRE(changes.stretches().size() == 1);
  const PageStretch& stretch = changes.stretches()[0];
  CHECK(stretch.before.size() < 200);
  CHECK(stretch.before.front().first <= times[15'000]);
  CHECK(stretch.before.back().first >= times[15'019]);
  CHECK(stretch.after.size() == stretch.before.size());
  const auto missing_rows =
      std::ranges::count_if(stretch.after, [](const auto& row) { return !row.second; });
  CHECK(missing_rows == 20);
  CHECK(changes.all_changes() == 21);
}

TEST_CASE("a step that makes other rows is shown where its readings were furthest apart",
          "[page]") {
  std::vector<Instant> times, hours;
  Readings old, means;
  for (int i = 0; i < 6'000; ++i) {
    times.push_back(clock("00:00") + std::chrono::minutes(i));
    old.push_back(i == 4'321 ? 80.0 : 1.0);
    if (i % 60 != 0) continue;
    hours.push_back(times.back());
    means.push_back(1.0);
  }
  const Timeline before = timeline_of({times, {}, {{"level", column_of(old)}}});
  const Timeline after = timeline_of({hours, {}, {{"level_mean", column_of(means)}}});
  detail::StepChanges changes;
  changes.note(0, {.step = "resample"}, {&before, 1}, after);
  REQUIRE(changes.stretches().size() == 1);
  const PageStretch& stretch = changes.stretches()[0];
  CHECK(stretch.column == "level_mean");
  CHECK(std::ranges::any_of(stretch.before, [](const auto& row) { return row.second == 80.0; }));
  // What is not filled or clipped is no changed reading.
  CHECK(changes.all_changes() == 0);
}

TEST_CASE("a step that leaves the readings is shown nowhere; of many changes the first are kept",
          "[page]") {
  const Timeline before = random_timeline(5'000, 3, 2, 0.1);
  detail::StepChanges changes;
  changes.note(0, clipped, {&before, 1}, before);
  CHECK(changes.stretches().empty());
  CHECK(changes.all_changes() == 0);
  changes.note(1, clipped, {&before, 1}, with_levels(before, Readings(before.rows(), 777.0)));
  CHECK(changes.all_changes() == static_cast<std::int64_t>(before.rows()));
  CHECK(changes.changes().size() == 2'000);
  CHECK(changes.stretches().size() == 1);
}

}  // namespace zerobeat::testing
