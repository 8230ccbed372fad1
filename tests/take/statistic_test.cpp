#include <zerobeat/regular/profile.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// A take of the statistic, as it is written.
Take written(const Statistic& row) {
  const std::string word(row.word);
  Take take;
  switch (row.form) {
    case TakeForm::share:
      from_text(word + "(level,0.25)", take);
      break;
    case TakeForm::decay:
      from_text(word + "(level,0.9)", take);
      break;
    case TakeForm::weights:
    case TakeForm::pair:
      from_text(word + "(level,weight)", take);
      break;
    case TakeForm::condition:
      from_text(word + "(level > 2)", take);
      break;
    case TakeForm::joining:
      from_text(word + "(level,linear)", take);
      break;
    default:
      from_text(word + "(level)", take);
  }
  return take;
}

/// How many readings the step makes of it; -1 when the step refuses the statistic by name.
std::int64_t readings_made(TakenBy step, const Take& take, const Timeline& timeline) {
  const std::vector<Take> takes{take.as("made")};
  const auto readings_of = [](const Table& table) {
    const std::string name = table.find("made") ? "made" : "made_open";
    const Column& column = table.column(name);
    return static_cast<std::int64_t>(table.rows() - column.validity().missing());
  };
  const Period hour = std::chrono::hours(1);
  try {
    switch (step) {
      case TakenBy::buckets:
        return readings_of(resample(timeline, {.every = hour, .take = takes}).values());
      case TakenBy::profiles:
        return readings_of(profile(timeline, {.by = {{Part::Kind::hour}}, .take = takes}).table);
      case TakenBy::windows:
        return readings_of(roll(timeline, {.window = Extent(hour), .take = takes}).values());
      default:
        return readings_of(lag(timeline, {.by = 1, .take = takes}).values());
    }
  } catch (const Error& error) {
    CHECK_THAT(error.what(), Catch::Contains("is not a statistic of"));
    return -1;
  }
}

}  // namespace

TEST_CASE("a step has the statistics that the table gives it, and refuses the others by name",
          "[statistic]") {
  const Timeline timeline = random_timeline(500, 7, 2);
  for (const Statistic& row : statistics()) {
    if (row.stat == Stat::own) continue;
    for (const auto step : {TakenBy::buckets, TakenBy::profiles, TakenBy::windows, TakenBy::lags}) {
      INFO(row.word << " in " << static_cast<int>(step));
      const std::int64_t made = readings_made(step, written(row), timeline);
      CHECK((made > 0) == row.is_taken_by(step));
    }
  }
}

TEST_CASE("a take is written as it is read, whatever its form", "[statistic]") {
  for (const Statistic& row : statistics()) {
    if (row.stat == Stat::own) continue;
    const Take take = written(row);
    CHECK(take.stat == row.stat);
    Take again;
    from_text(to_text(take), again);
    CHECK(again == take);
  }
}

TEST_CASE("a word that is no statistic is told the right one", "[statistic]") {
  Stat stat{};
  CHECK_THROWS_WITH(from_text("avg", stat), Catch::Contains("mean"));
  CHECK_THROWS_WITH(from_text("own", stat), Catch::Contains("is not a statistic"));
}

}  // namespace zerobeat::testing
