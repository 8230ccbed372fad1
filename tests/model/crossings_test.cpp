#include <random>
#include <zerobeat/model/crossings.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

struct Crossing {
  Instant at{};
  std::string direction{};
  double value = 0;

  friend bool operator==(const Crossing&, const Crossing&) = default;
};

std::vector<Crossing> found(const Timeline& timeline, const Crossings& options) {
  const Table table = crossings(timeline, options).table;
  const Column at = table.column("at"), value = table.column("value");
  std::vector<Crossing> all;
  for (std::size_t row = 0; row < table.rows(); ++row) {
    all.push_back({at.times()[row], table.column("direction").text(row), value.numbers()[row]});
  }
  return all;
}

}  // namespace

TEST_CASE("a crossing is where the line between two readings passes", "[crossings]") {
  const auto level = strand("00:00 1", "00:10 3", "00:20 0");
  CHECK(found(level, {.of = "level", .with = "2"}) ==
        std::vector<Crossing>{{clock("00:05"), "up", 2}, {clock("00:13:20"), "down", 2}});
}

TEST_CASE("of a touch the first row counts, when the sign differs on the other side",
          "[crossings]") {
  const auto level =
      strand("00:00 1", "00:10 2", "00:20 2", "00:30 3", "00:40 2", "00:50 3", "01:00 2");
  CHECK(found(level, {.of = "level", .with = "2"}) ==
        std::vector<Crossing>{{clock("00:10"), "up", 2}});
}

TEST_CASE("rows that lack one of the two are passed over", "[crossings]") {
  const Timeline both =
      timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("00:30")},
                   {},
                   {{"a", column_of({1, missing, 9, 5})}, {"b", column_of({3, 3, missing, 1})}}});
  const auto all = found(both, {.of = "a", .with = "b"});
  REQUIRE(all.size() == 1);
  CHECK(all[0].at == clock("00:10"));
  CHECK(all[0].direction == "up");
  CHECK(all[0].value == Approx(1 + 4.0 / 3));
}

TEST_CASE("with stay only those are kept after which the new sign holds long enough",
          "[crossings]") {
  const auto level =
      strand("00:00 0", "00:10 2", "00:20 0", "00:30 2", "00:40 2", "00:50 2", "01:00 0");
  const auto at = [&](const Extent& stay) {
    std::vector<Instant> times;
    for (const Crossing& crossing : found(level, {.of = "level", .with = "1", .stay = stay})) {
      times.push_back(crossing.at);
    }
    return times;
  };
  CHECK(at(1) ==
        std::vector<Instant>{clock("00:05"), clock("00:15"), clock("00:25"), clock("00:55")});
  CHECK(at(2) == std::vector<Instant>{clock("00:25")});
  CHECK(at("10min") == std::vector<Instant>{clock("00:05"), clock("00:15"), clock("00:25")});
  // At the end to the last row alone.
  CHECK(at("5min").size() == 4);
  CHECK(at("30min") == std::vector<Instant>{clock("00:25")});
  CHECK(at("31min").empty());
}

TEST_CASE("crossings are what a plain loop finds", "[crossings]") {
  std::mt19937 random(5);
  for (int again = 0; again < 200; ++again) {
    Readings a, b;
    std::vector<Instant> times;
    for (int i = 0; i < 80; ++i) {
      times.push_back(clock("00:00") + std::chrono::seconds(100 * i));
      a.push_back(random() % 6 == 0 ? missing : std::optional<double>(random() % 5));
      b.push_back(random() % 6 == 0 ? missing : std::optional<double>(random() % 5));
    }
    const Timeline both = timeline_of({times, {}, {{"a", column_of(a)}, {"b", column_of(b)}}});
    std::vector<Crossing> plain;
    std::vector<std::size_t> rows;
    for (std::size_t i = 0; i < a.size(); ++i) {
      if (a[i] && b[i]) rows.push_back(i);
    }
    for (std::size_t k = 0; k + 1 < rows.size(); ++k) {
      const double before = *a[rows[k]] - *b[rows[k]];
      if (before == 0) continue;
      std::size_t next = k + 1;
      while (next < rows.size() && *a[rows[next]] == *b[rows[next]]) ++next;
      if (next == rows.size()) break;
      const double after = *a[rows[next]] - *b[rows[next]];
      if ((before > 0) == (after > 0)) continue;
      const std::string direction = after > 0 ? "up" : "down";
      if (next > k + 1) {
        plain.push_back({times[rows[k + 1]], direction, *a[rows[k + 1]]});
        continue;
      }
      const double share = before / (before - after);
      const auto length = static_cast<double>((times[rows[next]] - times[rows[k]]).count());
      plain.push_back({times[rows[k]] + Nanoseconds(std::llround(share * length)), direction,
                       *a[rows[k]] + share * (*a[rows[next]] - *a[rows[k]])});
    }
    const auto all = found(both, {.of = "a", .with = "b"});
    REQUIRE(all.size() == plain.size());
    for (std::size_t i = 0; i < all.size(); ++i) {
      CHECK(std::abs((all[i].at - plain[i].at).count()) <= 64);
      CHECK(all[i].direction == plain[i].direction);
      CHECK(all[i].value == Approx(plain[i].value).margin(1e-12));
    }
  }
}

TEST_CASE("what crossings can't compare is named", "[crossings]") {
  const auto level = strand("00:00 1", "00:10 3");
  CHECK_THROWS_WITH(crossings(level, {}), Catch::Contains("‹of› COLUMN"));
  CHECK_THROWS_WITH(crossings(level, {.of = "level", .with = "levle"}), Catch::Contains("level"));
  CHECK_THROWS_WITH(crossings(level, {.of = "lvel", .with = "2"}), Catch::Contains("level"));
  CHECK_THROWS_AS(crossings(level, {.of = "level", .with = "inf"}), Error);
}

}  // namespace zerobeat::testing
