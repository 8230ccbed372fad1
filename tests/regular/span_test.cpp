// Which buckets have rows: a strand's own, those of all strands, or those of a range of time.

#include <zerobeat/regular/resample.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

const Timeline probes = one_column("level", {"00:10", "00:20", "00:05", "00:41"}, {1, 2, 3, 4},
                                   {"p1", "p1", "p2", "p2"});

Timeline counted(const Resample& options, const Timeline& timeline = probes) {
  Resample with_count = options;
  with_count.take = {count()};
  return resample(timeline, with_count);
}

BucketSpan span_of(const std::string& text) {
  BucketSpan span;
  from_text(text, span);
  return span;
}

}  // namespace

TEST_CASE("grids of all strands begin and end together", "[span]") {
  const Timeline own = counted({.every = "10min"});
  CHECK(clocks(own) ==
        std::vector<std::string>{"00:10", "00:20", "00:00", "00:10", "00:20", "00:30", "00:40"});
  const Timeline all = counted({.every = "10min", .span = span_of("all")});
  CHECK(clocks(all) == std::vector<std::string>{"00:00", "00:10", "00:20", "00:30", "00:40",
                                                "00:00", "00:10", "00:20", "00:30", "00:40"});
  CHECK(readings(all, "count") == Readings{0, 1, 1, 0, 0, 1, 0, 0, 0, 1});
  CHECK(
      clocks(counted({.every = "10min", .span = span_of("all"), .empty = Resample::Empty::skip})) ==
      std::vector<std::string>{"00:10", "00:20", "00:00", "00:40"});
}

TEST_CASE("a range of time says which buckets there are; records outside make none", "[span]") {
  const Timeline some =
      counted({.every = "10min", .span = span_of("2025-10-20T00:15,2025-10-20T00:31")});
  CHECK(clocks(some) ==
        std::vector<std::string>{"00:10", "00:20", "00:30", "00:10", "00:20", "00:30"});
  CHECK(readings(some, "count") == Readings{1, 1, 0, 0, 0, 0});
  CHECK(some.account().last().notes ==
        std::vector<std::string>{"2 records outside the span were left out"});
  // Half-open, so that a day is its own buckets alone.
  CHECK(clocks(counted({.every = "10min", .span = span_of("2025-10-20T00:20,2025-10-20T00:40")})) ==
        std::vector<std::string>{"00:20", "00:30", "00:20", "00:30"});
  // An open side is as for all.
  CHECK(clocks(counted({.every = "10min", .span = span_of("2025-10-20T00:30,")})) ==
        std::vector<std::string>{"00:30", "00:40", "00:30", "00:40"});
}

TEST_CASE("a strand without records has the buckets of a span, too", "[span]") {
  Timeline::Parts parts = probes.parts();
  parts.strands.push_back({"p3", 4, 4});
  const Timeline with_empty(parts);
  const Timeline all = counted(
      {.every = "20min", .span = span_of("all"), .partial = Resample::Partial::mark}, with_empty);
  REQUIRE(all.strands().size() == 3);
  CHECK(all.strands()[2].size() == 3);
  const Readings partial = readings(all, "partial");
  CHECK(std::all_of(partial.end() - 3, partial.end(), [](auto p) { return p == 1; }));
}

TEST_CASE("equal buckets divide the span that is asked for", "[span]") {
  const Timeline halves =
      counted({.every = EqualBuckets{2}, .span = span_of("2025-10-20T00:00,2025-10-20T01:00")});
  CHECK(clocks(halves) == std::vector<std::string>{"00:00", "00:30", "00:00", "00:30"});
  CHECK(readings(halves, "count") == Readings{2, 0, 1, 1});
}

TEST_CASE("sessions have all their buckets within the span", "[span]") {
  Resample options{.every = "10min", .span = span_of("2025-10-20T00:00,2025-10-20T01:00")};
  options.hours = Hours{};
  from_text("00:00-00:30", *options.hours);
  const Timeline session = counted(options);
  CHECK(clocks(session) ==
        std::vector<std::string>{"00:00", "00:10", "00:20", "00:00", "00:10", "00:20"});
  CHECK(readings(session, "count") == Readings{0, 1, 1, 1, 0, 0});
  CHECK(session.account().last().notes ==
        std::vector<std::string>{"1 records outside the hours or the span were left out"});
}

TEST_CASE("random timelines have under all what they have on their own, and nothing else",
          "[span]") {
  for (unsigned seed = 1; seed <= 4; ++seed) {
    const Timeline timeline = random_timeline(300, seed, 3);
    const auto with = [&](const char* span, Resample::Edge edge) {
      return resample(
          timeline,
          {.every = "7min", .take = {count(), sum("kg")}, .span = span_of(span), .edge = edge});
    };
    for (const auto edge : {Resample::Edge::start, Resample::Edge::end}) {
      const Timeline own = with("own", edge), all = with("all", edge);
      const Readings own_count = readings(own, "count"), all_count = readings(all, "count");
      const Readings own_sum = readings(own, "kg_sum"), all_sum = readings(all, "kg_sum");
      for (std::size_t s = 0; s < own.strands().size(); ++s) {
        const Strand& a = all.strands()[s];
        CHECK(a.size() == all.strands()[0].size());
        std::size_t i = own.strands()[s].begin;
        for (std::size_t row = a.begin; row < a.end; ++row) {
          const bool is_own = i < own.strands()[s].end && own.times()[i] == all.times()[row];
          REQUIRE(all_count[row] == (is_own ? own_count[i] : std::optional(0.0)));
          REQUIRE(all_sum[row] == (is_own ? own_sum[i] : std::nullopt));
          i += is_own;
        }
        CHECK(i == own.strands()[s].end);
      }
    }
  }
}

TEST_CASE("a span is read as it is written, or refused", "[span]") {
  CHECK(to_text(span_of("all")) == "all");
  CHECK(to_text(span_of("2025-10-20,2025-10-21")) == "2025-10-20,2025-10-21");
  CHECK(span_of(",").kind == BucketSpan::Kind::all);
  for (const char* bad : {"some", "2025-10-20", "a,b", "1,2,3"}) {
    INFO(bad);
    CHECK_THROWS_AS(span_of(bad), Error);
  }
  CHECK_THAT(usage([] { counted({.every = ByCount{2}, .span = span_of("all")}); }),
             Catch::Contains("closed by records"));
  CHECK_THAT(usage([] { counted({.every = "10min", .span = span_of("2025-10-21,2025-10-20")}); }),
             Catch::Contains("the first is not before the second"));
}

}  // namespace zerobeat::testing
