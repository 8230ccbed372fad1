#include <zerobeat/regular/describe.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

double cell(const Table& table, const char* name, std::size_t row = 0) {
  const Column numbers = table.column(name).as_numbers();
  REQUIRE(numbers.valid(row));
  return numbers.numbers()[row];
}

}  // namespace

TEST_CASE("a column is described by what its readings are like", "[describe]") {
  const auto level = strand("00:00 -", "00:10 2", "00:20 4", "00:30 4", "00:40 4", "00:50 5",
                            "01:00 5", "01:10 7", "01:20 9", "01:30 -");
  const TableResult made = describe(level);
  const Table& table = made.table;
  REQUIRE(table.rows() == 1);
  CHECK(table.column("column").text(0) == "level");
  CHECK(cell(table, "count") == 8);
  CHECK(cell(table, "missing") == 2);
  CHECK(to_text(table.column("first").times()[0], 0) == "2025-10-20T00:10:00Z");
  CHECK(to_text(table.column("last").times()[0], 0) == "2025-10-20T01:20:00Z");
  CHECK(cell(table, "mean") == 5);
  CHECK(cell(table, "std") == Approx(std::sqrt(32.0 / 7)));
  CHECK(cell(table, "min") == 2);
  CHECK(cell(table, "q05") == Approx(2.7));
  CHECK(cell(table, "q25") == 4);
  CHECK(cell(table, "median") == 4.5);
  CHECK(cell(table, "q75") == 5.5);
  CHECK(cell(table, "q95") == Approx(8.3));
  CHECK(cell(table, "max") == 9);
  // Third and fourth moments by n: 42/8 / 2^3 and 356/8 / 2^4.
  CHECK(cell(table, "skewness") == Approx(42.0 / 8 / 8));
  CHECK(cell(table, "kurtosis") == Approx(356.0 / 8 / 16));
  CHECK(cell(table, "mean_se") == Approx(std::sqrt(32.0 / 7 / 8)));
  CHECK(cell(table, "t") == Approx(5 / std::sqrt(32.0 / 7 / 8)));
}

TEST_CASE("the p of a mean is Student's, two-sided", "[describe]") {
  // With two readings t has one degree of freedom, Cauchy's: p = 1 - 2 atan(t) / pi.
  const TableResult two = describe(strand("00:00 1", "00:10 3"));
  const double t = cell(two.table, "t");
  CHECK(t == Approx(2));
  CHECK(cell(two.table, "p_mean_zero") == Approx(1 - 2 * std::atan(2.0) / std::acos(-1.0)));
  // With three, two degrees: p = 1 - t / sqrt(2 + t^2).
  const TableResult three = describe(strand("00:00 -1", "00:10 -2", "00:20 -6"));
  const double u = std::fabs(cell(three.table, "t"));
  CHECK(cell(three.table, "p_mean_zero") == Approx(1 - u / std::sqrt(2 + u * u)));
}

TEST_CASE("of too few or equal readings what can't be told is missing", "[describe]") {
  const TableResult none = describe(strand("00:00 -"));
  CHECK(cell(none.table, "count") == 0);
  for (const char* name : {"first", "mean", "min", "median", "std", "t", "p_mean_zero"}) {
    CHECK(!none.table.column(name).valid(0));
  }
  const TableResult one = describe(strand("00:00 3"));
  CHECK(cell(one.table, "mean") == 3);
  CHECK(!one.table.column("std").valid(0));
  const TableResult equal = describe(strand("00:00 3", "00:10 3"));
  CHECK(cell(equal.table, "std") == 0);
  CHECK(cell(equal.table, "mean_se") == 0);
  for (const char* name : {"t", "p_mean_zero", "skewness", "kurtosis"}) {
    CHECK(!equal.table.column(name).valid(0));
  }
}

TEST_CASE("each strand and column has a row, in their order", "[describe]") {
  const Timeline timeline = random_timeline(300, 41, 3);
  const TableResult made = describe(timeline);
  REQUIRE(made.table.rows() == 9);
  CHECK(made.table.column("probe").text(3) == "cold_2");
  CHECK(made.table.column("column").text(4) == "weight");
  std::int64_t all = 0;
  for (std::size_t i = 0; i < 9; ++i) {
    all += made.table.column("count").integers()[i] + made.table.column("missing").integers()[i];
  }
  CHECK(all == static_cast<std::int64_t>(3 * timeline.rows()));
  CHECK(describe(timeline, {.on = {"kg"}}).table.rows() == 3);
  CHECK_THROWS_WITH(describe(timeline, {.on = {"kgs"}}), Catch::Contains("did you mean kg"));
}

}  // namespace zerobeat::testing
