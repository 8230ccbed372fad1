// Which column of a source is taken for its times, by what stands in it and beside it.

#include <zerobeat/io/read.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

struct Found {
  const char* text;
  const char* name;
  const char* format;
};

}  // namespace

TEST_CASE("times are the first column that reads as such, by what its cells are", "[time_column]") {
  static constexpr Found all[] = {
      // A column of text before it, numbers beside it.
      {"probe,x,at\ncold_1,1,2025-10-20T00:00:00Z\ncold_2,2,2025-10-20T00:01:00Z\n", "at", "iso"},
      // Of two the first.
      {"made,sent\n2025-10-20 00:00:00,2025-10-21 00:00:00\n", "made", "iso"},
      // Numbers too small for an epoch are readings, large ones times.
      {"kg,ms\n1500,1760918400000\n1600,1760918401000\n", "ms", "epoch-ms"},
      {"s,kg\n1760918400,1500\n1760918401,1600\n", "s", "epoch-s"},
      // Years are times when nothing else is.
      {"year,landed\n2021,2025-10-20\n2022,2025-10-21\n", "landed", "iso"},
      {"kg,year\nmuch,2021\nmore,2022\n", "year", "iso"},
      // Half of the cells may be at fault.
      {"note,at\nx,2025-10-20T00:00:00Z\ny,out of order\n", "at", "iso"},
      // What is missing says nothing.
      {"a,at\n,\n,2025-10-20T00:00:00Z\nNA,2025-10-20T00:01:00Z\n", "at", "iso"},
      {"on\n25/12/2025\n26/12/2025\n", "on", "dmy"},
      {"on\n12/25/2025\n12/26/2025\n", "on", "mdy"},
  };
  for (const auto& [text, name, format] : all) {
    INFO(text);
    const Records records = read_text(text, {}, "x.csv");
    CHECK(records.time.name == name);
    CHECK(records.time.format == format);
  }
}

TEST_CASE("a key is no time, though it reads as one", "[time_column]") {
  const char* text =
      "day,at,x\n2025-10-20,2025-10-21T00:00:00Z,1\n2025-10-22,2025-10-23T00:00:00Z,2\n";
  CHECK(read_text(text, {}, "x.csv").time.name == "day");
  ReadOptions by_day;
  by_day.key = "day";
  const Records records = read_text(text, by_day, "x.csv");
  CHECK(records.time.name == "at");
  CHECK(records.key_name == "day");
  CHECK(records.keys->text(0) == "2025-10-20");
}

TEST_CASE("columns are named with + between them, quotes hold a + of a name's own",
          "[time_column]") {
  const char* text = "day,clock,a+b,x\n2025-10-20,10:00,k,1\n2025-10-20,11:00,l,2\n";
  ReadOptions options;
  options.time = "day+clock";
  options.key = "\"a+b\"";
  const Records records = read_text(text, options, "x.csv");
  CHECK(records.time.name == "day+clock");
  CHECK(records.key_name == "a+b");
  CHECK(to_text(records.times.times()[1], 0) == "2025-10-20T11:00:00Z");

  const auto why = [&](const std::string& time) {
    options.time = time;
    return refusal(Error::Kind::usage, [&] { read_text(text, options, "x.csv"); });
  };
  CHECK_THAT(why("dya+clock"),
             Catch::Contains("has no column \"dya\"") && Catch::Contains("did you mean day?"));
  CHECK_THAT(why("day+day"), Catch::Contains("\"day\" is named twice"));
}

}  // namespace zerobeat::testing
