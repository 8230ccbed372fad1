#include <zerobeat/judge/records.hpp>
#include <zerobeat/judge/source_account.hpp>
#include <zerobeat/take/take.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("a buffer keeps its values while it grows", "[buffer]") {
  Buffer<std::int64_t> buffer;
  for (std::int64_t i = 0; i < 400'000; ++i) buffer.push_back(i);
  CHECK(reinterpret_cast<std::uintptr_t>(buffer.data()) % 64 == 0);
  bool same = true;
  for (std::int64_t i = 0; i < 400'000; ++i) same &= buffer[static_cast<std::size_t>(i)] == i;
  CHECK(same);
  Buffer<double> retyped = std::move(buffer).retyped<double>();
  CHECK(retyped.size() == 400'000);
  CHECK(buffer.empty());
}

TEST_CASE("a bitmap is there only when something is missing", "[column]") {
  CHECK(column_of({1.0, 2.0}).validity().all());
  const Column column = column_of({1.0, missing, 3.0});
  CHECK(column.validity().missing() == 1);
  CHECK(!column.valid(1));
  // Least significant bit first, as Arrow has it.
  CHECK((column.validity().bits()[0] & 7) == 5);
}

TEST_CASE("gathering takes rows of every type, and -1 is missing", "[column]") {
  const std::vector<std::int64_t> rows{2, -1, 0};
  CHECK(column_of({1.0, 2.0, 3.0}).gather(rows) == column_of({3.0, missing, 1.0}));
  CHECK(integers_of({1, 2, missing}).gather(rows) == integers_of({missing, missing, 1}));
  const Column text = texts_of({"hake", "megrim", "hake"}).gather(rows);
  CHECK(text.text(0) == "hake");
  CHECK(!text.valid(1));
  Buffer<std::uint64_t> bits(1, 0b101);
  const Column truth = Column::booleans(std::move(bits), 3).gather(rows);
  CHECK(truth.boolean(0));
  CHECK(truth.boolean(2));
}

TEST_CASE("a column of another type is refused", "[column]") {
  const Column hake = texts_of({"hake"});
  CHECK_THROWS_WITH(hake.numbers(), "the column holds text, not number");
  CHECK_THROWS_AS(texts_of({"hake"}).as_numbers(), Error);
}

TEST_CASE("a table names the nearest column", "[table]") {
  Table table(1);
  table.add("level_m", column_of({1.0}));
  CHECK_THROWS_WITH(table.column("levl_m"), Catch::Contains("did you mean level_m?"));
  CHECK_THROWS_AS(table.add("level_m", column_of({1.0})), Error);
  CHECK_THROWS_AS(table.add("short", column_of({})), Error);
}

TEST_CASE("a timeline that is not in order can't be", "[timeline]") {
  CHECK_THAT(usage([] {
               timeline_of({{clock("00:10"), clock("00:00")}, {}, {}});
             }),
             Catch::StartsWith("row 1: 2025-10-20T00:00:00Z is before"));
}

TEST_CASE("the typical step is the median step, steps of zero left out", "[timeline]") {
  using namespace std::chrono_literals;
  const std::vector<Instant> times{clock("00:00"), clock("00:00"), clock("00:10"), clock("00:20"),
                                   clock("02:00")};
  CHECK(*typical_step(times) == 10min);
  CHECK(*typical_step(std::vector{clock("00:00"), clock("00:10"), clock("00:40")}) == 20min);
  CHECK(!typical_step(std::vector{clock("00:00"), clock("00:00")}));
}

TEST_CASE("places find a record's line and byte over runs and stretches", "[records]") {
  Places places;
  const std::vector<std::uint32_t> first{0, 10, 25}, second{0, 7};
  const std::vector<Places::Run> first_runs{{0, 2}, {2, 5}}, second_runs{{0, 9}};
  places.add(100, first, first_runs);
  places.add(200, second, second_runs);
  CHECK(places.line(0) == 2);
  CHECK(places.line(1) == 3);
  CHECK(places.line(2) == 5);
  CHECK(places.line(4) == 10);
  CHECK(places.byte(2) == 125);
  CHECK(places.byte(4) == 207);
  const Places kept = places.kept(std::vector<std::int64_t>{1, 4});
  CHECK(kept.byte(0) == 110);
  CHECK(kept.line(1) == 10);
}

TEST_CASE("places of rows are their numbers, between stretches of text too", "[records]") {
  Places places;
  const std::vector<Places::Run> all{{0, 1}}, some{{0, 4}, {1, 7}}, text{{0, 2}};
  places.add_rows(0, 1, 3, all);   // rows 0 to 2
  places.add_rows(3, 4, 2, some);  // rows 3 and 6, of five
  places.add(1'000, std::vector<std::uint32_t>{5}, text);
  places.add_rows(2'000, 1, 1, all);
  REQUIRE(places.size() == 7);
  const std::vector<std::uint64_t> lines{1, 2, 3, 4, 7, 2, 1}, bytes{0, 1, 2, 3, 6, 1'005, 2'000};
  const auto same = [&](const Places& known, std::vector<std::int64_t> records) {
    REQUIRE(known.size() == records.size());
    for (std::size_t i = 0; i < records.size(); ++i) {
      CHECK(known.line(i) == lines[static_cast<std::size_t>(records[i])]);
      CHECK(known.byte(i) == bytes[static_cast<std::size_t>(records[i])]);
    }
  };
  same(places, {0, 1, 2, 3, 4, 5, 6});
  same(places.kept(std::vector<std::int64_t>{1, 4, 5, 6}), {1, 4, 5, 6});
  same(places.kept(std::vector<std::int64_t>{0, 3, 6}), {0, 3, 6});
}

TEST_CASE("text that is not UTF-8 is shown as U+FFFD", "[account]") {
  CHECK(printable("caf\xc3\xa9") == "caf\xc3\xa9");
  CHECK(printable("a\xff\xfe") == "a\xef\xbf\xbd\xef\xbf\xbd");
  CHECK(utf8_length("\xed\xa0\x80") == 0);  // a surrogate
  CHECK(utf8_length("\xf0\x9f\x90\x9f") == 4);
  CHECK(utf8_length("\xc0\xaf") == 0);  // overlong
  CHECK(grouped(-1234567) == "-1,234,567");
}

namespace {

std::vector<Take> takes(const std::string& text) {
  std::vector<Take> out;
  from_text(text, out);
  return out;
}

}  // namespace

TEST_CASE("takes are read with names, columns and arguments", "[take]") {
  const auto all = takes("level=mean(level_m), count(), quantile(x,0.95), wmean(price,kg), max");
  REQUIRE(all.size() == 5);
  CHECK(all[0] == mean("level_m").as("level"));
  CHECK(all[1] == count());
  CHECK(all[2] == quantile("x", 0.95));
  CHECK(all[3] == wmean("price", "kg"));
  CHECK(all[4].column.empty());
  CHECK(all[2].result_name() == "x_q95");
  CHECK(quantile("x", 0.995).result_name() == "x_q99_5");
  CHECK(count().result_name() == "count");
  CHECK(count("x").result_name() == "x_count");
  CHECK(takes(to_text(all)) == all);
}

TEST_CASE("a take that can't be read says what would be right", "[take]") {
  CHECK_THROWS_WITH(takes("maen(x)"), Catch::Contains("did you mean mean?"));
  CHECK_THROWS_WITH(takes("quantile(x)"), Catch::Contains("quantile(x,0.95)"));
  CHECK_THROWS_AS(takes("quantile(x,1.5)"), Error);
  CHECK_THROWS_AS(takes("mean(x"), Error);
  CHECK_THROWS_AS(takes("mean()"), Error);
  CHECK_THROWS_AS(takes("=mean(x)"), Error);
  CHECK_THROWS_AS(takes("a=mean"), Error);
  CHECK_THROWS_AS(takes(""), Error);
}

}  // namespace zerobeat::testing
