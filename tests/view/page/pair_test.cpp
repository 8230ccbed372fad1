#include "view/page/pair.hpp"

#include <numeric>
#include <random>

#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("readings of a rank are those of the sorted readings", "[page]") {
  std::mt19937 random(17);
  for (int again = 0; again < 300; ++again) {
    std::vector<double> readings;
    const int kind = static_cast<int>(random() % 5);
    for (std::size_t i = 1 + random() % 3000; i > 0; --i) {
      const double x = static_cast<double>(random() % 10'000) / 7;
      readings.push_back(kind == 0   ? x
                         : kind == 1 ? std::exp(x / 100)  // nearly all in one bin
                         : kind == 2 ? 4.25
                         : kind == 3 ? std::floor(x / 300)
                                     : (random() % 2 == 0 ? -1.7e308 : 1.7e308));
    }
    std::vector<std::size_t> ranks;
    for (std::size_t rank = 0; rank < readings.size(); rank += 1 + random() % 400) {
      ranks.push_back(rank);
    }
    auto sorted = readings;
    std::ranges::sort(sorted);
    const auto found = detail::readings_at(readings, sorted.front(), sorted.back(), ranks);
    REQUIRE(found.size() == ranks.size());
    for (std::size_t i = 0; i < ranks.size(); ++i) CHECK(found[i] == sorted[ranks[i]]);
  }
}

TEST_CASE("a pair's statistics are those of a plain loop", "[page]") {
  for (unsigned seed = 1; seed < 30; ++seed) {
    PageContent content;
    content.sources.push_back({{}, random_timeline(40 * seed, seed, 3, 0.2), {}, {}, {}});
    auto pairs = detail::pairs_of(content);
    for (detail::Pair& pair : pairs.drawn) {
      detail::find_statistics(pair);
      std::vector<double> plain;
      const Strand& strand = pair.rows_of();
      for (std::size_t row = strand.begin; row < strand.end; ++row) {
        if (pair.numbers.valid(row)) plain.push_back(pair.numbers.numbers()[row]);
      }
      REQUIRE(pair.count == plain.size());
      CHECK(pair.least == *std::ranges::min_element(plain));
      CHECK(pair.most == *std::ranges::max_element(plain));
      CHECK(pair.numbers.numbers()[strand.begin + pair.least_row] == pair.least);
      CHECK(pair.numbers.numbers()[strand.begin + pair.most_row] == pair.most);
      const double mean =
          std::accumulate(plain.begin(), plain.end(), 0.0) / static_cast<double>(plain.size());
      CHECK(pair.mean == Approx(mean));
      std::ranges::sort(plain);
      // The median by the mean of the middle two.
      const std::size_t n = plain.size();
      CHECK(pair.quantiles[2] == Approx((plain[(n - 1) / 2] + plain[n / 2]) / 2));
      CHECK(std::accumulate(pair.histogram.begin(), pair.histogram.end(), std::int64_t{0}) ==
            static_cast<std::int64_t>(n));
    }
  }
}

TEST_CASE("more pairs than a page draws are told, those first of which most is missing", "[page]") {
  PageContent content;
  std::vector<Instant> times;
  for (int i = 0; i < 30; ++i) times.push_back(clock("00:00") + std::chrono::minutes(i));
  std::vector<std::pair<std::string, Column>> columns;
  for (int c = 0; c < 30; ++c) {
    Readings readings(30, 1.0);
    for (int i = 0; i < c; ++i) readings[static_cast<std::size_t>(i)] = missing;
    columns.emplace_back("level_" + std::to_string(c), column_of(readings));
  }
  columns.emplace_back("none", column_of(Readings(30, missing)));
  content.sources.push_back({{}, timeline_of({times, {}, columns}), {}, {}, {}});
  const auto pairs = detail::pairs_of(content);
  CHECK(pairs.drawn.size() == 24);
  CHECK(pairs.others.size() == 6);
  REQUIRE(pairs.empty.size() == 1);
  CHECK(pairs.empty[0].name == "none");
  CHECK(pairs.drawn.front().name == "level_29");
  CHECK(pairs.others.back().name == "level_0");
}

}  // namespace zerobeat::testing
