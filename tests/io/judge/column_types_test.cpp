// What a column is: text for its zeros, or whatever the user says; and what orders of day and month
// make of dates.

#include <zerobeat/io/read.hpp>

#include "io/judge/date_orders.hpp"
#include "io/source/read_task.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using Type = Column::Type;

/// A column x of these cells.
template <typename Options = ReadOptions>
Records column_x(const std::vector<std::string>& cells, const Options& options = {}) {
  std::string text = "time,x,y\n";
  for (std::size_t i = 0; i < cells.size(); ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:00Z,{},1\n", i / 60, i % 60, cells[i]);
  }
  return read_text(text, options, "berths.csv");
}

std::string finding(const Records& records, const std::string& kind) {
  for (const Finding& found : records.findings) {
    if (found.kind == kind) {
      return fmt::format("{} at line {}: {}", found.count, found.first_line, found.message);
    }
  }
  return "";
}

std::vector<std::string> texts_of_x(const Records& records) {
  const Column& x = records.values.column("x");
  std::vector<std::string> out;
  for (std::size_t i = 0; i < x.size(); ++i) out.push_back(x.valid(i) ? x.text(i) : "-");
  return out;
}

}  // namespace

TEST_CASE("whole numbers that begin with a needless 0 are text, and said to be", "[types]") {
  const Records records = column_x({"12", "08123", "7", "", "0010"});
  CHECK(records.values.column("x").type() == Type::text);
  CHECK(texts_of_x(records) == std::vector<std::string>{"12", "08123", "7", "-", "0010"});
  CHECK_THAT(finding(records, "leading-zeros"),
             Catch::Contains("2 at line 3: whole numbers of x that begin with a 0") &&
                 Catch::Contains("‹number› x"));
  // It is told in commands other than check, too.
  REQUIRE(!records.source->notes.empty());
  CHECK_THAT(records.source->notes[0], Catch::Contains("begin with a 0"));
}

TEST_CASE("one zero, fractions, signs and clocks begin with a 0 that is needed", "[types]") {
  CHECK(column_x({"0", "12", "7"}).values.column("x").type() == Type::integer);
  CHECK(column_x({"0.5", "00.5", "7"}).values.column("x").type() == Type::number);
  CHECK(column_x({"0.5", "012", "7"}).values.column("x").type() == Type::number);
  CHECK(column_x({"-05", "12", "7"}).values.column("x").type() == Type::integer);
  CHECK(column_x({"0e3", "12", "7"}).values.column("x").type() == Type::number);
  for (const auto& cells : {std::vector<std::string>{"0", "12"}, {"0.5", "012"}, {"NA", "1"}}) {
    CHECK(finding(column_x(cells), "leading-zeros").empty());
  }
}

TEST_CASE("a zero far down is found, however many cells are read at once", "[types]") {
  for (const std::size_t at : {std::size_t{0}, std::size_t{7}, std::size_t{63}, std::size_t{64},
                               std::size_t{500}, std::size_t{1199}}) {
    std::vector<std::string> cells;
    for (std::size_t i = 0; i < 1'200; ++i) cells.push_back(std::to_string(1 + i * 7919 % 90'000));
    cells[at] = "0" + cells[at];
    INFO(at);
    detail::ReadTask options;
    options.chunk_bytes = 4'096;
    const Records records = column_x(cells, options);
    CHECK(texts_of_x(records) == cells);
    CHECK_THAT(finding(records, "leading-zeros"),
               Catch::StartsWith(fmt::format("1 at line {}:", at + 2)));
    // An unreadable cell with a 0 is no such number.
    cells[at] = "0?";
    CHECK(column_x(cells, options).values.column("x").type() == Type::integer);
  }
}

