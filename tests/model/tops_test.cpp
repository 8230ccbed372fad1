#include "model/tops.hpp"

#include <catch2/catch.hpp>
#include <cmath>
#include <random>

namespace zerobeat::testing {

namespace {

/// As the definition has it, one reading after another.
struct PlainTop {
  std::size_t first = 0, last = 0;
  double prominence = 0, left = 0, right = 0;
};

double lowest_to(const std::vector<double>& x, std::size_t from, int step) {
  double lowest = x[from];
  for (auto i = static_cast<std::ptrdiff_t>(from);
       i >= 0 && i < static_cast<std::ptrdiff_t>(x.size()) &&
       x[static_cast<std::size_t>(i)] <= x[from];
       i += step) {
    lowest = std::min(lowest, x[static_cast<std::size_t>(i)]);
  }
  return lowest;
}

/// Where the line between readings first comes down to a height.
double side_of(const std::vector<double>& x, std::size_t from, int step, double height) {
  std::size_t i = from;
  while (x[i] > height) i = static_cast<std::size_t>(static_cast<std::ptrdiff_t>(i) + step);
  const double inner = x[static_cast<std::size_t>(static_cast<std::ptrdiff_t>(i) - step)];
  return static_cast<double>(i) - step * (height - x[i]) / (inner - x[i]);
}

std::vector<PlainTop> plain_tops(const std::vector<double>& x) {
  std::vector<PlainTop> tops;
  for (std::size_t first = 0; first < x.size();) {
    std::size_t last = first;
    while (last + 1 < x.size() && x[last + 1] == x[first]) ++last;
    if (first > 0 && last + 1 < x.size() && x[first - 1] < x[first] && x[last + 1] < x[first]) {
      PlainTop top{first, last};
      top.prominence = x[first] - std::max(lowest_to(x, first, -1), lowest_to(x, last, 1));
      const double height = x[first] - top.prominence / 2;
      top.left = side_of(x, first, -1, height);
      top.right = side_of(x, last, 1, height);
      tops.push_back(top);
    }
    first = last + 1;
  }
  return tops;
}

void check_tops(const std::vector<double>& x) {
  const auto tops = detail::tops_of(x);
  detail::TopSides top_sides(x);
  const auto plain = plain_tops(x);
  REQUIRE(tops.size() == plain.size());
  for (std::size_t i = 0; i < plain.size(); ++i) {
    const detail::Top& top = tops[i];
    INFO("top " << i << " at " << top.first);
    CHECK(top.first == plain[i].first);
    CHECK(top.last == plain[i].last);
    CHECK(top.prominence == plain[i].prominence);
    const auto sides = top_sides.at(top, top.value - top.prominence / 2);
    CHECK(sides.left == Approx(plain[i].left));
    CHECK(sides.right == Approx(plain[i].right));
  }
  // Those that stand out by so much are the same ones.
  for (const double least : {0.5, 3.0}) {
    const auto some = detail::tops_of(x, least);
    std::vector<std::size_t> expected, found;
    for (const PlainTop& top : plain) {
      if (top.prominence >= least) expected.push_back(top.first);
    }
    for (const detail::Top& top : some) found.push_back(top.first);
    CHECK(found == expected);
  }
}

}  // namespace

TEST_CASE("tops, their prominences and widths are those of the definition", "[peaks]") {
  std::mt19937 random(12);
  for (int again = 0; again < 400; ++again) {
    std::vector<double> x;
    const auto kind = random() % 4;
    double level = 0;
    for (std::size_t i = random() % 900; i > 0; --i) {
      level += static_cast<double>(random() % 7) - 3;
      x.push_back(kind == 0   ? static_cast<double>(random() % 4)    // many equal ones
                  : kind == 1 ? level                                // a walk
                  : kind == 2 ? static_cast<double>(random()) / 1e9  // none equal
                              : (random() % 3 == 0 ? 9.0 : 10.0) * (random() % 17 == 0 ? 0 : 1));
    }
    check_tops(x);
  }
  check_tops({});
  check_tops({1});
  check_tops({1, 2, 1});
  check_tops({2, 1, 2});
  check_tops({1, 2, 2, 2});
  check_tops({5, 4, 4, 6, 6, 1});
}

TEST_CASE("the middle of a run of equal readings stands for it, of two the earlier", "[peaks]") {
  const std::vector<double> x{0, 3, 3, 3, 0, 2, 2, 0};
  const auto tops = detail::tops_of(x);
  REQUIRE(tops.size() == 2);
  CHECK(tops[0].middle() == 2);
  CHECK(tops[1].middle() == 5);
}

TEST_CASE("many equal tops above one floor are as wide as each is, without a walk over all",
          "[peaks]") {
  std::vector<double> x{0};
  for (int i = 0; i < 200'000; ++i) x.push_back(i % 2 == 0 ? 10 : 9);
  x.push_back(0);
  const auto tops = detail::tops_of(x);
  detail::TopSides top_sides(x);
  REQUIRE(tops.size() == 100'000);
  for (const detail::Top& top : tops) {
    if (top.first % 1'000 != 1) continue;
    CHECK(top.prominence == 10);
    const auto sides = top_sides.at(top, 5);
    CHECK(sides.left == 0.5);
    CHECK(sides.right == Approx(200'000 + 4.0 / 9));
  }
}

}  // namespace zerobeat::testing
