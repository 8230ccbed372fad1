#include <map>
#include <zerobeat/regular/resample.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

Amount amount(const char* text) {
  Amount read;
  from_text(text, read);
  return read;
}

}  // namespace

TEST_CASE("no record is in two buckets, and none in neither", "[buckets]") {
  for (const int keys : {1, 3}) {
    const Timeline timeline = random_timeline(3000, 51, keys);
    for (const auto& options :
         std::vector<Resample>{{.every = 1min},
                               {.every = 7min},
                               {.every = Period::of_days(1)},
                               {.every = EqualBuckets{17}},
                               {.every = ByCount{41}},
                               {.every = BySum{amount("kg:500")}},
                               {.every = 1min, .empty = Resample::Empty::skip}}) {
      for (const auto closed : {Resample::Edge::start, Resample::Edge::end}) {
        Resample resampling = options;
        resampling.take = {count(), sum("kg")};
        const bool by_time = std::holds_alternative<Every>(resampling.every) ||
                             std::holds_alternative<EqualBuckets>(resampling.every);
        if (by_time) resampling.edge = closed;
        const Timeline out = resample(timeline, resampling);
        double records = 0, kg = 0, all_kg = 0;
        for (const auto& n : readings(out, "count")) records += *n;
        for (const auto& n : readings(out, "kg_sum")) kg += n.value_or(0);
        for (const auto& n : readings(timeline, "kg")) all_kg += n.value_or(0);
        INFO(describe_options(resampling));
        CHECK(records == static_cast<double>(timeline.rows()));
        CHECK(kg == all_kg);
      }
    }
  }
}