TEST_CASE("the user's word on a column's type holds", "[types]") {
  ReadOptions as_number;
  as_number.number = {"x"};
  const Records numbers = column_x({"08123", "12", "n/k"}, as_number);
  CHECK(numbers.values.column("x").type() == Type::integer);
  CHECK(numbers.values.column("x").integers()[0] == 8123);
  CHECK(!numbers.values.column("x").valid(2));
  REQUIRE(numbers.source->faults.size() == 1);
  CHECK(numbers.source->faults[0].reason == Reason::unreadable_reading);
  CHECK(numbers.source->faults[0].line == 4);

  ReadOptions as_text;
  as_text.text = {"x"};
  const Records texts = column_x({"1", "2.5", "NA", ""}, as_text);
  CHECK(texts_of_x(texts) == std::vector<std::string>{"1", "2.5", "NA", "-"});
  CHECK(texts.values.column("y").type() == Type::integer);
  CHECK(texts.findings.empty());
  // Nearly all words, and still numbers.
  CHECK(column_x({"a", "b", "c", "4"}, as_number).values.column("x").type() == Type::integer);
}

TEST_CASE("a column is called text or a number, not both, and is there", "[types]") {
  ReadOptions both;
  both.text = both.number = {"x"};
  CHECK_THROWS_WITH(column_x({"1"}, both), Catch::Contains("‹text› and ‹number› both name \"x\""));
  ReadOptions absent;
  absent.text = {"xx"};
  CHECK_THROWS_WITH(column_x({"1"}, absent), Catch::Contains("‹text›: berths.csv has no column "
                                                             "\"xx\"; there is time, x, y"));
  absent.text = {};
  absent.number = {"z"};
  CHECK_THROWS_WITH(column_x({"1"}, absent), Catch::Contains("‹number›: berths.csv has no column"));
}

TEST_CASE("zeros are found where a column is judged and not kept, too", "[types]") {
  detail::ReadTask judging;
  judging.judge_only = true;
  const Records records = column_x({"01", "2", "3"}, judging);
  REQUIRE(records.seen.size() == 2);
  CHECK(records.seen[0].type == Type::text);
  CHECK_THAT(finding(records, "leading-zeros"), Catch::StartsWith("1 at line 2"));
}

TEST_CASE("strings of digits in JSON keep their zeros", "[types]") {
  ReadOptions options;
  options.from = InputFormat::jsonl;
  const Records records = read_text(
      "{\"at\":\"2025-10-20T00:00:00Z\",\"x\":\"007\"}\n{\"at\":\"2025-10-20T00:01:00Z\",\"x\":8}"
      "\n",
      options, "x.jsonl");
  CHECK(texts_of_x(records) == std::vector<std::string>{"007", "8"});
}

TEST_CASE("what each order of day and month would make of dates is told", "[types]") {
  using detail::made_by_orders;
  const DateOrder both[] = {DateOrder::mdy, DateOrder::dmy};
  std::vector<std::string> months;
  for (int year = 2020; year < 2025; ++year) {
    for (int month = 1; month <= 12; ++month) months.push_back(fmt::format("{}/1/{}", month, year));
  }
  CHECK(
      made_by_orders(months, both) ==
      "as month/day they are monthly, 60 of 60; as day/month they are 12 days of each January, in "
      "order, 60 of 60");
  std::vector<std::string> days;
  for (int day = 1; day <= 12; ++day) days.push_back(fmt::format("{:02}/10/2025", day));
  CHECK(made_by_orders(days, both) ==
        "as month/day they are monthly, 12 of 12; as day/month they are daily, 12 of 12");
  CHECK_THAT(made_by_orders({"01/02/2025", "03/02/2025", "02/02/2025"}, both),
             Catch::Contains("as day/month they are 3 days of each February, 1 of them earlier"));
  const DateOrder three[] = {DateOrder::dmy, DateOrder::ymd};
  CHECK_THAT(made_by_orders({"01/02/03"}, three),
             Catch::Contains("as day/month they are one day, 1 of 1; as year/month/day they are"));
}

TEST_CASE("dates that can be of both orders are refused with what each would make", "[types]") {
  const std::string text = "day,x\n01/02/2025,1\n02/02/2025,2\n03/02/2025,3\n";
  CHECK_THROWS_WITH(read_text(text, {}, "x.csv"),
                    Catch::Contains("whether day or month comes first can't be told") &&
                        Catch::Contains("as day/month they are daily, 3 of 3") &&
                        Catch::Contains("as month/day they are monthly, 3 of 3") &&
                        Catch::Contains("‹date_order› dmy or ‹date_order› mdy"));
  // A look goes on, and finds it.
  detail::ReadTask look;
  look.go_on_ambiguous = true;
  const Records records = read_text(text, look, "x.csv");
  CHECK(records.size() == 3);
  CHECK_THAT(finding(records, "ambiguous-order"),
             Catch::StartsWith("2 at line 0: dates of which whether day or month comes first"));
}

