// Whatever a program can build is sound, or it is refused by name.

#include <cmath>
#include <cstring>
#include <limits>
#include <type_traits>
#include <zerobeat/table/made.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

const double nan = std::nan("");

Buffer<std::uint64_t> words(std::size_t count) {
  return Buffer<std::uint64_t>(count, ~std::uint64_t{0});
}

/// Whether an expression of a value that nobody keeps compiles.
template <typename T>
constexpr bool gives_numbers = requires {
  std::declval<T>().numbers();
};
template <typename T>
constexpr bool gives_times = requires {
  std::declval<T>().times();
};

static_assert(gives_numbers<const Column&> && !gives_numbers<Column>);
static_assert(gives_times<const Timeline&> && !gives_times<Timeline>);
static_assert(gives_times<const Column&> && !gives_times<const Column>);
static_assert(!std::is_reference_v<decltype(std::declval<Timeline>().values())>);
static_assert(!std::is_reference_v<decltype(std::declval<Table>().column("x"))>);

}  // namespace

TEST_CASE("a validity has a bit for each reading", "[column]") {
  CHECK(usage([] { Validity(words(1), 65); }) ==
        "a validity of 65 readings needs 2 words of 64 bits, and has 1");
  Buffer<std::uint64_t> some = words(1);
  some[0] = 1;
  const Validity one_of_two(std::move(some), 2);
  CHECK(one_of_two.size() == 2);
  CHECK(usage([&] { Column::numbers(Buffer<double>(3, 1.0), one_of_two); }) ==
        "a column of 3 readings has a validity of 2");
  CHECK(usage([&] { Column::integers(Buffer<std::int64_t>(1, 1), one_of_two); }) ==
        "a column of 1 readings has a validity of 2");
  CHECK(usage([&] { Column::booleans(words(1), 65); }) ==
        "65 booleans need 2 words of 64 bits, and have 1");
}

TEST_CASE("a text's code is a place in its dictionary", "[column]") {
  const auto gear = std::make_shared<const Column::Dictionary>(Column::Dictionary{"net", "line"});
  const auto codes = [](std::vector<std::int32_t> all) { return Buffer<std::int32_t>(all); };
  CHECK(Column::text(codes({0, 1, 1}), gear).text(2) == "line");
  CHECK(usage([&] {
          Column::text(codes({0, 2}), gear);
        }) == "a text's code is 2, and the dictionary has 2 texts; codes are places in it, from 0");
  CHECK_THAT(usage([&] { Column::text(codes({-1}), gear); }),
             Catch::StartsWith("a text's code is -1"));
  CHECK_THAT(usage([&] { Column::text(codes({0}), nullptr); }),
             Catch::Contains("has a dictionary"));
  // What stands behind a missing reading does not count.
  ValidityBuilder there(2);
  there.set_missing(1);
  const Column half = Column::text(codes({0, 77}), gear, there.take());
  CHECK(half.codes()[1] == 0);
}

TEST_CASE("not a number is missing from the moment a column is made", "[column]") {
  const double values[] = {1, nan, 3};
  const Column from_buffer = Column::numbers(Buffer<double>(std::span<const double>(values)));
  const Column from_vector(std::vector<double>{1, nan, 3});
  const auto owner = std::make_shared<std::vector<double>>(std::vector<double>{1, nan, 3});
  const Column from_borrowed(borrow(std::span<double>(*owner), owner));
  for (const Column& column : {from_buffer, from_vector, from_borrowed}) {
    CHECK(column.validity().missing() == 1);
    CHECK_FALSE(column.valid(1));
    CHECK(column.numbers()[1] == 0);
    CHECK(column.numbers()[2] == 3);
  }
  CHECK(std::isnan((*owner)[1]));  // what was borrowed stays as it is
  // Missing already, and not a number besides.
  ValidityBuilder there(3);
  there.set_missing(0);
  const Column both =
      Column::numbers(Buffer<double>(std::span<const double>(values)), there.take());
  CHECK(both.validity().missing() == 2);
  CHECK(both.numbers_or(-1) == std::vector<double>{-1, -1, 3});
  CHECK(std::isnan(both.numbers_or(nan)[0]));
  CHECK(integers_of({4, missing}).numbers_or(0.5) == std::vector<double>{4, 0.5});
  CHECK_THROWS_WITH(texts_of({"net"}).numbers_or(0), Catch::Contains("holds text"));
}

