// Columns that another library hands over, and what it gets back.

#include <cstring>
#include <zerobeat/io/arrow_data.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// A struct of one column, made by hand as another library would, which counts its releases.
struct Given {
  ArrowSchema child_schema{}, dictionary_schema{}, schema{};
  ArrowArray child{}, dictionary{}, array{};
  ArrowSchema* schemas[1] = {&child_schema};
  ArrowArray* arrays[1] = {&child};
  const void* no_bits[1] = {nullptr};
  const void* buffers[3] = {nullptr, nullptr, nullptr};
  const void* words[3] = {nullptr, nullptr, nullptr};
  static inline int released = 0;

  Given(const char* format, const void* values, std::int64_t rows, std::int64_t offset = 0) {
    released = 0;
    child_schema.format = format;
    child_schema.name = "v";
    schema.format = "+s";
    schema.n_children = 1;
    schema.children = schemas;
    schema.release = [](ArrowSchema* given) {
      ++released;
      given->release = nullptr;
    };
    buffers[1] = values;
    child.length = rows;
    child.offset = offset;
    child.n_buffers = 2;
    child.buffers = buffers;
    array.length = rows;
    array.n_buffers = 1;
    array.buffers = no_bits;
    array.n_children = 1;
    array.children = arrays;
    array.release = [](ArrowArray* given) {
      ++released;
      given->release = nullptr;
    };
  }

  Column column() { return import_arrow(&schema, &array).column("v"); }
  std::string refused() {
    return refusal(Error::Kind::usage, [&] { static_cast<void>(import_arrow(&schema, &array)); });
  }
};

}  // namespace

TEST_CASE("what leaves through the C data interface comes back the same", "[arrow]") {
  Timeline timeline = random_timeline(200, 4, 3);
  Table table(timeline.rows());
  table.add("time", timeline.time_column());
  for (const auto& name : timeline.values().names())
    table.add(name, timeline.values().column(name));
  std::vector<std::string> gear;
  std::vector<bool> open;
  for (std::size_t i = 0; i < table.rows(); ++i) {
    gear.push_back(i % 5 == 0 ? "" : i % 2 == 0 ? "net" : "line");
    open.push_back(i % 3 == 0);
  }
  table.add("gear", texts_of(gear));
  table.add("open", Column(open));
  ArrowSchema schema;
  ArrowArray array;
  export_arrow(table, &schema, &array);
  const Table back = import_arrow(&schema, &array);
  CHECK(schema.release == nullptr);
  CHECK(array.release == nullptr);
  CHECK(back.names() == table.names());
  for (const auto& name : table.names()) {
    INFO(name);
    CHECK(back.column(name) == table.column(name));
  }
  // Of one's own memory, and not a copy of it.
  CHECK(back.column("level").numbers().data() == table.column("level").numbers().data());
  CHECK(back.column("time").times().data() == table.column("time").times().data());
}

TEST_CASE("what was taken over is released once, when its last column goes", "[arrow]") {
  const double values[] = {1, 2, 3, 4};
  Given given("g", values, 3, 1);
  {
    const Column column = given.column();
    CHECK(column.numbers().data() == values + 1);
    CHECK(column == column_of({2, 3, 4}));
    CHECK(Given::released == 1);  // the schema is not needed any more
    CHECK(given.array.release == nullptr);
  }
  CHECK(Given::released == 2);
  Given refused("+l", values, 1);
  CHECK(refused.refused() ==
        "column \"v\" is of Arrow's type \"+l\", which is no reading; leave it out");
  CHECK(Given::released == 2);
  CHECK_THAT(refused.refused(), Catch::Contains("not yet released"));
}