TEST_CASE("a source without times says what may be done", "[types]") {
  const auto why = [](const std::string& text) {
    return refusal(Error::Kind::input, [&] { read_text(text, {}, "x.csv"); });
  };
  // Dates in the header: a column for each.
  CHECK_THAT(why("port,2025-01,2025-02,2025-03\nquay,1,2,3\n"),
             Catch::Contains("3 of the header's 4 cells are dates, from 2025-01 to 2025-03") &&
                 Catch::Contains("reshape ‹into› long"));
  // Steps that are counted.
  CHECK_THAT(why("step,x\n1,5.5\n2,6.5\n3,6.25\n"),
             Catch::Contains("\"step\" counts 1, 2, 3 …") &&
                 Catch::Contains("‹time› step ‹time_format› elapsed-count"));
  CHECK(why("step,x\n1,5.5\n3,6.5\n4,6.25\n").find("counts") == std::string::npos);
  // Of many columns the first.
  std::string wide = "a0", row = "x";
  for (int i = 1; i < 74; ++i) {
    wide += fmt::format(",a{}", i);
    row += ",x";
  }
  const std::string told = why(wide + "\n" + row + "\n");
  CHECK_THAT(told, Catch::Contains("there is a0, a1,") && Catch::Contains("and 62 more"));
  CHECK(told.find("a40") == std::string::npos);
}

TEST_CASE("whole numbers past 64 bits are text, so that none is rounded", "[types]") {
  const Records records = column_x({"12", "18446744073709551615", "7", "", "9223372036854775808"});
  CHECK(texts_of_x(records) ==
        std::vector<std::string>{"12", "18446744073709551615", "7", "-", "9223372036854775808"});
  CHECK_THAT(finding(records, "wide-integers"),
             Catch::Contains("2 at line 3: whole numbers of x that 64 bits do not hold") &&
                 Catch::Contains("‹number› x"));
  // The least and the greatest that there are stay integers.
  CHECK(column_x({"-9223372036854775808", "9223372036854775807"}).values.column("x").type() ==
        Type::integer);
  // Beside a fraction they are numbers, wherever it stands.
  for (const auto& cells : {std::vector<std::string>{"0.5", "18446744073709551615", "1"},
                            {"18446744073709551615", "1", "2.5"},
                            {"1e3", "18446744073709551615"}}) {
    const Records numbers = column_x(cells);
    CHECK(numbers.values.column("x").type() == Type::number);
    CHECK(finding(numbers, "wide-integers").empty());
  }
  CHECK(column_x({"18446744073709551615", "1"}, {.number = {"x"}}).values.column("x").type() ==
        Type::number);
}

TEST_CASE("a wide integer far down is found, and so is a fraction after it", "[types]") {
  for (const std::size_t place :
       {std::size_t{0}, std::size_t{63}, std::size_t{500}, std::size_t{1199}}) {
    std::vector<std::string> cells;
    for (std::size_t i = 0; i < 1'200; ++i) cells.push_back(std::to_string(1 + i * 7919 % 90'000));
    cells[place] = "99999999999999999999";
    detail::ReadTask options;
    options.chunk_bytes = 4'096;
    INFO(place);
    CHECK(texts_of_x(column_x(cells, options)) == cells);
    cells[(place + 700) % 1'200] = "0.5";
    CHECK(column_x(cells, options).values.column("x").type() == Type::number);
  }
}

TEST_CASE("wide integers of JSON lines keep their digits, too", "[types]") {
  const Records records = read_text(
      "{\"time\":\"2025-10-20T00:00:00Z\",\"x\":18446744073709551615}\n"
      "{\"time\":\"2025-10-20T00:01:00Z\",\"x\":7}\n",
      {.from = InputFormat::jsonl});
  CHECK(texts_of_x(records) == std::vector<std::string>{"18446744073709551615", "7"});
  CHECK_THAT(finding(records, "wide-integers"), Catch::StartsWith("1 at line 1"));
}

}  // namespace zerobeat::testing
