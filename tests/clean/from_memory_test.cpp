// Timelines out of a program's own columns.

#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/from_memory.hpp>
#include <zerobeat/regular/resample.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

std::vector<Instant> times_of(const std::vector<std::string>& clocks) {
  std::vector<Instant> times;
  for (const auto& text : clocks) times.push_back(clock(text));
  return times;
}

}  // namespace

TEST_CASE("columns in order become a timeline without a copy", "[memory]") {
  std::vector<double> levels{1, std::nan(""), 3};
  const double* const at = levels.data();
  const Timeline level =
      timeline(times_of({"00:00", "00:10", "00:20"}), {{"level_m", std::move(levels)}});
  CHECK(readings(level, "level_m") == Readings{1, missing, 3});
  CHECK(level.values().column("level_m").numbers().data() == at);
  CHECK(level.account().records() == 3);
  CHECK(level.account().kept() == 3);
  CHECK(level.time_name() == "time");

  const auto owner = std::make_shared<std::vector<Instant>>(times_of({"00:00", "00:10"}));
  const auto values = std::make_shared<std::vector<double>>(std::vector<double>{5, 6});
  const Timeline shared = timeline(borrow(std::span<const Instant>(*owner), owner),
                                   {{"v", borrow(std::span<const double>(*values), values)}});
  CHECK(shared.times().data() == owner->data());
  CHECK(shared.values().column("v").numbers().data() == values->data());
}

TEST_CASE("rows in any order are sorted, by key when there is one", "[memory]") {
  const Timeline sorted = timeline(times_of({"00:20", "00:00", "00:10", "00:00"}),
                                   {{"v", std::vector<double>{3, 1, 2, 1.5}},
                                    {"probe", std::vector<std::string>{"b", "a", "b", "a"}}},
                                   {.name = "probes", .key = "probe", .zone = "Europe/Dublin"});
  REQUIRE(sorted.strands().size() == 2);
  CHECK(sorted.strands()[0].key == "b");
  CHECK(clocks(sorted) == std::vector<std::string>{"00:10", "00:20", "00:00", "00:00"});
  CHECK(readings(sorted, "v") == Readings{2, 3, 1, 1.5});
  CHECK(sorted.zone().name() == "Europe/Dublin");
  CHECK(sorted.name() == "probes");
  CHECK_FALSE(sorted.values().find("probe"));
}

TEST_CASE("a table has its times among its columns", "[memory]") {
  Table table(2);
  table.add("at", Column(times_of({"00:10", "00:00"})));
  table.add("n", integers_of({1, 2}));
  const Timeline made = timeline(table, {.time_name = "at"});
  CHECK(made.time_name() == "at");
  CHECK(readings(made, "n") == Readings{2, 1});
  CHECK_THAT(usage([&] { static_cast<void>(timeline(table)); }),
             Catch::Contains("there is no column \"time\""));
}

TEST_CASE("columns that make no timeline are refused by name", "[memory]") {
  const auto made = [](Column times, std::vector<NamedColumn> columns,
                       const MemoryOptions& options = {}) {
    return usage([&] { static_cast<void>(timeline(times, columns, options)); });
  };
  const Column two = times_of({"00:00", "00:10"});
  CHECK(made(column_of({1, 2}), {}) == "the times of memory are numbers, not times");
  CHECK_THAT(made(two, {{"v", {1.0}}}), Catch::Contains("has 1 rows where the table has 2"));
  CHECK_THAT(made(two, {{"v", {1.0, 2.0}}, {"v", {1.0, 2.0}}}),
             Catch::Contains("two columns \"v\""));
  CHECK_THAT(made(two, {{"time", {1.0, 2.0}}}),
             Catch::Contains("two columns would be named \"time\""));
  CHECK(made(two, {{"v", {1.0, 2.0}}}, {.key = "probe"}) == "‹key› probe: there is no such column");
  CHECK_THAT(made(two, {{"probe", {1.0, 2.0}}}, {.key = "probe"}),
             Catch::Contains("keys are no texts"));
  CHECK_THAT(made(two, {{"probe", texts_of({"a", ""})}}, {.key = "probe"}),
             Catch::Contains("some of their keys are missing"));
  const std::int64_t rows[] = {0, -1};
  CHECK_THAT(made(two.gather(rows), {}), Catch::Contains("times are missing"));
  CHECK(timeline(std::vector<Instant>{}, {}).rows() == 0);
}

TEST_CASE("text stands for a period and for a zone wherever one is asked", "[memory]") {
  const Timeline level = timeline(times_of({"00:00", "00:10", "00:50"}), {{"v", {1.0, 2.0, 6.0}}});
  const Timeline quarters = level | Resample{.every = "15min"} | Fill{.max_gap = "1h"};
  CHECK(readings(quarters, "v_mean") == Readings{1.5, 3, 4.5, 6});
  CHECK(Period("1month") == Period::of_months(1));
  CHECK(Extent("3") == Extent(3));
  CHECK(Extents("2h,3") == Extents{std::chrono::hours(2), 3});
  CHECK_THAT(usage([] { Period("15mn"); }), Catch::Contains("did you mean min"));
  CHECK_THAT(usage([] { Zone("Europe/Dublim"); }), Catch::Contains("Europe/Dublin"));
}

}  // namespace zerobeat::testing
