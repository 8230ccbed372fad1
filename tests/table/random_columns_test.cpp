// Columns against plain vectors: gathered, put together, compared; and what stands in timelines.

#include <algorithm>
#include <numeric>
#include <set>
#include <zerobeat/table/column.hpp>

#include "support/strand.hpp"
#include "table/key_column.hpp"

namespace zerobeat::testing {

namespace {

using Type = Column::Type;

/// A reading of any type as text; "-" where there is none.
std::string cell(const Column& column, std::size_t i) {
  if (!column.valid(i)) return "-";
  switch (column.type()) {
    case Type::number:
      return fmt::format("{}", column.numbers()[i]);
    case Type::integer:
      return fmt::format("{}", column.integers()[i]);
    case Type::boolean:
      return column.boolean(i) ? "true" : "false";
    case Type::text:
      return column.text(i);
    case Type::time:
      break;
  }
  return to_text(column.times()[i]);
}

std::vector<std::string> cells(const Column& column) {
  std::vector<std::string> out;
  for (std::size_t i = 0; i < column.size(); ++i) out.push_back(cell(column, i));
  return out;
}

/// A column of random readings of a type; none missing when `whole`.
Column random_column(Type type, std::size_t n, bool whole, std::mt19937& random) {
  ValidityBuilder validity(n);
  for (std::size_t i = 0; i < n; ++i) {
    if (!whole && random() % 4 == 0) validity.set_missing(i);
  }
  switch (type) {
    case Type::number: {
      Buffer<double> values(n);
      for (double& value : values) value = static_cast<double>(random() % 1000) / 8;
      return Column::numbers(std::move(values), validity.take());
    }
    case Type::integer: {
      Buffer<std::int64_t> values(n);
      for (auto& value : values) value = static_cast<std::int64_t>(random()) - 1'000'000;
      return Column::integers(std::move(values), validity.take());
    }
    case Type::boolean: {
      Buffer<std::uint64_t> bits((n + 63) / 64);
      for (auto& bit : bits) bit = std::uint64_t{random()} << 32 | random();
      return Column::booleans(std::move(bits), n, validity.take());
    }
    case Type::text: {
      auto words = std::make_shared<Column::Dictionary>();
      for (const char* word : {"net", "pot", "line", "trawl"}) words->emplace_back(word);
      Buffer<std::int32_t> codes(n);
      for (auto& code : codes) code = static_cast<std::int32_t>(random() % 4);
      return Column::text(std::move(codes), words, validity.take());
    }
    case Type::time:
      break;
  }
  Buffer<Instant> values(n);
  for (Instant& instant : values)
    instant = clock("00:00") + std::chrono::seconds(random() % 10'000);
  return Column::times(std::move(values), validity.take());
}

constexpr Type types[] = {Type::number, Type::integer, Type::boolean, Type::text, Type::time};
constexpr std::size_t sizes[] = {0, 1, 2, 63, 64, 65, 127, 128, 200, 1000};

}  // namespace

TEST_CASE("a column gathers the rows it is asked for, in their order", "[column]") {
  std::mt19937 random(11);
  for (const Type type : types) {
    for (const std::size_t n : sizes) {
      if (n == 0) continue;
      const Column column = random_column(type, n, random() % 3 == 0, random);
      const auto all = cells(column);
      std::vector<std::int64_t> rows;
      std::vector<std::string> expected;
      for (std::size_t k = 0; k < n + n / 2; ++k) {
        rows.push_back(static_cast<std::int64_t>(random() % (n + 1)) - 1);
        expected.push_back(rows.back() < 0 ? "-" : all[static_cast<std::size_t>(rows.back())]);
      }
      INFO(to_text(type) << " of " << n);
      REQUIRE(cells(column.gather(rows)) == expected);
    }
  }
}

TEST_CASE("a column gathers stretches as it gathers their rows", "[column]") {
  std::mt19937 random(13);
  for (const Type type : types) {
    for (const std::size_t n : sizes) {
      const Column column = random_column(type, n, random() % 3 == 0, random);
      std::vector<RowStretch> stretches;
      std::vector<std::int64_t> rows;
      for (std::size_t at = 0; at < n;) {
        const std::size_t begin = std::min(n, at + random() % 5);
        const std::size_t end = std::min(n, begin + random() % 90);
        stretches.push_back({begin, end});
        for (std::size_t i = begin; i < end; ++i) rows.push_back(static_cast<std::int64_t>(i));
        at = end + 1;
      }
      INFO(to_text(type) << " of " << n);
      const Column got = column.gather(stretches);
      REQUIRE(cells(got) == cells(column.gather(rows)));
      REQUIRE(got == column.gather(rows));
    }
  }
}

TEST_CASE("all of a column is the column itself", "[column]") {
  std::mt19937 random(17);
  const Column column = random_column(Type::number, 100, false, random);
  const RowStretch all[] = {{0, 100}};
  const Column same = column.gather(all);
  CHECK(same.numbers().data() == column.numbers().data());
}

TEST_CASE("columns one after the other have the readings of each", "[column]") {
  std::mt19937 random(19);
  for (const Type type : types) {
    std::vector<Column> columns;
    std::vector<std::string> expected;
    for (const std::size_t n : {3, 0, 64, 65, 1, 130}) {
      columns.push_back(random_column(type, n, n == 64, random));
      const auto own = cells(columns.back());
      expected.insert(expected.end(), own.begin(), own.end());
    }
    INFO(to_text(type));
    CHECK(cells(concatenate(columns)) == expected);
  }
  const std::vector<Column> both{integers_of({1, std::nullopt}), column_of({2.5})};
  CHECK(concatenate(both).type() == Type::number);
  CHECK(cells(concatenate(both)) == std::vector<std::string>{"1", "-", "2.5"});
  const std::vector<Column> unlike{integers_of({1}), texts_of({"a"})};
  CHECK_THROWS_WITH(concatenate(unlike), "columns of several types make no column");
  CHECK(concatenate({}).size() == 0);
}

TEST_CASE("texts that come together have one dictionary without doubles", "[column]") {
  const std::vector<Column> columns{texts_of({"net", "pot", "net"}), texts_of({"line", "net", ""}),
                                    texts_of({"pot"})};
  const Column all = concatenate(columns);
  const auto& words = all.dictionary();
  CHECK(std::set<std::string>(words.begin(), words.end()).size() == words.size());
  CHECK(cells(all) == std::vector<std::string>{"net", "pot", "net", "line", "net", "-", "pot"});
}

TEST_CASE("columns are equal by their readings, whatever stands behind missing ones", "[column]") {
  CHECK(column_of({1, missing, 3}) == column_of({1, missing, 3}));
  CHECK(!(column_of({1, missing, 3}) == column_of({1, 2, 3})));
  CHECK(!(column_of({1}) == column_of({1, 2})));
  CHECK(!(column_of({1}) == integers_of({1})));
  CHECK(texts_of({"a", "b"}) == texts_of({"a", "b"}));
  CHECK(!(texts_of({"a", "b"}) == texts_of({"a", "c"})));
}

TEST_CASE("a column of another type is refused by its name", "[column]") {
  const Column text = texts_of({"a"});
  const Column one = column_of({1});
  CHECK_THROWS_WITH(text.numbers(), "the column holds text, not number");
  CHECK_THROWS_WITH(text.integers(), "the column holds text, not integer");
  CHECK_THROWS_WITH(one.codes(), "the column holds number, not text");
  CHECK_THROWS_WITH(column_of({1}).boolean(0), "the column holds number, not boolean");
  CHECK_THROWS_WITH(one.dictionary(), "the column holds number, not text");
  CHECK_THROWS_WITH(text.as_numbers(), "the column holds text, not integer");
}

TEST_CASE("what is missing is 0 behind the bit, in every type", "[column]") {
  std::mt19937 random(23);
  for (const std::size_t n : sizes) {
    const Column numbers = random_column(Type::number, n, false, random);
    const Column wholes = random_column(Type::integer, n, false, random);
    const Column codes = random_column(Type::text, n, false, random);
    const Column times = random_column(Type::time, n, false, random);
    const Column bits = random_column(Type::boolean, n, false, random);
    for (std::size_t i = 0; i < n; ++i) {
      if (!numbers.valid(i)) REQUIRE(numbers.numbers()[i] == 0);
      if (!wholes.valid(i)) REQUIRE(wholes.integers()[i] == 0);
      if (!codes.valid(i)) REQUIRE(codes.codes()[i] == 0);
      if (!times.valid(i)) REQUIRE(times.times()[i] == Instant{});
      if (!bits.valid(i)) REQUIRE(!bits.boolean(i));
    }
    if (n % 64 != 0) REQUIRE(bits.boolean_bits()[n / 64] >> (n % 64) == 0);
  }
}

TEST_CASE("a validity of which nothing is missing takes no memory", "[column]") {
  CHECK(Validity(Buffer<std::uint64_t>(3, ~std::uint64_t{0}), 130).all());
  const Validity some(Buffer<std::uint64_t>(3, 0x5), 130);
  CHECK(!some.all());
  CHECK(some.missing() == 130 - 3 * 2 + 1);
  CHECK(some[0]);
  CHECK(!some[1]);
  ValidityBuilder none(1000);
  CHECK(none.take().all());
}

TEST_CASE("a key of several columns is its own columns again, empty parts missing", "[column]") {
  const auto joined = [](const std::string& a, const std::string& b) { return a + key_mark + b; };
  const Timeline timeline = [&] {
    Timeline::Parts parts;
    parts.name = "quays";
    parts.time_name = "time";
    parts.key_name = joined("quay", "berth");
    parts.times = Column::times(Buffer<Instant>(4, clock("00:00")));
    parts.strands = {{joined("A", "1"), 0, 1}, {joined("A", ""), 1, 2}, {joined("", "1"), 2, 4}};
    parts.values = Table(4);
    parts.values.add("x", column_of({1, 2, 3, 4}));
    return Timeline(std::move(parts));
  }();
  CHECK(timeline.key_names() == std::vector<std::string>{"quay", "berth"});
  Table table(4);
  const std::uint32_t strands[] = {0, 1, 2, 2};
  detail::add_key(table, timeline, strands);
  const Table split = detail::with_own_keys(table);
  REQUIRE(split.names() == std::vector<std::string>{"quay", "berth"});
  CHECK(cells(split.column("quay")) == std::vector<std::string>{"A", "A", "-", "-"});
  CHECK(cells(split.column("berth")) == std::vector<std::string>{"1", "-", "1", "1"});
  const auto& words = split.column("quay").dictionary();
  CHECK(std::set<std::string>(words.begin(), words.end()).size() == words.size());
  CHECK(key_parts(joined("A", "")) == std::vector<std::string>{"A", ""});
}

}  // namespace zerobeat::testing