TEST_CASE("long strands are split, and come out as one", "[buckets]") {
  // Longer than a task, with runs of one instant and long silences.
  std::mt19937 random(52);
  std::vector<Instant> times;
  Instant t = at("1969-12-30T00:00:00Z");
  for (int i = 0; i < 400'000; ++i) {
    if (random() % 3 != 0) t += std::chrono::milliseconds(random() % 2000);
    if (i == 131'000) t += 50h;
    if (i > 200'000 && i < 340'000) t = times.back();
    times.push_back(t);
  }
  const Timeline timeline = timeline_of({times, {}, {}});
  for (const auto empty : {Resample::Empty::keep, Resample::Empty::skip}) {
    for (const auto closed : {Resample::Edge::start, Resample::Edge::end}) {
      const Timeline out =
          resample(timeline, {.every = 7s, .take = {count()}, .edge = closed, .empty = empty});
      std::map<std::int64_t, double> plain;
      for (const Instant instant : times) {
        const Instant place = closed == Resample::Edge::end ? instant - Nanoseconds(1) : instant;
        std::int64_t n = place.time_since_epoch() / 7s;
        while (Instant(7s * n) > place) --n;
        ++plain[n];
      }
      const auto& counts = out.values().column("count").integers();
      double total = 0;
      for (const auto count : counts) total += static_cast<double>(count);
      CHECK(total == 400'000);
      if (empty == Resample::Empty::skip) {
        REQUIRE(out.rows() == plain.size());
        std::size_t row = 0;
        for (const auto& [n, number] : plain) {
          REQUIRE(out.times()[row] == Instant(7s * n));
          REQUIRE(static_cast<double>(counts[row++]) == number);
        }
      } else {
        REQUIRE(out.rows() ==
                static_cast<std::size_t>(plain.rbegin()->first - plain.begin()->first + 1));
      }
    }
  }
}

TEST_CASE("buckets close by count and by sum, the last one short", "[buckets]") {
  const auto trades =
      timeline_of({{clock("00:00"), clock("00:10"), clock("00:10"), clock("00:30"), clock("00:40")},
                   {},
                   {{"kg", integers_of({400, 700, std::nullopt, 300, 100})}}});
  Resample options{.every = ByCount{2}, .take = {count(), sum("kg").as("kg")}};
  options.partial = Resample::Partial::mark;
  const Timeline by_count = resample(trades, options);
  CHECK(clocks(by_count) == std::vector<std::string>{"00:00", "00:10", "00:40"});
  CHECK(readings(by_count, "kg") == Readings{1100, 300, 100});
  CHECK(readings(by_count, "partial") == Readings{0, 0, 1});
  options.row_at = Resample::RowAt::end;
  CHECK(clocks(resample(trades, options)) == std::vector<std::string>{"00:10", "00:30", "00:40"});

  Resample by_sum{.every = BySum{amount("kg:1000")}, .take = {count(), sum("kg").as("kg")}};
  CHECK(readings(resample(trades, by_sum), "kg") == Readings{1100, 400});
  CHECK(readings(resample(trades, by_sum), "count") == Readings{2, 3});
  by_sum.partial = Resample::Partial::drop;
  const Timeline dropped = resample(trades, by_sum);
  CHECK(readings(dropped, "kg") == Readings{1100});
  CHECK_THAT(dropped.account().last().notes.at(0),
             Catch::Contains("1 partial buckets were dropped"));
}

TEST_CASE("equal buckets end at the last record, which the last one holds", "[buckets]") {
  using RowAt = Resample::RowAt;
  using Edge = Resample::Edge;
  const auto level = strand("00:00 1", "00:20 2", "00:40 4", "01:00 8");
  const auto three = [&](RowAt row_at, Edge edge) {
    return resample(
        level,
        {.every = EqualBuckets{3}, .take = {sum("level").as("s")}, .row_at = row_at, .edge = edge});
  };
  const Timeline starts = three(RowAt::start, Edge::start), ends = three(RowAt::end, Edge::start);
  CHECK(readings(starts, "s") == Readings{1, 2, 12});
  CHECK(readings(ends, "s") == Readings{1, 2, 12});
  CHECK(clocks(starts) == std::vector<std::string>{"00:00", "00:20", "00:40"});
  CHECK(ends.times().back() == clock("01:00"));
  CHECK(ends.times()[0] == clock("00:20"));
  const Timeline late = three(RowAt::start, Edge::end);
  CHECK(readings(late, "s") == Readings{3, 4, 8});
  CHECK(late.times().front() == clock("00:00"));
  for (const Edge edge : {Edge::start, Edge::end}) {
    const Timeline one =
        resample(strand("00:00 7", "00:00 5"),
                 {.every = EqualBuckets{2}, .take = {sum("level").as("s")}, .edge = edge});
    double sum = 0;
    for (const auto& reading : readings(one, "s")) sum += reading.value_or(0);
    CHECK(sum == 12);
  }
}

TEST_CASE("levels stand by time, the longest first", "[buckets]") {
  const auto level = strand("2025-01-31T12:00 1", "2025-02-01T12:00 3", "2025-04-02T12:00 8");
  const Timeline out = resample(
      level, {.every = Every{Period::of_months(1), Period::of_months(12), Period::of_months(3)},
              .take = {sum("level").as("s")}});
  CHECK(texts(out, "level") == std::vector<std::string>{"1year", "3month", "1month", "1month",
                                                        "1month", "3month", "1month"});
  CHECK(readings(out, "s") == Readings{12, 4, 1, 3, missing, 8, 8});
  for (std::size_t i = 1; i < out.rows(); ++i) CHECK(out.times()[i - 1] <= out.times()[i]);
  CHECK_THROWS_WITH(
      resample(level, {.every = Every{1h, Period::of_days(1)}, .take = {sum("level").as("level")}}),
      Catch::Contains("two columns would be named"));
  CHECK_THROWS_WITH(resample(level, {.every = Every{1h, 60min}}), Catch::Contains("twice"));
}

TEST_CASE("what is outside the hours is left out, and told", "[buckets]") {
  Hours hours;
  from_text("09:00-10:00", hours);
  const auto level = strand("08:59 1", "09:00 2", "09:59 3", "10:00 4", "2025-10-21T09:30 5",
                            "2025-10-21T23:00 6");
  const Timeline out =
      resample(level, {.every = 30min, .take = {sum("level").as("s")}, .hours = hours});
  CHECK(clocks(out) == std::vector<std::string>{"09:00", "09:30", "09:00", "09:30"});
  CHECK(readings(out, "s") == Readings{2, 3, missing, 5});
  CHECK_THAT(out.account().last().notes.at(0), Catch::Contains("3 records outside the hours"));
  const Timeline skipped = resample(level, {.every = Period(30min),
                                            .take = {sum("level").as("s")},
                                            .hours = hours,
                                            .empty = Resample::Empty::skip});
  CHECK(readings(skipped, "s") == Readings{2, 3, 5});
  const Timeline days = resample(
      level, {.every = Period::of_days(1), .take = {sum("level").as("s")}, .hours = hours});
  CHECK(clocks(days) == std::vector<std::string>{"09:00", "09:00"});
  CHECK(readings(days, "s") == Readings{5, 5});
}

TEST_CASE("working days are buckets when there is a calendar", "[buckets]") {
  // Friday to Tuesday: what comes at the weekend is in Friday's bucket.
  std::vector<Instant> times;
  for (Instant t = at("2025-10-24T00:00:00Z"); t < at("2025-10-28T12:00:00Z"); t += 12h) {
    times.push_back(t);
  }
  Resample options{.every = Period::of_days(1), .take = {count()}};
  options.days.calendar = Calendar(Weekend{}, {});
  const Timeline out = resample(timeline_of({times, {}, {}}), options);
  CHECK(readings(out, "count") == Readings{6, 2, 1});
  options.every = 1h;
  CHECK_THROWS_WITH(resample(timeline_of({times, {}, {}}), options),
                    Catch::Contains("grid of working days"));
  options.every = Period::of_days(1);
  // A weekend alone needs no file; one that was not read is refused by name.
  options.days = {.weekend = Weekend{}};
  CHECK(readings(resample(timeline_of({times, {}, {}}), options), "count") == Readings{6, 2, 1});
  options.days = {.holidays = "quay.ics"};
  CHECK(
      refusal(Error::Kind::usage, [&] {
        resample(timeline_of({times, {}, {}}), options);
      }) == "‹holidays› quay.ics: the file was not read; working_days() reads it, as does a plan");
}

TEST_CASE("ways of resampling do not go together", "[buckets]") {
  const auto level = strand("00:00 1", "01:00 2");
  Resample both{.every = 1h};
  for (const auto& option : bind_options(both)) {
    if (option.name == "every") CHECK_NOTHROW(option.set("2h"));
    if (option.name == "by-count")
      CHECK_THROWS_WITH(option.set("3"), Catch::Contains("not several"));
  }
  CHECK_THROWS_WITH(resample(level, {.every = ByCount{0}}), Catch::Contains("at least one record"));
  CHECK_THROWS_WITH(resample(level, {.every = ByValue{amount("level:2")}}),
                    Catch::Contains("see profile"));
  CHECK_THROWS_AS(resample(level, {.every = ByCount{3}, .edge = Resample::Edge::end}), Error);
  CHECK_THROWS_AS(resample(level, {.every = BySum{amount("absent:2")}}), Error);
  for (const char* wrong : {"kg", "kg:", ":5", "kg:0", "kg:-5", "kg:many"}) {
    Amount read;
    CHECK_THROWS_AS(from_text(wrong, read), Error);
  }
}

}  // namespace zerobeat::testing