TEST_CASE("what is moved or borrowed is not copied", "[column]") {
  std::vector<double> levels{1, 2, 3};
  const double* const at = levels.data();
  const Column moved(std::move(levels));
  CHECK(moved.numbers().data() == at);
  const auto owner = std::make_shared<std::vector<std::int64_t>>(std::vector<std::int64_t>{4, 5});
  const Column shared(borrow(std::span<const std::int64_t>(*owner), owner));
  CHECK(shared.integers().data() == owner->data());
  CHECK(owner.use_count() == 2);
  CHECK(usage([] {
          const double values[] = {1};
          Column(borrow(std::span<const double>(values), nullptr));
        }) == "borrowed values need an owner that keeps them");
  // Values that stand where none of their type can are copied, the rest is as ever.
  const auto bytes = std::make_shared<std::vector<char>>(1 + 3 * sizeof(double));
  const double odd[] = {1, nan, 3};
  std::memcpy(bytes->data() + 1, odd, sizeof(odd));
  const auto* const at_one = reinterpret_cast<const double*>(bytes->data() + 1);
  CHECK(Column(borrow(std::span<const double>(at_one, 3), bytes)) == column_of({1, missing, 3}));
  const Column truths(std::vector<bool>{true, false, true});
  CHECK(truths.boolean(2));
  CHECK_FALSE(truths.boolean(1));
  const Column gear(std::vector<std::string>{"net", "line", "net"});
  CHECK(gear.dictionary() == Column::Dictionary{"net", "line"});
  CHECK(gear.text(2) == "net");
}

TEST_CASE("what was moved from is empty", "[column]") {
  Column column = column_of({1, missing});
  const Column taken = std::move(column);
  CHECK(taken.size() == 2);
  CHECK(column.size() == 0);  // NOLINT: that is what is asked
  CHECK(column.validity().all());
  CHECK(column.numbers().empty());
  Timeline timeline = strand("00:00 1", "00:10 2");
  const Timeline held = std::move(timeline);
  CHECK(held.rows() == 2);
  CHECK(timeline.rows() == 0);  // NOLINT
  CHECK(timeline.strands().empty());
  CHECK(timeline.values().rows() == 0);
}

TEST_CASE("a timeline's parts fit together, or it is said which do not", "[timeline]") {
  const Timeline good = strand("00:00 1", "00:10 2", "00:20 3");
  const auto with = [&](const std::function<void(Timeline::Parts&)>& change) {
    return usage([&] {
      Timeline::Parts parts = good.parts();
      change(parts);
      Timeline(std::move(parts));
    });
  };
  CHECK(with([](auto& parts) {
          const std::int64_t rows[] = {1, 0, 2};
          parts.times = parts.times.gather(rows);
        }) ==
        "row 1: 2025-10-20T00:00:00Z is before 2025-10-20T00:10:00Z, the time of the row "
        "before; timeline() and settle() sort");
  CHECK_THAT(
      with([](auto& parts) { parts.strands[0].end = 2; }),
      Catch::StartsWith("a timeline's columns are of one length: there are 3 times, 2 rows"));
  CHECK_THAT(with([](auto& parts) { parts.strands[0].begin = 1; }),
             Catch::Contains("are no strand"));
  CHECK_THAT(with([](auto& parts) { parts.values = Table(2); }),
             Catch::Contains("and 2 of values"));
  CHECK_THAT(with([](auto& parts) {
               const std::int64_t rows[] = {0, -1, 2};
               parts.times = parts.times.gather(rows);
             }),
             Catch::StartsWith("1 of a timeline's times are missing"));
}