TEST_CASE("missing readings hide what stands behind them", "[arrow]") {
  const double values[] = {1, 77, 3};
  const std::uint64_t bits = 0b101;
  Given given("g", values, 3);
  given.buffers[0] = &bits;
  given.child.null_count = 1;
  const Column column = given.column();
  CHECK(column == column_of({1, missing, 3}));
  CHECK(column.numbers()[1] == 0);
  // Rows that the struct says are not there.
  Given rows("g", values, 3);
  rows.no_bits[0] = &bits;
  rows.array.null_count = 1;
  CHECK(rows.column() == column_of({1, missing, 3}));
}

TEST_CASE("other widths, units and letters are read as what they are", "[arrow]") {
  const float singles[] = {0.5F, 1.5F};
  CHECK(Given("f", singles, 2).column() == column_of({0.5, 1.5}));
  const std::int8_t bytes[] = {-1, 7};
  CHECK(Given("c", bytes, 2).column() == integers_of({-1, 7}));
  const std::uint32_t wide[] = {4'000'000'000U, 1};
  CHECK(Given("I", wide, 2).column() == integers_of({4'000'000'000, 1}));
  const std::uint64_t beyond[] = {~std::uint64_t{0}};
  CHECK_THAT(Given("L", beyond, 1).refused(), Catch::Contains("row 0: 18446744073709551615"));
}

TEST_CASE("times of any unit are instants, those out of range are refused", "[arrow]") {
  const std::int64_t whole[] = {90};
  const auto time_of = [&](const char* format) {
    const Column column = Given(format, whole, 1).column();
    return column.times()[0];
  };
  CHECK(time_of("tss:UTC") == instant_of(90'000'000'000));
  CHECK(time_of("tsm:Europe/Dublin") == instant_of(90'000'000));
  CHECK(time_of("tsu:") == instant_of(90'000));
  CHECK(time_of("tsn:") == instant_of(90));
  const std::int32_t days[] = {2, 0};
  const Column dates = Given("tdD", days, 1).column();
  CHECK(to_text(dates.times()[0], 0) == "1970-01-03T00:00:00Z");
  const std::int64_t far[] = {std::int64_t{1} << 62};
  CHECK_THAT(Given("tss:", far, 1).refused(), Catch::Contains("before 1678 or after 2261"));
}

TEST_CASE("texts come as letters or as codes, and damage is told", "[arrow]") {
  const std::int32_t offsets[] = {0, 3, 3, 7};
  Given letters("u", offsets, 3);
  letters.buffers[2] = "netline";
  letters.child.n_buffers = 3;
  const Column words = letters.column();
  CHECK(words.dictionary() == Column::Dictionary{"net", "", "line"});
  const std::int32_t back[] = {3, 0};
  Given damaged("u", back, 1);
  damaged.buffers[2] = "net";
  damaged.child.n_buffers = 3;
  CHECK_THAT(damaged.refused(), Catch::Contains("row 0: its text ends before it begins"));

  const auto coded = [&](Given& given) {
    given.dictionary_schema.format = "u";
    given.child_schema.dictionary = &given.dictionary_schema;
    given.words[1] = offsets;
    given.words[2] = "netline";
    given.dictionary.length = 3;
    given.dictionary.n_buffers = 3;
    given.dictionary.buffers = given.words;
    given.child.dictionary = &given.dictionary;
  };
  const std::int8_t codes[] = {2, 0, 2};
  Given good("c", codes, 3);
  coded(good);
  const Column gear = good.column();
  CHECK(gear.text(0) == "line");
  CHECK(gear.text(1) == "net");
  const std::int8_t wrong[] = {0, 3};
  Given beyond("c", wrong, 2);
  coded(beyond);
  CHECK_THAT(beyond.refused(),
             Catch::Contains("row 1: code 3 is beyond its dictionary of 3 texts"));
  Given shorter("g", offsets, 1);
  shorter.array.length = 5;
  CHECK_THAT(shorter.refused(), Catch::Contains("has 1 rows where the others have 5"));
  Given bufferless("g", nullptr, 1);
  CHECK_THAT(bufferless.refused(), Catch::Contains("a buffer is absent"));
}

}  // namespace zerobeat::testing
