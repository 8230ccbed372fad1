#include "table/reading_search.hpp"

#include <catch2/catch.hpp>
#include <random>
#include <vector>

namespace zerobeat::testing {

using namespace detail;

TEST_CASE("rows are found as a plain loop finds them", "[search]") {
  std::mt19937 random(5);
  for (int round = 0; round < 300; ++round) {
    const std::size_t rows = 1 + random() % 400;
    const unsigned often = 1 + random() % 90;  // of a hundred
    std::vector<std::uint64_t> a(rows / 64 + 1), b(rows / 64 + 1);
    const auto bit = [](const std::vector<std::uint64_t>& bits, std::size_t i) {
      return (bits[i / 64] >> (i % 64) & 1) != 0;
    };
    for (std::size_t i = 0; i < rows; ++i) {
      if (random() % 100 < often) a[i / 64] |= std::uint64_t{1} << (i % 64);
      if (random() % 100 < often) b[i / 64] |= std::uint64_t{1} << (i % 64);
    }
    const std::size_t from = random() % (rows + 1), until = from + random() % (rows - from + 1);
    std::size_t set = from, unset = from, both = from, past = until, past_a = until;
    while (set < until && !bit(a, set)) ++set;
    while (unset < until && bit(a, unset)) ++unset;
    while (both < until && !(bit(a, both) && bit(b, both))) ++both;
    while (past > from && !(bit(a, past - 1) && bit(b, past - 1))) --past;
    while (past_a > from && !bit(a, past_a - 1)) --past_a;
    INFO(from << " to " << until);
    REQUIRE(next_row(a.data(), from, until, true) == set);
    REQUIRE(next_row(a.data(), from, until, false) == unset);
    REQUIRE(next_row_of_both(a.data(), b.data(), from, until) == both);
    REQUIRE(past_last_row(a.data(), b.data(), from, until) == past);
    REQUIRE(past_last_row(a.data(), nullptr, from, until) == past_a);
    REQUIRE(past_last_row(nullptr, nullptr, from, until) == until);
    REQUIRE(next_row_of_both(nullptr, nullptr, from, until) == from);
  }
}

}  // namespace zerobeat::testing
