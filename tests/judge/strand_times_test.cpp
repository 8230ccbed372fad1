#include "judge/strand_times.hpp"

#include <algorithm>
#include <map>
#include <zerobeat/judge/judge.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace detail;
using namespace std::chrono_literals;

constexpr std::int64_t second = 1'000'000'000;

/// A strand whose records arrived in this order.
struct Arrived {
  std::vector<Instant> times, sorted;
  std::vector<std::int64_t> rows, sorted_rows;

  explicit Arrived(const std::vector<double>& seconds) {
    for (const double s : seconds) {
      times.push_back(instant_of(static_cast<std::int64_t>(s * 1e9) + 1'760'000'000 * second));
    }
    for (std::size_t i = 0; i < times.size(); ++i) rows.push_back(static_cast<std::int64_t>(i));
    sorted_rows = rows;
    std::stable_sort(sorted_rows.begin(), sorted_rows.end(), [&](auto a, auto b) {
      return times[static_cast<std::size_t>(a)] < times[static_cast<std::size_t>(b)];
    });
    for (const auto row : sorted_rows) sorted.push_back(times[static_cast<std::size_t>(row)]);
  }
  StrandTimes view() const {
    return {sorted, sorted_rows, times, rows, 0, std::ranges::is_sorted(times)};
  }
};

std::vector<double> beats(int n, double step, double from = 0) {
  std::vector<double> out;
  for (int i = 0; i < n; ++i) out.push_back(from + i * step);
  return out;
}

}  // namespace

TEST_CASE("steps are counted as a plain loop counts them", "[judge]") {
  std::mt19937 random(7);
  for (const int n : {1, 2, 3, 100, 4095, 4096, 4097, 20'000}) {
    std::vector<double> seconds;
    double t = 0;
    for (int i = 0; i < n; ++i) {
      const auto kind = random() % 50;
      t += kind == 0 ? 0 : kind == 1 ? 100 : 1 + static_cast<double>(random() % 5) / 100;
      seconds.push_back(t);
    }
    const Arrived strand(seconds);
    const Nanoseconds typical = typical_step(strand.sorted).value_or(1s);
    const Steps steps = look_at_steps(strand.view(), typical, 3, Calendar(), Zone());
    std::int64_t duplicates = 0, off = 0, first_off = -1;
    std::vector<std::int64_t> gaps;
    for (std::size_t i = 1; i < strand.sorted.size(); ++i) {
      const std::int64_t step = (strand.sorted[i] - strand.sorted[i - 1]).count();
      if (step == 0) {
        ++duplicates;
      } else if (step > 3 * typical.count()) {
        gaps.push_back(static_cast<std::int64_t>(i));
      } else if (std::abs(step - typical.count()) > typical.count() / 100) {
        if (off++ == 0) first_off = static_cast<std::int64_t>(i);
      }
    }
    CHECK(steps.duplicates == duplicates);
    CHECK(steps.off == off);
    CHECK(steps.first_off_row == first_off);
    REQUIRE(steps.gaps.size() == gaps.size());
    for (std::size_t i = 0; i < gaps.size(); ++i) CHECK(steps.gaps[i].row == gaps[i]);
  }
}

TEST_CASE("the typical step of many is the median of all", "[judge]") {
  std::mt19937_64 random(9);
  for (const std::uint64_t spread : {1ULL, 3ULL, 1000ULL, 1'000'000'000ULL}) {
    std::vector<Instant> times;
    std::vector<std::int64_t> steps;
    std::int64_t t = 0;
    for (int i = 0; i < 100'001; ++i) {
      times.push_back(instant_of(t));
      const auto step =
          static_cast<std::int64_t>(random() % spread) + (random() % 100 == 0 ? 0 : 1);
      if (i < 100'000 && step != 0) steps.push_back(step);
      t += step;
    }
    std::ranges::sort(steps);
    const std::int64_t low = steps[(steps.size() - 1) / 2], high = steps[steps.size() / 2];
    CHECK(typical_step(times) == Nanoseconds(low + (high - low) / 2));
  }
}

TEST_CASE("a clock that is away and comes back is told from what comes late", "[judge]") {
  const auto jumps = [](const std::vector<double>& seconds) {
    return clock_jumps(Arrived(seconds).view(), 1s, 3);
  };
  auto ahead = beats(100, 1);
  for (int i = 40; i < 50; ++i) ahead[static_cast<std::size_t>(i)] += 3600;
  REQUIRE(jumps(ahead).size() == 1);
  CHECK(jumps(ahead)[0].row == 40);
  CHECK(jumps(ahead)[0].records == 10);
  CHECK(jumps(ahead)[0].by == 3600 * second);

  auto back = beats(100, 1);
  for (std::size_t i = 60; i < 100; ++i) back[i] -= 30;
  REQUIRE(jumps(back).size() == 1);
  CHECK(jumps(back)[0].row == 60);
  CHECK(jumps(back)[0].records == 0);
  CHECK(jumps(back)[0].by == -30 * second);

  // Ten records that come a minute late, and one that does.
  auto late = beats(60, 1);
  for (const double t : beats(40, 1, 70)) late.push_back(t);
  for (const double t : beats(10, 1, 60)) late.push_back(t);
  for (const double t : beats(40, 1, 110)) late.push_back(t);
  CHECK(jumps(late).empty());
  auto one = beats(100, 1);
  std::rotate(one.begin() + 20, one.begin() + 21, one.begin() + 40);
  CHECK(jumps(one).empty());
  CHECK(jumps(beats(100, 1)).empty());
}

TEST_CASE("a rate that changes for good is found where it does", "[judge]") {
  auto seconds = beats(300, 60);
  for (const double t : beats(300, 15, seconds.back() + 15)) seconds.push_back(t);
  const auto changes = rate_changes(Arrived(seconds).view());
  REQUIRE(changes.size() == 1);
  CHECK(changes[0].row == 300);
  CHECK(changes[0].before == 60 * second);
  CHECK(changes[0].after == 15 * second);
  CHECK(rate_changes(Arrived(beats(600, 60)).view()).empty());
  // A dropout is no change of rate, nor are bursts.
  auto dropout = beats(300, 60);
  for (const double t : beats(300, 60, 50'000)) dropout.push_back(t);
  CHECK(rate_changes(Arrived(dropout).view()).empty());
  std::mt19937 random(2);
  std::vector<double> bursts{0};
  for (int i = 0; i < 2000; ++i) {
    bursts.push_back(bursts.back() +
                     (random() % 10 == 0 ? 300 : 1 + static_cast<double>(random() % 30)));
  }
  CHECK(rate_changes(Arrived(bursts).view()).empty());
}

TEST_CASE("a clock that stands still is told from ties", "[judge]") {
  auto stuck = beats(50, 1);
  for (std::size_t i = 20; i < 27; ++i) stuck[i] = 20;
  CHECK(stuck_clock(Arrived(stuck).view()).count == 7);
  CHECK(stuck_clock(Arrived(stuck).view()).first_row == 20);
  std::vector<double> ties;
  for (int i = 0; i < 100; ++i) {
    for (int k = 0; k < i % 7; ++k) ties.push_back(i);
  }
  CHECK(stuck_clock(Arrived(ties).view()).count == 0);
}

TEST_CASE("days off are no gap", "[judge]") {
  std::vector<Instant> fridays{at("2025-10-22"), at("2025-10-23"), at("2025-10-24"),
                               at("2025-10-28"), at("2025-10-29")};
  StrandTimes times;
  times.sorted = times.arrived = fridays;
  using namespace std::chrono;
  const Calendar calendar(Weekend{}, {local_days(2025y / October / 27)});
  CHECK(look_at_steps(times, 24h, 3, Calendar(), Zone()).gaps.size() == 1);
  CHECK(look_at_steps(times, 24h, 3, calendar, Zone()).gaps.empty());
}

TEST_CASE("runs of equal readings add up in parts as they do in one", "[judge]") {
  std::mt19937 random(4);
  for (int round = 0; round < 400; ++round) {
    std::vector<double> values;
    const auto distinct = 1 + random() % 4;
    while (values.size() < 1 + random() % 120) {
      const auto length = random() % 5 == 0 ? random() % 40 : 1;
      const auto value = static_cast<double>(random() % distinct);
      for (unsigned i = 0; i <= length; ++i) values.push_back(value);
    }
    ReadingRuns one, parts;
    for (std::size_t i = 0; i < values.size(); ++i)
      one.add(values[i], static_cast<std::int64_t>(i));
    for (std::size_t at = 0; at < values.size();) {
      const std::size_t n = std::min<std::size_t>(1 + random() % 30, values.size() - at);
      ReadingRuns part;
      const std::size_t half = random() % (n + 1);
      const std::span<const double> own(values.data() + at, n);
      part.add(own.first(half), 0);
      part.add(own.subspan(half), static_cast<std::int64_t>(half));
      parts.append(part, static_cast<std::int64_t>(at));
      at += n;
    }
    const auto a = one.stuck(), b = parts.stuck();
    REQUIRE(a.runs == b.runs);
    REQUIRE(a.readings == b.readings);
    REQUIRE(a.first_row == b.first_row);
    REQUIRE(a.longest == b.longest);
  }
  ReadingRuns runs;
  for (int i = 0; i < 200; ++i) runs.add(i >= 100 && i < 112 ? 5 : i % 3, i);
  CHECK(runs.stuck().readings == 12);
  CHECK(runs.stuck().first_row == 100);
  ReadingRuns constant;
  for (int i = 0; i < 200; ++i) constant.add(1, i);
  CHECK(constant.stuck().runs == 0);
}

TEST_CASE("a sentinel is found by its definition, in parts as in one", "[judge]") {
  std::mt19937 random(8);
  int found = 0;
  for (int round = 0; round < 600; ++round) {
    const double sentinel = std::array{-999.0, 9999.0, -32768.0, 7.5}[random() % 4];
    const unsigned often = std::array{0U, 3U, 50U, 700U}[random() % 4];
    std::vector<double> values(1 + random() % 2000);
    for (double& value : values) {
      value = static_cast<double>(random() % 100) / 10;
      if (often > 0 && random() % often == 0) value = sentinel;
    }
    zerobeat::Extremes one, parts;
    one.add(values, 0);
    for (std::size_t at = 0; at < values.size();) {
      const std::size_t n = std::min<std::size_t>(1 + random() % 900, values.size() - at);
      zerobeat::Extremes part;
      const std::size_t half = random() % (n + 1);
      part.add(std::span(values).subspan(at, half), 0);
      part.add(std::span(values).subspan(at + half, n - half), static_cast<std::int64_t>(half));
      parts.append(part, static_cast<std::int64_t>(at));
      at += n;
    }
    // By the definition: at an end, three times or more, further from the rest than they are wide.
    const auto count = std::ranges::count(values, sentinel);
    std::vector<double> others;
    std::ranges::copy_if(values, std::back_inserter(others),
                         [&](double x) { return x != sentinel; });
    const bool expected = sentinel != 7.5 && count >= 3 && others.size() > 1 &&
                          std::ranges::max(others) > std::ranges::min(others);
    for (const zerobeat::Extremes& extremes : {one, parts}) {
      CHECK(extremes.least() == std::ranges::min(values));
      CHECK(extremes.greatest() == std::ranges::max(values));
      const auto seen = extremes.sentinel();
      REQUIRE(seen.has_value() == expected);
      if (!seen) continue;
      ++found;
      REQUIRE(seen->value == sentinel);
      REQUIRE(seen->count == count);
      REQUIRE(seen->first_row == std::ranges::find(values, sentinel) - values.begin());
      REQUIRE(seen->others_least == std::ranges::min(others));
      REQUIRE(seen->others_greatest == std::ranges::max(others));
    }
  }
  CHECK(found > 100);
}

TEST_CASE("records near their place and records anywhere are put in order", "[settle]") {
  std::mt19937 random(6);
  for (const std::size_t reach : {std::size_t{50}, std::size_t{3000}, std::size_t{30'000}}) {
    std::vector<std::string> texts;
    Readings readings;
    std::vector<std::pair<std::size_t, int>> order;
    for (int i = 0; i < 30'000; ++i)
      order.emplace_back(static_cast<std::size_t>(i) + random() % reach, i);
    std::ranges::sort(order);
    Records records;
    Buffer<Instant> times(order.size());
    std::vector<std::pair<std::int64_t, double>> expected;
    for (std::size_t i = 0; i < order.size(); ++i) {
      times[i] = instant_of(order[i].second / 2 * second);
      readings.push_back(static_cast<double>(i));
      expected.emplace_back(nanoseconds_of(times[i]), static_cast<double>(i));
    }
    records.time.name = "time";
    records.times = Column::times(std::move(times));
    records.values = Table(order.size());
    records.values.add("row", column_of(readings));
    records.source = std::make_shared<SourceAccount>();
    Places places;
    const Places::Run run{0, 1};
    places.add_rows(0, 1, order.size(), {&run, 1});
    records.places = std::make_shared<const Places>(std::move(places));
    std::ranges::stable_sort(expected, {}, &std::pair<std::int64_t, double>::first);
    const Timeline settled = settle(records);
    const auto rows = settled.values().column("row").numbers();
    bool same = true;
    for (std::size_t i = 0; i < expected.size(); ++i) same &= rows[i] == expected[i].second;
    CHECK(same);
  }
}

}  // namespace zerobeat::testing
