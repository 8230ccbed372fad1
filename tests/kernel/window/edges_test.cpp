// The rows of windows against the plain definition: all rows whose times lie within, at the ends of
// all time, too.

#include "kernel/window/rows.hpp"
#include "support/strand.hpp"
#include "time/forward_shift.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::testing {

namespace {

using detail::RowRange;
using namespace std::chrono_literals;

constexpr Place window_places[] = {Place::trailing, Place::centred, Place::leading};

/// Whether row `other` is in the window of row `own`, by the definition; of a fixed period.
bool is_within(Instant instant, Instant other, std::int64_t length, Place place) {
  const Wide t = nanoseconds_of(instant), u = nanoseconds_of(other);
  switch (place) {
    case Place::trailing:
      return u > t - length && u <= t;
    case Place::leading:
      return u >= t && u < t + length;
    case Place::centred:
      break;
  }
  return u > t - (length - length / 2) && u <= t + length / 2;
}

void check_windows(const std::vector<Instant>& times, const Period& period, Place place) {
  const auto rows = detail::window_rows(times, Extent(period), place, Zone(), 0, times.size());
  REQUIRE(rows.size() == times.size());
  for (std::size_t i = 0; i < times.size(); ++i) {
    std::vector<std::size_t> expected, got;
    for (std::size_t k = 0; k < times.size(); ++k) {
      if (is_within(times[i], times[k], period.nanoseconds.count(), place)) expected.push_back(k);
    }
    for (std::size_t k = rows[i].begin; k < rows[i].end; ++k) got.push_back(k);
    INFO("row " << i << ", " << to_text(period) << " " << to_text(place));
    REQUIRE(got == expected);
  }
}

}  // namespace

TEST_CASE("a window of a period has the rows whose times lie within", "[windows]") {
  std::mt19937 random(3);
  for (int round = 0; round < 20; ++round) {
    std::vector<Instant> times{clock("00:00")};
    for (int i = 0; i < 60; ++i) times.push_back(times.back() + Nanoseconds(random() % 4 * 5));
    for (const auto length : {1, 2, 5, 7, 10, 33, 1000}) {
      for (const Place place : window_places)
        check_windows(times, Period(Nanoseconds(length)), place);
    }
  }
}

TEST_CASE("at both ends of all time nothing is left out that lies within", "[windows]") {
  const Nanoseconds hour = 1h;
  for (const bool at_end : {false, true}) {
    std::vector<Instant> times;
    for (const int hours : {0, 1, 1, 2, 5, 9}) {
      times.push_back(at_end ? Instant::max() - hour * (9 - hours) : Instant::min() + hour * hours);
    }
    for (const Nanoseconds length : {Nanoseconds(1), Nanoseconds(2), hour, 2 * hour, 10 * hour,
                                     Nanoseconds(hour * 1'000'000)}) {
      for (const Place place : window_places) check_windows(times, Period(length), place);
    }
  }
  // Both ends at once, and a window as long as all that there is.
  const std::vector<Instant> both{Instant::min(), clock("00:00"), Instant::max()};
  for (const Place place : window_places) {
    check_windows(both, Period(Nanoseconds::max()), place);
    check_windows(both, Period(hour), place);
  }
}

TEST_CASE("a window of the calendar goes to the end of all time, too", "[windows]") {
  const std::vector<Instant> times{Instant::min(), clock("00:00"), Instant::max()};
  const auto rows = [&](const Period& period, Place place) {
    const auto ranges = detail::window_rows(times, Extent(period), place, Zone(), 0, 3);
    std::vector<std::pair<std::uint32_t, std::uint32_t>> out;
    for (const RowRange& range : ranges) out.emplace_back(range.begin, range.end);
    return out;
  };
  using Ranges = std::vector<std::pair<std::uint32_t, std::uint32_t>>;
  const Period day = Period::of_days(1), age = Period::of_months(12 * 500);
  CHECK(rows(day, Place::trailing) == Ranges{{0, 1}, {1, 2}, {2, 3}});
  CHECK(rows(day, Place::leading) == Ranges{{0, 1}, {1, 2}, {2, 3}});
  CHECK(rows(age, Place::trailing) == Ranges{{0, 1}, {0, 2}, {1, 3}});
  CHECK(rows(age, Place::leading) == Ranges{{0, 2}, {1, 3}, {2, 3}});
}

TEST_CASE("a window of rows has so many, the extra one before", "[windows]") {
  std::vector<Instant> times;
  for (int i = 0; i < 9; ++i) times.push_back(clock("00:00") + std::chrono::minutes(i));
  for (const std::int64_t n : {1, 2, 3, 4, 8, 9, 10}) {
    for (const Place place : window_places) {
      const auto rows = detail::window_rows(times, Extent(n), place, Zone(), 0, times.size());
      for (std::int64_t i = 0; i < 9; ++i) {
        const std::int64_t before = place == Place::trailing  ? n - 1
                                    : place == Place::leading ? 0
                                                              : n / 2;
        const RowRange& range = rows[static_cast<std::size_t>(i)];
        INFO(n << " rows at " << i << ", " << to_text(place));
        CHECK(range.begin == std::max<std::int64_t>(0, i - before));
        CHECK(range.end == std::min<std::int64_t>(9, i - before + n));
      }
    }
  }
}

TEST_CASE("a part of a strand has the windows that the whole has there", "[windows]") {
  std::mt19937 random(9);
  std::vector<Instant> times{clock("00:00")};
  for (int i = 0; i < 500; ++i) times.push_back(times.back() + std::chrono::seconds(random() % 90));
  for (const Extent& window : {Extent(7), Extent(5min), Extent(Period::of_days(1)), Extent(3h)}) {
    for (const Place place : window_places) {
      const auto whole = detail::window_rows(times, window, place, Zone(), 0, times.size());
      for (const std::size_t from : {1u, 100u, 333u}) {
        const auto part = detail::window_rows(times, window, place, Zone(), from, from + 100);
        for (std::size_t i = 0; i < part.size(); ++i) {
          REQUIRE(part[i].begin == whole[from + i].begin);
          REQUIRE(part[i].end == whole[from + i].end);
        }
      }
    }
  }
}

TEST_CASE("edges of windows lie where the period and the zone put them", "[windows]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  const detail::WindowEdges day(Period::of_days(1), Place::trailing, dublin);
  // The day on which the clocks go back has 25 hours.
  CHECK(day.low(at("2025-10-26T12:00:00Z")) == at("2025-10-25T11:00:00Z"));
  CHECK(day.high(at("2025-10-26T12:00:00Z")) == at("2025-10-26T12:00:00Z"));
  const detail::WindowEdges centred(Period::of_days(2), Place::centred, dublin);
  CHECK(centred.low(at("2025-10-26T12:00:00Z")) == at("2025-10-25T11:00:00Z"));
  CHECK(centred.high(at("2025-10-26T12:00:00Z")) == at("2025-10-27T12:00:00Z"));
  const detail::WindowEdges hours(Period(3h), Place::leading, dublin);
  CHECK(hours.holds_low());
  CHECK(hours.high(at("2025-10-26T00:30:00Z")) == at("2025-10-26T03:30:00Z"));
  CHECK(!hours.ends_after_all(clock("00:00")));
  CHECK(hours.ends_after_all(Instant::max()));
  CHECK(!hours.begins_before_all(Instant::min()));
  CHECK(day.begins_before_all(Instant::min()));
}

}  // namespace zerobeat::testing
