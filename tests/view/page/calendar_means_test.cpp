#include "view/page/calendar_means.hpp"

#include <cmath>
#include <map>
#include <random>
#include <zerobeat/time/grid.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

using namespace std::chrono_literals;

namespace {

/// Readings at random times about the turn of a clock, in order.
Timeline readings_in(const std::string& zone, const std::string& about, unsigned seed) {
  std::mt19937 random(seed);
  std::vector<Instant> times;
  const Instant middle = at(about);
  for (int i = 0; i < 600; ++i) {
    const auto seconds = static_cast<std::int64_t>(random() % (9 * 86'400)) - 4 * 86'400;
    times.push_back(middle + std::chrono::seconds(seconds));
  }
  std::ranges::sort(times);
  Readings levels;
  for (std::size_t i = 0; i < times.size(); ++i) {
    levels.push_back(random() % 5 == 0 ? std::optional<double>()
                                       : static_cast<double>(random() % 1000) / 10);
  }
  auto parts = timeline_of({times, {}, {{"level", column_of(levels)}}}).parts();
  parts.zone = Zone(zone);
  return Timeline(parts);
}

/// Sums by what a function makes of a time.
template <typename Key>
std::map<std::int64_t, detail::Mean> plain_means(const Timeline& timeline, const Key& key) {
  std::map<std::int64_t, detail::Mean> means;
  const Column& numbers = timeline.values().column("level");
  for (std::size_t row = 0; row < timeline.rows(); ++row) {
    if (numbers.valid(row)) means[key(timeline.times()[row])].add({numbers.numbers()[row], 1});
  }
  return means;
}

void check_same(const std::vector<detail::Mean>& means, std::int64_t first,
                const std::map<std::int64_t, detail::Mean>& plain) {
  std::int64_t told = 0;
  for (std::size_t i = 0; i < means.size(); ++i) {
    const auto known = plain.find(first + static_cast<std::int64_t>(i));
    CHECK(means[i].count == (known == plain.end() ? 0 : known->second.count));
    if (known == plain.end()) continue;
    ++told;
    CHECK(means[i].value() == Approx(known->second.value()));
  }
  CHECK(told == static_cast<std::int64_t>(plain.size()));
}

}  // namespace

TEST_CASE("means by the calendar are what a plain loop makes of them", "[page]") {
  struct Turn {
    const char *zone, *about;
  };
  // Back and forward, by half an hour, over a year's end, and where midnight is skipped.
  const Turn turns[] = {
      {"UTC", "2025-10-26T00:00:00Z"},           {"Europe/Dublin", "2025-10-26T00:00:00Z"},
      {"Europe/Dublin", "2026-03-29T00:00:00Z"}, {"Australia/Lord_Howe", "2025-04-06T00:00:00Z"},
      {"Asia/Kolkata", "2025-12-31T12:00:00Z"},  {"America/Asuncion", "2023-10-01T00:00:00Z"}};
  unsigned seed = 5;
  for (const Turn& turn : turns) {
    INFO(turn.zone << ", " << turn.about);
    const Timeline timeline = readings_in(turn.zone, turn.about, ++seed);
    const Zone zone = timeline.zone();
    const detail::CalendarDays days =
        detail::calendar_days(timeline.times().front(), timeline.times().back(), zone);
    const auto means = detail::calendar_means(timeline, timeline.strands()[0],
                                              timeline.values().column("level"), days, true);
    const auto local_day = [&](Instant t) {
      return std::chrono::floor<std::chrono::days>(zone.local_of(t));
    };
    const auto month = [&](Instant t) {
      const std::chrono::year_month_day date(local_day(t));
      return (static_cast<int>(date.year()) - days.first_year) * 12 +
             static_cast<std::int64_t>(static_cast<unsigned>(date.month())) - 1;
    };
    check_same(means.months, 0, plain_means(timeline, month));
    check_same(means.quarters, 0, plain_means(timeline, [&](Instant t) { return month(t) / 3; }));
    check_same(means.years, 0, plain_means(timeline, [&](Instant t) { return month(t) / 12; }));
    const std::chrono::local_days new_year(std::chrono::year(days.first_year) /
                                           std::chrono::January / 1);
    check_same(means.days, static_cast<std::int64_t>(means.first_day),
               plain_means(timeline, [&](Instant t) { return (local_day(t) - new_year).count(); }));

    // Hours count from the first instant of their day.
    const Grid grid(std::chrono::days(1), {.zone = zone});
    const auto hour = [&](Instant t) {
      std::int64_t before = 0;
      const std::int64_t day = grid.index_of(t);
      const std::int64_t first =
          new_year.time_since_epoch().count() + static_cast<std::int64_t>(means.first_day);
      for (std::int64_t d = first; d < day; ++d) {
        before += (grid.edge(d + 1) - grid.edge(d) + 1h - Nanoseconds(1)) / Nanoseconds(1h);
      }
      return before + (t - grid.edge(day)) / Nanoseconds(1h);
    };
    check_same(means.hours, 0, plain_means(timeline, hour));

    // The week is that of the clock at the start of each such hour.
    const auto in_week = [&](Instant t) {
      const Instant start = grid.edge(grid.index_of(t));
      const auto local = zone.local_of(start + (t - start) / Nanoseconds(1h) * Nanoseconds(1h));
      const auto midnight = std::chrono::floor<std::chrono::days>(local);
      return static_cast<std::int64_t>(std::chrono::weekday(midnight).iso_encoding() - 1) * 24 +
             (local - midnight) / Nanoseconds(1h);
    };
    check_same({means.week.begin(), means.week.end()}, 0, plain_means(timeline, in_week));
  }
}

TEST_CASE("a day has as many hours as its clock shows, the last one cut", "[page]") {
  const auto hours = [](const char* zone, const char* noon) {
    const auto days = detail::calendar_days(at(noon), at(noon), Zone(zone));
    return days.hours_of(days.day_of(at(noon)));
  };
  CHECK(hours("UTC", "2025-10-26T12:00:00Z") == 24);
  CHECK(hours("Europe/Dublin", "2025-10-26T12:00:00Z") == 25);
  CHECK(hours("Europe/Dublin", "2026-03-29T12:00:00Z") == 23);
  CHECK(hours("Australia/Lord_Howe", "2025-04-06T01:00:00Z") == 25);  // 24 and a half
  const auto years = detail::calendar_days(at("2024-12-31T23:30:00Z"), at("2025-01-01T00:30:00Z"),
                                           Zone("Europe/Berlin"));
  CHECK(years.first_year == 2025);
  CHECK(years.years == 1);
  CHECK(years.days() == 365);
  CHECK(years.edges.front() == at("2024-12-31T23:00:00Z"));
  CHECK(years.edges.back() == at("2025-12-31T23:00:00Z"));
}

TEST_CASE("means by the calendar reach to the ends of time", "[page]") {
  const Timeline ends =
      timeline_of({{Instant::min(), Instant::max()}, {}, {{"level", column_of({1, 2})}}});
  const auto days = detail::calendar_days(Instant::min(), Instant::max(), Zone());
  CHECK(days.first_year == 1677);
  CHECK(days.years == 586);
  const auto means =
      detail::calendar_means(ends, ends.strands()[0], ends.values().column("level"), days, false);
  CHECK(means.years.front().value() == 1);
  CHECK(means.years.back().value() == 2);
  CHECK(means.hours.empty());
  CHECK(std::isnan(means.years[1].value()));
}

}  // namespace zerobeat::testing
