// SQLite, in and out: one transaction, all or nothing, and what stands in its way by name.

#include <sqlite3.h>

#include <functional>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>

#include "io/database/table_types.hpp"
#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using Names = std::vector<std::string>;

Timeline level(int rows, const std::string& column = "level") {
  Rows built;
  Readings readings;
  for (int i = 0; i < rows; ++i) {
    built.times.push_back(clock("00:00") + std::chrono::minutes(i));
    readings.push_back(i % 4 == 3 ? std::nullopt : std::optional(i / 4.0));
  }
  built.columns = {{column, column_of(readings)},
                   {"gear", texts_of(Names(built.times.size(), "net"))}};
  return timeline_of(built);
}

/// What a statement answers: cells with | between, rows with ; between.
std::string answer(const std::string& path, const std::string& sql) {
  sqlite3* database = nullptr;
  REQUIRE(sqlite3_open(path.c_str(), &database) == SQLITE_OK);
  std::string out;
  const auto take = [](void* to, int columns, char** cells, char**) {
    auto& text = *static_cast<std::string*>(to);
    if (!text.empty()) text += ';';
    for (int i = 0; i < columns; ++i)
      text += (i > 0 ? "|" : "") + std::string(cells[i] ? cells[i] : "-");
    return 0;
  };
  const int result = sqlite3_exec(database, sql.c_str(), take, &out, nullptr);
  if (result != SQLITE_OK) out = sqlite3_errmsg(database);
  sqlite3_close(database);
  return out;
}

}  // namespace

TEST_CASE("a new database appears whole, with its rows in their types", "[sqlite]") {
  const Folder folder;
  const std::string path = folder.path("tide.sqlite");
  write(level(5), path);
  CHECK(folder.files() == Names{"tide.sqlite"});
  CHECK(answer(path,
               "select count(*), typeof(level), typeof(time) from tide where level is not null "
               "group by 2, 3") == "4|real|text");
  CHECK(answer(path, "select time from tide limit 1") == "2025-10-20T00:00:00Z");
  const Timeline again = settle(read_records(path));
  CHECK(readings(again, "level") == readings(level(5), "level"));
}

TEST_CASE("a table that is there is kept, replaced or appended to, as is asked", "[sqlite]") {
  const Folder folder;
  const std::string path = folder.path("tide.db");
  write(level(3), path);
  CHECK_THAT(refusal(Error::Kind::output, [&] { write(level(2), path); }),
             Catch::Contains("tide.db: table tide") && Catch::Contains("‹if_exists›"));
  CHECK(answer(path, "select count(*) from tide") == "3");
  write(level(2), path, {.if_exists = IfExists::append});
  CHECK(answer(path, "select count(*) from tide") == "5");
  CHECK_THAT(refusal(Error::Kind::output,
                     [&] { write(level(2, "depth"), path, {.if_exists = IfExists::append}); }),
             Catch::Contains("depth"));
  CHECK(answer(path, "select count(*) from tide") == "5");
  write(level(2, "depth"), path, {.if_exists = IfExists::replace});
  CHECK(answer(path, "select count(depth) from tide") == "2");
  write(level(4), path, {.into = "other \"quoted\""});
  CHECK(answer(path, "select count(*) from \"other \"\"quoted\"\"\"") == "4");
}

TEST_CASE("a store that is let go of before its commit leaves nothing", "[sqlite]") {
  const Folder folder;
  const std::string path = folder.path("tide.sqlite");
  {
    const Store store = *open_store(path, {});
    store.write(level(100));
    CHECK(!folder.has("tide.sqlite"));
    CHECK(folder.files().size() == 1);  // no journal beside it
  }
  CHECK(folder.files().empty());
  write(level(3), path);
  {
    const Store store = *open_store(path, {.if_exists = IfExists::append});
    store.write(level(2));
  }
  CHECK(answer(path, "select count(*) from tide") == "3");
}

