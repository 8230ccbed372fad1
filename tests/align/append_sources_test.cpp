// The rows of several sources as one.

#include <map>
#include <zerobeat/align/append.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Timeline of(const std::string& name, const Rows& rows) { return timeline_of(rows, {}, name); }

std::vector<Instant> at_clocks(const std::vector<std::string>& texts) {
  std::vector<Instant> times;
  for (const auto& text : texts) times.push_back(clock(text));
  return times;
}

Timeline appended(const std::vector<Timeline>& all, const Append& options = {}) {
  return append(std::span<const Timeline>(all), options);
}

std::vector<std::string> keys_of(const Timeline& timeline) {
  std::vector<std::string> keys;
  for (const Strand& strand : timeline.strands()) keys.push_back(key_text(strand.key.value_or("")));
  return keys;
}

}  // namespace

TEST_CASE("rows of several sources are one strand, those of one time in order of sources",
          "[append]") {
  const Timeline quay =
      of("quay", {at_clocks({"00:00", "00:20"}), {}, {{"kg", column_of({1, 2})}}});
  const Timeline pier = of(
      "pier", {at_clocks({"00:10", "00:20", "00:30"}),
               {},
               {{"kg", integers_of({10, missing, 30})}, {"gear", texts_of({"pot", "", "net"})}}});
  const Timeline both = appended({quay, pier});
  CHECK(clocks(both) == std::vector<std::string>{"00:00", "00:10", "00:20", "00:20", "00:30"});
  CHECK(readings(both, "kg") == Readings{1, 10, 2, missing, 30});
  CHECK(texts(both, "gear") == std::vector<std::string>{"", "pot", "", "", "net"});
  CHECK(both.name() == "quay");
  CHECK(both.account().last().notes == std::vector<std::string>{"quay: 2 rows", "pier: 3 rows"});
  CHECK(both.account().last().rows_in == 5);
  CHECK(clocks(appended({pier, quay}))[2] == "00:20");
  CHECK(texts(appended({pier, quay}), "gear")[2].empty());
}

TEST_CASE("a source's name can be a key, before its own", "[append]") {
  const Rows rows{
      at_clocks({"00:00", "00:10", "00:05"}), {"a", "a", "b"}, {{"kg", column_of({1, 2, 3})}}};
  const Timeline both = appended({of("quay", rows), of("pier", rows)}, {.key_from = "venue"});
  CHECK(both.key_names() == std::vector<std::string>{"venue", "probe"});
  CHECK(keys_of(both) == std::vector<std::string>{"quay+a", "quay+b", "pier+a", "pier+b"});
  const Timeline keyless = appended(
      {of("quay", {at_clocks({"00:00"}), {}, {}}), of("pier", {at_clocks({"00:00"}), {}, {}})},
      {.key_from = "venue"});
  CHECK(keys_of(keyless) == std::vector<std::string>{"quay", "pier"});
  const Timeline merged = appended({of("quay", rows), of("pier", rows)});
  CHECK(keys_of(merged) == std::vector<std::string>{"a", "b"});
  CHECK(readings(merged, "kg") == Readings{1, 1, 2, 2, 3, 3});
}

TEST_CASE("what has no reading takes the others' type", "[append]") {
  const Timeline numbers = of("a", {at_clocks({"00:00"}), {}, {{"x", column_of({missing})}}});
  const Timeline words = of("b", {at_clocks({"00:01"}), {}, {{"x", texts_of({"pot"})}}});
  CHECK(texts(appended({numbers, words}), "x") == std::vector<std::string>{"", "pot"});
  CHECK(readings(appended({numbers, numbers}), "x") == Readings{missing, missing});
  const Timeline whole = of("c", {at_clocks({"00:02"}), {}, {{"x", integers_of({4})}}});
  CHECK(appended({numbers, whole}).values().column("x").type() == Column::Type::integer);
  CHECK(appended({whole, of("d", {at_clocks({"00:03"}), {}, {{"x", column_of({0.5})}}})})
            .values()
            .column("x")
            .type() == Column::Type::number);
}

TEST_CASE("sources that do not go together are refused by name", "[append]") {
  const Timeline plain = of("a", {at_clocks({"00:00"}), {}, {{"x", column_of({1})}}});
  const Timeline keyed = of("b", {at_clocks({"00:00"}), {"p"}, {{"x", column_of({1})}}});
  const Timeline words = of("c", {at_clocks({"00:00"}), {}, {{"x", texts_of({"pot"})}}});
  const Timeline named = of("d", {at_clocks({"00:00"}), {}, {{"time", column_of({1})}}});
  const auto refused = [](const std::vector<Timeline>& all, const Append& options = {}) {
    return usage([&] { appended(all, options); });
  };
  CHECK_THAT(refused({plain, keyed}), Catch::Contains("a has no key, and b has the key probe"));
  CHECK_THAT(refused({plain, words}), Catch::Contains("column \"x\" is number in a and text in c"));
  CHECK_THAT(refused({plain, named}), Catch::Contains("column \"time\" of d"));
  CHECK_THAT(refused({plain, plain}, {.key_from = "x"}),
             Catch::Contains("has a column of that name"));
  CHECK_THAT(refused({}), Catch::Contains("nothing to append"));
}

TEST_CASE("many random sources come to what sorting all their rows comes to", "[append]") {
  std::vector<Timeline> all;
  for (unsigned seed = 1; seed <= 5; ++seed) {
    all.push_back(random_timeline(200 * seed, seed, 3).named("s" + std::to_string(seed)));
  }
  const Timeline together = appended(all);
  // The plain way: all rows by key, sorted stably by time.
  std::map<std::string, std::vector<std::pair<Instant, std::optional<double>>>> rows;
  for (const Timeline& one : all) {
    const Readings level = readings(one, "level");
    for (const Strand& strand : one.strands()) {
      for (std::size_t i = strand.begin; i < strand.end; ++i) {
        rows[*strand.key].emplace_back(one.times()[i], level[i]);
      }
    }
  }
  const Readings level = readings(together, "level");
  std::size_t checked = 0;
  for (const Strand& strand : together.strands()) {
    auto& plain = rows[*strand.key];
    std::ranges::stable_sort(plain, {}, &std::pair<Instant, std::optional<double>>::first);
    REQUIRE(plain.size() == strand.size());
    for (std::size_t i = 0; i < plain.size(); ++i, ++checked) {
      REQUIRE(together.times()[strand.begin + i] == plain[i].first);
      REQUIRE(level[strand.begin + i] == plain[i].second);
    }
  }
  CHECK(checked == together.rows());
}

TEST_CASE("sources on other axes are refused, on one axis they are one", "[append]") {
  const Timeline instants = of("a", {at_clocks({"00:00"}), {}, {{"x", column_of({1})}}});
  Timeline::Parts parts = instants.parts();
  parts.name = "run";
  parts.axis.elapsed = ElapsedUnit::s;
  const Timeline elapsed(parts);
  CHECK_THAT(usage([&] {
               appended({instants, elapsed});
             }),
             Catch::Contains("the times of a are instants, those of run elapsed-s"));
  CHECK(appended({elapsed, elapsed}).axis().elapsed == ElapsedUnit::s);
}

TEST_CASE("each source is in the account once, with what was done to it before", "[append]") {
  const Timeline first = strand("00:00 1").named("a"), second = strand("00:01 2").named("b");
  const Timeline both = appended({first, second, first});
  CHECK(both.rows() == 3);
  CHECK(both.account().last().notes.size() == 3);
  CHECK(both.account().last().step == "append");
  CHECK(reach(Append{}).causal());
}

}  // namespace zerobeat::testing
