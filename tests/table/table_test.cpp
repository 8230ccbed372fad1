#include <fmt/format.h>

#include <catch2/catch.hpp>
#include <zerobeat/table/table.hpp>

namespace zerobeat {

TEST_CASE("a table finds each of many columns, and none that is not there", "[table]") {
  for (const std::size_t columns : {1u, 15u, 16u, 17u, 64u, 1000u}) {
    Table table(1);
    for (std::size_t i = 0; i < columns; ++i) {
      table.add(fmt::format("x{}", i), Column::integers(Buffer<std::int64_t>(1, std::int64_t(i))));
    }
    const Table copy = table;
    for (std::size_t i = 0; i < columns; ++i) {
      CHECK(copy.place(fmt::format("x{}", i)) == i);
      CHECK_THROWS_AS(table.add(fmt::format("x{}", i), copy.columns()[i]), Error);
    }
    CHECK(!copy.find("x"));
    CHECK(!copy.find(fmt::format("x{}", columns)));
    CHECK_THROWS_WITH(copy.column("X0"), Catch::Contains("did you mean x0?"));
  }
}

TEST_CASE("a column of another type is refused, not read", "[table]") {
  const Column numbers = Column::numbers(Buffer<double>(2, 1.0));
  CHECK_THROWS_AS(numbers.boolean(0), Error);
  CHECK_THROWS_AS(numbers.dictionary(), Error);
  Buffer<int> grown;
  for (int i = 0; i < 100; ++i) {
    grown.push_back(i == 0 ? 7 : grown[0]);
    CHECK(grown.back() == 7);
  }
}

}  // namespace zerobeat