TEST_CASE("a file that another made meanwhile is not written over", "[sqlite]") {
  const Folder folder;
  const std::string path = folder.path("tide.sqlite");
  const Store store = *open_store(path, {});
  store.write(level(3));
  folder.put("tide.sqlite", "mine");
  CHECK_THAT(refusal(Error::Kind::output, [&] { store.commit(); }),
             Catch::Contains("can't be put in its place"));
  CHECK(folder.get("tide.sqlite") == "mine");
}

TEST_CASE("what is no database, or damaged, is told with what to do", "[sqlite]") {
  const Folder folder;
  folder.put("text.db", "time,x\n2025-10-20T00:00:00Z,1\n");
  CHECK_THAT(refusal(Error::Kind::output, [&] { write(level(2), folder.path("text.db")); }),
             Catch::Contains("file is not a database; is it SQLite at all"));
  const std::string path = folder.path("tide.db");
  write(level(2'000), path);
  std::string bytes = folder.get("tide.db");
  for (std::size_t at = 4'096; at < bytes.size(); at += 512) bytes[at] = static_cast<char>(0xff);
  folder.put("bad.db", bytes);
  CHECK_THAT(refusal(Error::Kind::input, [&] { read_records(folder.path("bad.db")); }),
             Catch::Contains("bad.db"));
}

TEST_CASE("a table, or a query of one statement, is asked for by name", "[sqlite]") {
  const Folder folder;
  const std::string path = folder.path("two.db");
  write(level(3), path, {.into = "a"});
  write(level(4), path, {.into = "b"});
  const auto read = [&](const std::string& table, const std::string& query) {
    ReadOptions options;
    options.table = table;
    options.query = query;
    return read_records(path, options).size();
  };
  CHECK(read("a", "") == 3);
  CHECK(read("", "select * from b where level > 0.2") == 2);
  const auto why = [&](const std::string& table, const std::string& query) {
    return refusal(Error::Kind::usage, [&] { read(table, query); });
  };
  CHECK_THAT(why("", ""),
             Catch::Contains("a") && Catch::Contains("b") && Catch::Contains("‹table›"));
  CHECK_THAT(why("c", ""), Catch::Contains("‹table› c"));
  CHECK_THAT(why("a", "select 1"), Catch::Contains("‹table›") && Catch::Contains("‹query›"));
  CHECK_THAT(why("", "select * from b; drop table b"), Catch::Contains("is not one statement"));
  CHECK_THAT(why("", "selct"), Catch::Contains("the query is: selct"));
  CHECK_THAT(why("", "drop table b"), Catch::Contains("the query") || Catch::Contains("drop"));
  CHECK(answer(path, "select count(*) from b") == "4");
}

TEST_CASE("names go into statements in quotes", "[sqlite]") {
  CHECK(detail::sql_name("a") == "\"a\"");
  CHECK(detail::sql_name("a\"; drop table b; --") == "\"a\"\"; drop table b; --\"");
  CHECK(detail::table_name_of("out/level.sqlite", "") == "level");
  CHECK(detail::table_name_of("out/level.sqlite", "x y") == "x y");
}

TEST_CASE("what is to be done before rows go in follows from what is there", "[sqlite]") {
  using detail::Before;
  using detail::before_rows;
  const Names columns{"time", "x"};
  CHECK(before_rows("p", {}, columns, IfExists::fail) == Before::make);
  CHECK(before_rows("p", {}, columns, IfExists::append) == Before::make);
  CHECK(before_rows("p", columns, columns, IfExists::append) == Before::nothing);
  CHECK(before_rows("p", columns, columns, IfExists::replace) == Before::drop_and_make);
  CHECK_THROWS_WITH(before_rows("p", columns, columns, IfExists::fail), Catch::Contains("p"));
  CHECK_THROWS_WITH(before_rows("p", {"time", "y"}, columns, IfExists::append),
                    Catch::Contains("p") && Catch::Contains("y"));
}

}  // namespace zerobeat::testing
