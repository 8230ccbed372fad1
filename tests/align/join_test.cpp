#include <zerobeat/align/join.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;
using Match = Join::Match;
using Keep = Join::Keep;

const Timeline& prices() {
  static const Timeline timeline =
      one_column("price", {"00:05", "00:10", "00:22", "01:00"}, {1, 2, 3, 4});
  return timeline;
}

const Timeline& levels() {
  static const Timeline timeline =
      one_column("level", {"00:00", "00:10", "00:10", "00:30"}, {10, 20, 25, 40});
  return timeline;
}

Readings matched(Match match, std::optional<Period> tolerance = std::nullopt) {
  return readings(join(prices(), levels(), {.match = match, .tolerance = tolerance}), "level");
}

}  // namespace

TEST_CASE("each way of matching takes its own record", "[join]") {
  CHECK(matched(Match::exact) == Readings{missing, 25, missing, missing});
  CHECK(matched(Match::previous) == Readings{10, 25, 25, 40});
  CHECK(matched(Match::earlier) == Readings{10, 10, 25, 40});
  CHECK(matched(Match::next) == Readings{25, 25, 40, missing});
  CHECK(matched(Match::nearest) == Readings{10, 25, 40, 40});
  CHECK(near(matched(Match::linear), {17.5, 25, 34, missing}));
}

TEST_CASE("the tolerance is inclusive", "[join]") {
  CHECK(matched(Match::previous, 5min) == Readings{10, 25, missing, missing});
  CHECK(matched(Match::previous, 12min) == Readings{10, 25, 25, missing});
  CHECK(matched(Match::previous, 30min) == Readings{10, 25, 25, 40});
  CHECK(matched(Match::next, 8min) == Readings{25, 25, 40, missing});
  CHECK(near(matched(Match::linear, 11min), {17.5, 25, missing, missing}));
}

TEST_CASE("rows kept are the left ones, the matched ones, or all", "[join]") {
  CHECK(join(prices(), levels(), {.match = Match::exact, .keep = Keep::both}).rows() == 1);
  // Of records of one time those that do not count have rows of their own, after the left row.
  const auto all = join(prices(), levels(), {.match = Match::exact, .keep = Keep::all});
  CHECK(clocks(all) ==
        std::vector<std::string>{"00:00", "00:05", "00:10", "00:10", "00:22", "00:30", "01:00"});
  CHECK(readings(all, "price") == Readings{missing, 1, 2, missing, 3, missing, 4});
  CHECK(readings(all, "level") == Readings{10, missing, 25, 20, missing, 40, missing});
  const auto lines =
      join(prices(), levels(), {.match = Match::linear, .keep = Keep::all, .age = true});
  CHECK(clocks(lines) == std::vector<std::string>{"00:05", "00:10", "00:10", "00:22", "01:00"});
  CHECK(near(readings(lines, "level"), {17.5, 25, 20, 34, missing}));
  CHECK(readings(lines, "age_s") == Readings{300, 0, missing, 720, missing});
}

TEST_CASE("the age of a match is from the record to the row, and may lie ahead", "[join]") {
  const auto age = [](Match match) {
    return readings(join(prices(), levels(), {.match = match, .age = true}), "age_s");
  };
  CHECK(age(Match::previous) == Readings{300, 0, 720, 1800});
  CHECK(age(Match::earlier) == Readings{300, 600, 720, 1800});
  CHECK(age(Match::next) == Readings{-300, 0, -480, missing});
  CHECK(age(Match::exact) == Readings{missing, 0, missing, missing});
  const auto a = one_column("a", {"00:10"}, {1}), b = one_column("b", {"00:05"}, {2});
  const auto both = join(a, std::vector{b, b.named("c")}, {.age = true});
  CHECK(both.values().names() == std::vector<std::string>{"a", "b_b", "age_s_b", "b_c", "age_s_c"});
}

TEST_CASE("the account of a join says what found what", "[join]") {
  const auto note = [](const Timeline& joined) { return joined.account().last().notes.at(0); };
  CHECK(note(join(prices(), levels(), {.match = Match::previous, .tolerance = 15min})) ==
        "level: 3 rows matched, 1 not, 5 min apart (median), 12 min at most; 2 of its 4 "
        "records never used");
  CHECK_THAT(note(join(prices(), levels(), {.match = Match::exact, .tolerance = 1s})),
             Catch::Contains("1 rows matched, 3 not; 3 of its 4 records never used"));
  const auto late = one_column("late", {"05:00"}, {1});
  CHECK_THAT(note(join(prices(), late)),
             Catch::StartsWith("NOTHING MATCHED: late: 0 rows matched, 4 not; 1 of its 1 records "
                               "never used; price runs from 2025-10-20T00:05:00Z to "
                               "2025-10-20T01:00:00Z, late from"));
}

TEST_CASE("rows of a key that only the right side lacks are refused under all", "[join]") {
  const auto left = one_column("price", {"00:10"}, {1}, {"hake"});
  CHECK_THROWS_WITH(join(left, levels(), {.keep = Keep::all}), Catch::Contains("‹keep› all"));
}

