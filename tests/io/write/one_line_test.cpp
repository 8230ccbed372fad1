// A table or a timeline into a file, whole or not at all, in one line; and back.

#include <zerobeat/clean/from_memory.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Table catch_of_the_day() {
  Table table(3);
  table.add("species", texts_of({"hake", "", "ling"}));
  table.add("kg", column_of({12.5, missing, 7}));
  table.add("landed", Column{clock("06:00"), clock("07:30"), clock("08:00")});
  return table;
}

}  // namespace

TEST_CASE("a table is written in one line, in the form that its ending says", "[write]") {
  const Folder folder;
  const Table table = catch_of_the_day();
  write(table, folder.path("catch.csv"));
  CHECK(folder.get("catch.csv") ==
        "species,kg,landed\nhake,12.5,2025-10-20T06:00:00Z\n,,2025-10-20T07:30:00Z\n"
        "ling,7,2025-10-20T08:00:00Z\n");
  write(table, folder.path("catch.jsonl"), {.local = true}, "Europe/Dublin");
  CHECK_THAT(folder.get("catch.jsonl"), Catch::StartsWith("{\"species\":\"hake\",\"kg\":12.5,") &&
                                            Catch::Contains("2025-10-20T07:00:00+01:00"));
  write(table, folder.path("catch.tsv.gz"));
  const Records back = read_records(folder.path("catch.tsv.gz"), {.time = "landed"});
  CHECK(back.size() == 3);
  CHECK(back.values.column("kg") == table.column("kg"));
  CHECK(back.times == table.column("landed"));
}

TEST_CASE("a table and a timeline go into a database in one line", "[write]") {
  const Folder folder;
  const std::string base = folder.path("quay.sqlite");
  write(catch_of_the_day(), base, {.into = "catch"});
  write(strand("00:00 1", "00:10 2"), base, {.into = "level"});
  const Records landed = read_records(base, {.from = "sqlite", .time = "landed", .table = "catch"});
  CHECK(landed.size() == 3);
  CHECK(landed.values.column("kg") == column_of({12.5, missing, 7}));
  CHECK(read_records(base, {.table = "level"}).size() == 2);
  // What is there already stays as it is.
  CHECK_THAT(
      refusal(Error::Kind::output, [&] { write(catch_of_the_day(), base, {.into = "catch"}); }),
      Catch::Contains("is there already"));
  CHECK(read_records(base, {.table = "catch"}).size() == 3);
}

TEST_CASE("what can't be written leaves what was there", "[write]") {
  const Folder folder;
  folder.put("catch.csv", "old\n");
  CHECK_THAT(usage([&] { write(catch_of_the_day(), folder.path("catch.docx")); }),
             Catch::Contains(".docx"));
  CHECK_THAT(usage([&] { write(catch_of_the_day(), folder.path("catch.csv"), {.digits = 40}); }),
             Catch::Contains("‹digits› 40"));
  CHECK(folder.get("catch.csv") == "old\n");
  CHECK(folder.files() == std::vector<std::string>{"catch.csv"});
}

TEST_CASE("a format is named by its word or by its enumerator", "[read]") {
  CHECK(ReadOptions{.from = "jsonl"}.from == InputFormat::jsonl);
  CHECK(ReadOptions{.from = InputFormat::csv}.from == InputFormat::csv);
  CHECK(to_text(ReadOptions{}.from) == "auto");
  CHECK(to_text(FormatName("tsv")) == "tsv");
  CHECK_THAT(usage([] { FormatName("jsnol"); }), Catch::Contains("did you mean jsonl?"));
}

}  // namespace zerobeat::testing