TEST_CASE("an account may lack its sources", "[account]") {
  Account account;
  account.sources.push_back(nullptr);
  CHECK(account.records() == 0);
  CHECK(to_text(account).empty());
  CHECK_THAT(usage([&] { static_cast<void>(account.last()); }), Catch::Contains("without steps"));
}

TEST_CASE("a column grows at its end, and those that it was stay", "[column]") {
  std::mt19937 random(5);
  const auto readings_of = [&](std::size_t size) {
    Readings out;
    for (std::size_t i = 0; i < size; ++i) {
      out.push_back(random() % 4 == 0 ? std::nullopt : std::optional(double(random() % 100)));
    }
    return out;
  };
  Readings all = readings_of(70);
  Column column = column_of(all);
  const Column first = column;
  for (const std::size_t size : {0, 1, 63, 64, 65, 200, 3}) {
    const Readings more = readings_of(size);
    const Column before = column;
    column = column.appended(column_of(more));
    all.insert(all.end(), more.begin(), more.end());
    CHECK(column == column_of(all));
    CHECK(before ==
          column_of(Readings(all.begin(), all.end() - static_cast<std::ptrdiff_t>(size))));
    // Two that grow out of one do not meet.
    const Column other = before.appended(column_of({7, missing}));
    CHECK(other.size() == before.size() + 2);
    CHECK(column == column_of(all));
  }
  CHECK(first.size() == 70);
  CHECK(texts_of({"net", "line"}).appended(texts_of({"line", "", "trap"})) ==
        texts_of({"net", "line", "line", "", "trap"}));
  CHECK(integers_of({1, missing}).appended(column_of({2.5})) == column_of({1, missing, 2.5}));
  CHECK(Column(std::vector<bool>{true}).appended(Column(std::vector<bool>{false, true})) ==
        Column(std::vector<bool>{true, false, true}));
  CHECK(usage([&] { static_cast<void>(column.appended(texts_of({"net"}))); }) ==
        "a column of numbers can't be followed by one of texts");
}

TEST_CASE("a column that grows does so in its own memory", "[column]") {
  Column column = column_of({1, 2}).appended(column_of({3}));
  const double* const at = column.numbers().data();
  for (int i = 0; i < 100; ++i) column = column.appended(column_of({double(i)}));
  CHECK(column.numbers().data() == at);
  CHECK(column.size() == 103);
  CHECK(column.numbers()[102] == 99);
}

TEST_CASE("places, enumerators and zones that are not there are told", "[account]") {
  CHECK(usage([] { static_cast<void>(Places().line(0)); }) == "record 0 has no place: there are 0");
  Places one;
  const Places::Run run{0, 7};
  one.add_rows(6, 7, 1, {&run, 1});
  CHECK(one.line(0) == 7);
  CHECK(one.byte(0) == 6);
  CHECK(usage([&] { static_cast<void>(one.byte(1)); }) == "record 1 has no place: there are 1");
  const std::int64_t rows[] = {0, 1};
  CHECK_THAT(usage([&] { static_cast<void>(one.kept(rows)); }), Catch::StartsWith("record 1"));
  SourceAccount account;
  account.source = "tide.csv";
  CHECK(usage([&] { static_cast<void>(account.part_of(0)); }) ==
        "a place in part 0 of tide.csv, which has 0");
  CHECK(usage([] { static_cast<void>(to_text(static_cast<Column::Type>(9))); }) ==
        "the enumerator 9 is none of its type");
  CHECK_THAT(usage([] { static_cast<void>(to_text(Take{.stat = static_cast<Stat>(255)})); }),
             Catch::Contains("no statistic number 255"));
  Zone dublin = Zone::find("Europe/Dublin");
  const Zone taken = std::move(dublin);
  CHECK(dublin.name() == taken.name());  // NOLINT: that is what is asked
}

}  // namespace zerobeat::testing
