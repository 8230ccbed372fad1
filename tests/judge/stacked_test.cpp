// Series that were read as one: which column, or pair of columns, tells them apart.

#include <zerobeat/io/read.hpp>
#include <zerobeat/judge/judge.hpp>
#include <zerobeat/judge/stacked.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// Records without a key, in the order of these rows.
struct Stack {
  std::vector<Instant> times{};
  std::vector<std::pair<std::string, std::vector<std::string>>> texts{};
  std::vector<std::pair<std::string, std::vector<std::optional<std::int64_t>>>> numbers{};
};

Records records_of(const Stack& stack) {
  Records records;
  records.name = "stack";
  records.time.name = "time";
  records.times = Column::times(Buffer<Instant>(std::span<const Instant>(stack.times)));
  records.values = Table(stack.times.size());
  for (const auto& [name, cells] : stack.texts) records.values.add(name, texts_of(cells));
  for (const auto& [name, cells] : stack.numbers) records.values.add(name, integers_of(cells));
  auto places = std::make_shared<Places>();
  places->add_rows(0, 2, stack.times.size(), std::vector<Places::Run>{{0, 2}});
  records.places = places;
  records.source = std::make_shared<SourceAccount>();
  return records;
}

Instant minute(int i) { return clock("00:00") + std::chrono::minutes(i); }

std::string found(const Stack& stack) {
  const auto finding = find_stacked(records_of(stack));
  return finding ? finding->message : "";
}

/// Every minute a record of each of these series, in turn.
template <typename Name>
Stack in_turn(int minutes, int series, Name&& put) {
  Stack stack;
  for (int i = 0; i < minutes; ++i) {
    for (int s = 0; s < series; ++s) {
      stack.times.push_back(minute(i));
      put(stack, s);
    }
  }
  return stack;
}

}  // namespace

TEST_CASE("a column of names that tells series apart is named", "[stacked]") {
  Stack stack = in_turn(60, 3, [](Stack& records, int s) {
    if (records.texts.empty()) records.texts = {{"probe", {}}, {"note", {}}};
    records.texts[0].second.push_back(fmt::format("cold_{}", s));
    records.texts[1].second.push_back("same");
  });
  CHECK_THAT(found(stack), Catch::StartsWith("records of 3 series read as one:") &&
                               Catch::EndsWith("tell them apart: ‹key› probe"));
}

TEST_CASE("a name that needs quotes is named in them", "[stacked]") {
  const Stack stack = in_turn(60, 2, [](Stack& records, int s) {
    if (records.texts.empty()) records.texts = {{"probe, id", {}}};
    records.texts[0].second.push_back(s == 0 ? "a" : "b");
  });
  CHECK_THAT(found(stack), Catch::EndsWith("‹key› \"probe, id\""));
}

TEST_CASE("whole numbers tell series apart where no names do", "[stacked]") {
  const Stack stack = in_turn(60, 4, [](Stack& records, int s) {
    if (records.numbers.empty()) records.numbers = {{"berth", {}}, {"kg", {}}};
    records.numbers[0].second.push_back(7 + s);
    records.numbers[1].second.push_back(records.times.size() % 90);
  });
  CHECK_THAT(found(stack),
             Catch::Contains("records of 4 series") && Catch::EndsWith("‹key› berth"));
}

TEST_CASE("a pair of columns tells series apart where none alone does", "[stacked]") {
  const Stack stack = in_turn(80, 6, [](Stack& records, int s) {
    if (records.texts.empty()) records.texts = {{"quay", {}}, {"species", {}}, {"weather", {}}};
    records.texts[0].second.push_back(s / 3 == 0 ? "north" : "south");
    records.texts[1].second.push_back(fmt::format("s{}", s % 3));
    records.texts[2].second.push_back(records.times.size() % 100 < 50 ? "fair" : "foul");
  });
  CHECK_THAT(found(stack),
             Catch::Contains("records of 6 series") && Catch::EndsWith("‹key› quay+species"));
}

TEST_CASE("a pair may be of a name and a number", "[stacked]") {
  const Stack stack = in_turn(80, 4, [](Stack& records, int s) {
    if (records.texts.empty()) {
      records.texts = {{"quay", {}}};
      records.numbers = {{"berth", {}}};
    }
    records.texts[0].second.push_back(s / 2 == 0 ? "north" : "south");
    records.numbers[0].second.push_back(1 + s % 2);
  });
  CHECK_THAT(found(stack), Catch::EndsWith("‹key› quay+berth"));
}

TEST_CASE("one series, few records and keys that are given need no word", "[stacked]") {
  Stack one;
  for (int i = 0; i < 200; ++i) one.times.push_back(minute(i));
  one.texts = {{"gear", {}}};
  for (int i = 0; i < 200; ++i) one.texts[0].second.push_back(i % 2 == 0 ? "net" : "pot");
  CHECK(found(one).empty());
  const auto put = [](Stack& stack, int s) {
    if (stack.texts.empty()) stack.texts = {{"probe", {}}};
    stack.texts[0].second.push_back(s == 0 ? "a" : "b");
  };
  CHECK(found(in_turn(3, 2, put)).empty());
  Records keyed = records_of(in_turn(60, 2, put));
  keyed.key_name = "probe";
  CHECK(!find_stacked(keyed));
}

TEST_CASE("a column with as many values as a fifth of the records is no key", "[stacked]") {
  int next = 0;
  const Stack stack = in_turn(60, 2, [&](Stack& records, int) {
    if (records.texts.empty()) records.texts = {{"id", {}}};
    records.texts[0].second.push_back(fmt::format("r{}", next++ / 2));
  });
  CHECK(found(stack).empty());
}

TEST_CASE("series that stand one after the other are told by their blocks", "[stacked]") {
  Stack stack;
  stack.texts = {{"site", {}}};
  std::mt19937 random(5);
  for (int s = 0; s < 3; ++s) {
    Instant t = minute(0);
    for (int i = 0; i < 100; ++i) {
      t += std::chrono::seconds(10 + random() % 500);
      stack.times.push_back(t);
      stack.texts[0].second.push_back(fmt::format("site {}", s));
    }
  }
  const Records records = records_of(stack);
  const auto finding = find_stacked(records);
  REQUIRE(finding);
  CHECK(finding->kind == "stacked");
  CHECK(finding->count == 300);
  CHECK(finding->first_line == 2);
  CHECK_THAT(finding->message, Catch::EndsWith("‹key› site"));
}

}  // namespace zerobeat::testing