TEST_CASE("strands go together by key, and one without a key with all", "[join]") {
  const auto left =
      one_column("price", {"00:10", "00:20", "00:10"}, {1, 2, 3}, {"hake", "hake", "megrim"});
  const auto right = one_column("kg", {"00:05", "00:05"}, {7, 8}, {"megrim", "monkfish"});
  const auto result = join(left, right);
  CHECK(readings(result, "kg") == Readings{missing, missing, 7});
  CHECK(readings(join(left, levels()), "level") == Readings{25, 25, 25});
  const auto all = join(left, right, {.keep = Keep::all});
  REQUIRE(all.strands().size() == 3);
  CHECK(all.strands()[2].key == "monkfish");
  CHECK(readings(all, "kg") == Readings{missing, missing, 7, 8});
  CHECK_THROWS_WITH(join(levels(), right),
                    Catch::Contains("has the key \"probe\" and level has none"));
}

TEST_CASE("several right sides are joined in turn, and clashing names told apart", "[join]") {
  const auto a = timeline_of({{clock("00:10")}, {}, {{"level", column_of({1.0})}}}, {}, "quay");
  const auto b = timeline_of({{clock("00:10")}, {}, {{"level", column_of({2.0})}}}, {}, "lock");
  const auto c = timeline_of({{clock("00:10")}, {}, {{"gate", column_of({3.0})}}}, {}, "gate");
  const auto result = join(a, std::vector{b, c});
  CHECK(result.values().names() == std::vector<std::string>{"level_quay", "level_lock", "gate"});
  CHECK(readings(result, "level_lock") == Readings{2});
}

TEST_CASE("matching agrees with its definition on random rows", "[join]") {
  const Timeline left = random_timeline(300, 41, 2, 0.2);
  const Timeline right = random_timeline(200, 42, 2, 0.2).named("lock");
  const Readings source = readings(right, "level");
  for (const Match match : {Match::exact, Match::previous, Match::earlier, Match::next,
                            Match::nearest, Match::linear}) {
    for (const std::optional<Period>& tolerance :
         {std::optional<Period>(), std::optional<Period>(40s)}) {
      const auto result = join(left, right, {.match = match, .tolerance = tolerance});
      const Readings got = readings(result, "level_lock");
      for (std::size_t s = 0; s < left.strands().size(); ++s) {
        const Strand& strand = left.strands()[s];
        const Strand& other = right.strands()[s];
        for (std::size_t i = strand.begin; i < strand.end; ++i) {
          const Instant t = left.times()[i];
          std::optional<std::size_t> before, after, earlier;
          for (std::size_t j = other.begin; j < other.end; ++j) {
            const Instant u = right.times()[j];
            if (u <= t) before = j;  // the last of equals
            if (u < t) earlier = j;
            if (u >= t && (!after || right.times()[*after] == u)) after = j;
          }
          const auto limit = tolerance ? tolerance->nanoseconds : Nanoseconds::max();
          if (before && t - right.times()[*before] > limit) before.reset();
          if (earlier && t - right.times()[*earlier] > limit) earlier.reset();
          if (after && right.times()[*after] - t > limit) after.reset();
          std::optional<double> expected;
          const bool exact = before && right.times()[*before] == t;
          switch (match) {
            case Match::exact:
              if (exact) expected = source[*before];
              break;
            case Match::previous:
              if (before) expected = source[*before];
              break;
            case Match::earlier:
              if (earlier) expected = source[*earlier];
              break;
            case Match::next:
              if (after) expected = source[*after];
              break;
            case Match::nearest:
              if (before && (!after || t - right.times()[*before] <= right.times()[*after] - t)) {
                expected = source[*before];
              } else if (after) {
                expected = source[*after];
              }
              break;
            case Match::linear:
              if (exact) {
                expected = source[*before];
              } else if (before && after && source[*before] && source[*after]) {
                const auto part = static_cast<double>((t - right.times()[*before]).count());
                const auto whole =
                    static_cast<double>((right.times()[*after] - right.times()[*before]).count());
                expected = *source[*before] + (*source[*after] - *source[*before]) * part / whole;
              }
          }
          INFO(to_text(match) << " row " << i);
          REQUIRE(near({got[i]}, {expected}));
        }
      }
    }
  }
}

TEST_CASE("what can't be read between is refused by name", "[join]") {
  const auto gear =
      timeline_of({{clock("00:00"), clock("02:00")}, {}, {{"gear", texts_of({"net", "line"})}}});
  CHECK(texts(join(prices(), gear), "gear") ==
        std::vector<std::string>{"net", "net", "net", "net"});
  CHECK_THROWS_WITH(join(prices(), gear, {.match = Match::linear}),
                    Catch::Contains("\"gear\" holds text"));
  CHECK_THROWS_AS(join(prices(), std::span<const Timeline>()), Error);
}

TEST_CASE("a join to earlier records is causal", "[join]") {
  CHECK(reach(Join{}).causal());
  CHECK(reach(Join{.match = Match::exact}).causal());
  CHECK(!reach(Join{.match = Match::nearest}).causal());
}

}  // namespace zerobeat::testing
