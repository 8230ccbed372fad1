#include <fmt/format.h>
#include <tbb/global_control.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <zerobeat/io/limits.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>

#include "io/source/read_task.hpp"
#include "io/text/scan.hpp"
#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

std::int64_t rejected(const Records& records, Reason reason) {
  return records.source->by_reason[static_cast<std::size_t>(reason)];
}

Readings values(const Records& records, const std::string& name) {
  return readings(settle(records), name);
}

std::vector<std::string> words(const Records& records, const std::string& name) {
  const Column& column = records.values.column(name);
  std::vector<std::string> out;
  for (std::size_t i = 0; i < column.size(); ++i)
    out.push_back(column.valid(i) ? column.text(i) : "");
  return out;
}

/// The text of a timeline as it would be written.
std::string written(const Timeline& timeline, const WriteOptions& options = {}) {
  const Folder folder;
  write_csv(timeline, folder.path("x.csv"), options);
  return folder.get("x.csv");
}

const std::string tide =
    "time,level_m,gear\n"
    "2025-10-20T00:00:00Z,1.5,net\n"
    "2025-10-20T00:06:00Z,,line\n"
    "2025-10-20T00:12:00Z,2.25,\n";

}  // namespace

TEST_CASE("columns get the types of their readings", "[read]") {
  const Records records = read_text(
      "time,a,b,c,d,e\n"
      "2025-10-20T00:00:00Z,1,1.5,x,true,\n"
      "2025-10-20T00:01:00Z,2,2,7,false,NA\n"
      "2025-10-20T00:02:00Z,-3,n/a,y,true,-\n");
  const auto type = [&](const char* name) { return to_text(records.values.column(name).type()); };
  CHECK(type("a") == "integer");
  CHECK(type("b") == "number");
  CHECK(type("c") == "text");
  CHECK(type("d") == "boolean");
  CHECK(type("e") == "number");
  CHECK(records.values.column("e").validity().missing() == 3);
  CHECK(records.source->kept == 3);
}

TEST_CASE("a column is numeric when nine in ten of its readings are", "[read]") {
  const auto type_with = [](int bad, int all) {
    std::string text = "time,x\n";
    for (int i = 0; i < all; ++i) {
      text += fmt::format("2025-10-20T00:{:02}:{:02}Z,{}\n", i / 60, i % 60, i < bad ? "bad" : "1");
    }
    const Records records = read_text(text);
    return std::pair(to_text(records.values.column("x").type()),
                     records.source->unreadable_readings());
  };
  CHECK(type_with(1, 10) == std::pair(std::string("integer"), std::int64_t{1}));
  CHECK(type_with(2, 10) == std::pair(std::string("text"), std::int64_t{0}));
  CHECK(type_with(100, 1000) == std::pair(std::string("integer"), std::int64_t{100}));
  CHECK(type_with(101, 1000) == std::pair(std::string("text"), std::int64_t{0}));
}

TEST_CASE("what samples say of a type yields to the whole column", "[read]") {
  // Numbers wherever samples are taken, words between.
  std::string text = "time,x\n";
  for (int i = 0; i < 40'000; ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:{:02}Z,{}\n", i / 3600, i / 60 % 60, i % 60,
                        i % 700 > 250 ? "word" : "1");
  }
  const Records records = read_text(text);
  CHECK(records.values.column("x").type() == Column::Type::text);
  CHECK(records.source->unreadable_readings() == 0);
}

TEST_CASE("unreadable readings keep their record, and tell their cell", "[read]") {
  std::string text = "time,level_m\n";
  for (int i = 0; i < 20; ++i)
    text += fmt::format("2025-10-20T00:00:{:02}Z,{}\n", i, i == 4 ? "ERR" : "1.5");
  const Records records = read_text(text);
  CHECK(records.source->kept == 20);
  CHECK(records.source->at_fault() == 1);
  REQUIRE(records.source->faults.size() == 1);
  const Fault& fault = records.source->faults[0];
  CHECK(fault.line == 6);
  CHECK(text.substr(fault.byte, fault.length) == "ERR");
  CHECK(records.source->column_of(fault) == "level_m");
  CHECK(!records.values.column("level_m").valid(4));
}

TEST_CASE("every record that is not kept is rejected for a reason", "[read]") {
  const std::string text =
      "time,probe,x\n"
      "2025-10-20T00:00:00Z,a,1\n"
      ",a,2\n"
      "soon,a,3\n"
      "2025-02-30T00:00:00Z,a,4\n"
      "2025-10-20T00:01:00Z,,5\n"
      "\n"
      "2025-10-20T00:02:00Z,a\n"
      "2025-10-20T00:02:00Z,a,6,7\n"
      "2025-10-20T00:03:00Z,a,\"8\n"
      "2025-10-20T00:04:00Z,\xff,9\n"
      "1600-01-01T00:00:00Z,a,1\n"
      "2025-10-20T00:05:00Z,a,10\n";
  const Records records = read_text(text, {.time = "time", .key = "probe"});
  CHECK(records.source->records == 11);
  CHECK(records.source->kept == 2);
  CHECK(records.source->rejected == 9);
  CHECK(rejected(records, Reason::missing_time) == 1);
  CHECK(rejected(records, Reason::unreadable_time) == 1);
  CHECK(rejected(records, Reason::impossible_time) == 1);
  CHECK(rejected(records, Reason::missing_key) == 1);
  CHECK(rejected(records, Reason::field_count) == 2);
  CHECK(rejected(records, Reason::broken_quote) == 1);
  CHECK(rejected(records, Reason::bad_encoding) == 1);
  CHECK(rejected(records, Reason::out_of_range_time) == 1);
  for (const Fault& fault : records.source->faults) {
    const std::size_t line_start = fault.byte == 0 ? 0 : text.rfind('\n', fault.byte - 1) + 1;
    CHECK(line_start == fault.byte);
    CHECK(std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(fault.byte), '\n') +
              1 ==
          static_cast<std::ptrdiff_t>(fault.line));
    CHECK(text[fault.byte + fault.length] == '\n');
  }
  CHECK(records.source->text_of(records.source->faults[7]) ==
        "2025-10-20T00:04:00Z,\xef\xbf\xbd,9");
  CHECK(records.places->line(1) == 13);
}

TEST_CASE("quoted fields hold delimiters, quotes and line ends", "[read]") {
  const Records records = read_text(
      "time,\"gear, main\",x\n"
      "2025-10-20T00:00:00Z,\"a \"\"long\"\" line,\nand more\",\"1.5\"\r\n"
      "\"2025-10-20T00:01:00Z\",ne\"t,2\n");
  CHECK(records.source->kept == 2);
  CHECK(words(records, "gear, main") ==
        std::vector<std::string>{"a \"long\" line,\nand more", "ne\"t"});
  CHECK(values(records, "x") == Readings{1.5, 2});
  CHECK(records.places->line(1) == 4);
}

TEST_CASE("a quote that does not close loses its own line only", "[read]") {
  const Records records = read_text(
      "time,gear\n"
      "2025-10-20T00:00:00Z,\"net\n"
      "2025-10-20T00:01:00Z,line\n"
      "2025-10-20T00:02:00Z,\"pot\"x\n"
      "2025-10-20T00:03:00Z,\"trap\"\n"
      "2025-10-20T00:04:00Z,\"open");
  CHECK(rejected(records, Reason::broken_quote) == 3);
  CHECK(words(records, "gear") == std::vector<std::string>{"line", "trap"});
  CHECK(records.source->records == 5);
}

TEST_CASE("ends of lines, a byte-order mark and no newline at the end are read as they come",
          "[read]") {
  const Records records = read_text(
      "\xef\xbb\xbftime,x\r\n2025-10-20T00:00:00Z,1\r\n\r\n   \r\n2025-10-20T00:01:00Z,2");
  CHECK(records.time.name == "time");
  CHECK(values(records, "x") == Readings{1, 2});
  CHECK(records.source->records == 2);
}

TEST_CASE("the delimiter is found, or told", "[read]") {
  for (const char* delimiter : {",", ";", "\t", "|"}) {
    const std::string d = delimiter;
    const Records records = read_text("time" + d + "x\n2025-10-20 00:00:00" + d + "1\n");
    CHECK(values(records, "x") == Readings{1});
  }
  const Records comma =
      read_text("time;x\n2025-10-20T00:00:00Z;1,25\n", {.decimal = DecimalMark::comma});
  CHECK(values(comma, "x") == Readings{1.25});
  const Records told = read_text("time:x\n20251020T0000:1\n", {.delimiter = ':'});
  CHECK(values(told, "x") == Readings{1});
  const Records tsv = read_text("time\tx\n2025-10-20\t\"a\n", {.from = InputFormat::tsv});
  CHECK(words(tsv, "x") == std::vector<std::string>{"\"a"});
}

TEST_CASE("preambles, comments and headerless text are read as told", "[read]") {
  const Records records = read_text("unit: 2\n# note\ntime,x\n# more\n2025-10-20T00:00:00Z,1\n",
                                    {.skip_lines = 1, .comment = '#'});
  CHECK(values(records, "x") == Readings{1});
  CHECK(records.places->line(0) == 5);
  const Records bare = read_text("2025-10-20T00:00:00Z,1\n", {.no_header = true});
  CHECK(bare.time.name == "c1");
  CHECK(values(bare, "c2") == Readings{1});
}

TEST_CASE("the first column that reads as times is the time", "[read]") {
  CHECK(read_text("id,level,at\n1,1013,2025-10-20T00:00:00Z\n2,1014,2025-10-20T00:01:00Z\n")
            .time.name == "at");
  CHECK(read_text("n,epoch\n1,1761442200\n2,1761442260\n").time.format == "epoch-s");
  CHECK(read_text("year,kg\n1999,5\n2000,6\n").time.name == "year");
  CHECK_THROWS_WITH(read_text("a,b\nx,y\n"),
                    Catch::Contains("no column reads as times; there is a, b"));
}

TEST_CASE("day and clock in two columns make one time", "[read]") {
  const Records records =
      read_text("day,clock,x\n26/10/2025,00:30:00,1\n25/10/2025,23:00:00,2\n,10:00,3\n",
                {.time = "day+clock"});
  CHECK(records.time.name == "day+clock");
  CHECK(records.times.times()[0] == at("2025-10-26T00:30:00Z"));
  CHECK(rejected(records, Reason::missing_time) == 1);
  const Records pattern = read_text("d,c\n26.10.25,1h30\n", {.time = "d+c", .time_format = [] {
                                                               TimeFormat f;
                                                               from_text("%d.%m.%y %Hh%M", f);
                                                               return f;
                                                             }()});
  CHECK(pattern.times.times()[0] == at("2025-10-26T01:30:00Z"));
}

TEST_CASE("the order of day and month is proven by the whole column, or asked for", "[read]") {
  std::string text = "time,x\n";
  for (int i = 0; i < 3000; ++i) text += "03/04/2025 10:00,1\n";
  CHECK_THROWS_WITH(read_text(text),
                    Catch::Contains("‹date_order›") && Catch::Contains("03/04/2025 10:00"));
  CHECK(nth_time(read_text(text, {.date_order = DateOrder::mdy}), 0) == at("2025-03-04T10:00Z"));
  std::string month_first = text, day_first = text;
  month_first.replace(month_first.find("03/04", 40'000), 5, "03/25");
  CHECK(nth_time(read_text(month_first), 0) == at("2025-03-04T10:00Z"));
  day_first.replace(day_first.find("03/04", 40'000), 5, "25/04");
  CHECK(nth_time(read_text(day_first), 0) == at("2025-04-03T10:00Z"));
  CHECK(nth_time(read_text("time,x\n05/05/2025,1\n"), 0) == at("2025-05-05T00:00Z"));
}

TEST_CASE("through a repeated hour the one step back decides", "[read]") {
  ReadOptions options{.zone = Zone::find("Europe/Dublin"), .repeated = Repeated::order, .key = "k"};
  const std::string header = "time,k\n";
  const Records decided =
      read_text(header +
                    "2025-10-26 00:50,a\n2025-10-26 01:10,a\n2025-10-26 01:50,a\n"
                    "2025-10-26 01:10,a\n2025-10-26 02:10,a\n",
                options);
  const auto times = decided.times.times();
  REQUIRE(times.size() == 5);
  CHECK(times[2] == at("2025-10-26T00:50Z"));
  CHECK(times[3] == at("2025-10-26T01:10Z"));
  // No step back, or two, decide nothing.
  for (const char* rows :
       {"2025-10-26 01:10,a\n2025-10-26 01:50,a\n",
        "2025-10-26 01:10,a\n2025-10-26 01:05,a\n2025-10-26 01:50,a\n2025-10-26 01:00,a\n",
        "2025-10-26 01:10,a\n2025-10-26 01:05,b\n"}) {
    const Records open = read_text(header + rows + "2025-10-26 03:00,a\n", options);
    CHECK(open.source->kept == 1);
    CHECK(rejected(open, Reason::repeated_time) == open.source->records - 1);
    CHECK(open.source->text_of(open.source->faults[0]) == std::string(rows).substr(0, 18));
    CHECK(open.places->line(0) == static_cast<std::uint64_t>(open.source->records) + 1);
  }
}

TEST_CASE("earliest and latest are inclusive, and read in the zone", "[read]") {
  const Records records =
      read_text("time,x\n2025-07-01 10:00,1\n2025-07-01 11:00,2\n2025-07-01 12:00,3\n",
                {.zone = Zone::find("Europe/Dublin"),
                 .not_before = "2025-07-01T11:00",
                 .not_after = "2025-07-01T10:00Z"});
  CHECK(values(records, "x") == Readings{2});
  CHECK(rejected(records, Reason::out_of_range_time) == 2);
}

TEST_CASE("only the columns asked for are kept, and all are judged", "[read]") {
  std::string text = "time,a,b\n";
  for (int i = 0; i < 30; ++i)
    text += fmt::format("2025-10-20T00:00:{:02}Z,{},{}\n", i, i, i == 3 ? "bad" : "2");
  detail::ReadTask task;
  task.decode = std::vector<std::string>{"a"};
  const Records some = read_text(text, task);
  CHECK(some.values.names() == std::vector<std::string>{"a"});
  CHECK(some.source->unreadable_readings() == 1);
  const Records named = read_text(text, {.columns = {"a"}});
  CHECK(named.source->unreadable_readings() == 0);
  CHECK_THROWS_WITH(read_text(text, {.columns = {"tiem"}}),
                    Catch::Contains("no column \"tiem\"; did you mean time?"));
}

TEST_CASE("further words for missing may look like numbers", "[read]") {
  const Records records = read_text(
      "time,x\n2025-10-20T00:00:00Z,-999\n2025-10-20T00:01:00Z,Gone\n2025-10-20T00:02:00Z,5\n",
      {.missing = {"-999", "gone"}});
  CHECK(values(records, "x") == Readings{missing, missing, 5});
  CHECK(records.source->at_fault() == 0);
}

TEST_CASE("what can't be read at all says why", "[read]") {
  CHECK_THROWS_WITH(read_text(""), Catch::Contains("is empty"));
  CHECK_THROWS_WITH(read_text("\n\n"), Catch::Contains("has no header"));
  CHECK_THROWS_WITH(read_text("a,b,a\n"),
                    Catch::Contains("two columns are named \"a\" (columns 1 and 3)"));
  CHECK_THROWS_WITH(read_text(std::string("a\0b\n", 4)), Catch::Contains("NUL"));
  CHECK_THROWS_WITH(read_text("time,\"x\n"), Catch::Contains("does not close"));
  CHECK_THROWS_WITH(read_text(tide, {.time = "tme"}), Catch::Contains("did you mean time?"));
  CHECK_THROWS_AS(read_records("/nowhere/tide.csv"), Error);
  CHECK(read_text("time,x\n").size() == 0);
}

namespace {

/// Text with every trouble, long enough for many chunks.
std::string troubled_text(std::size_t lines, unsigned seed, bool quotes) {
  std::mt19937 random(seed);
  std::string text = "time,probe,level,note\n";
  for (std::size_t i = 0; i < lines; ++i) {
    const auto pick = random() % 1000;
    std::string note = quotes && pick % 3 == 0 ? "\"said \"\"no\"\",\nand left\"" : "calm";
    if (pick == 1) note = quotes ? "\"open" : "\xc3\xa9t\xc3\xa9";
    if (pick == 2) note = "\xff";
    if (pick == 3) note = "one,two";
    std::string level = fmt::format("{:.{}f}", (random() % 100'000) / 1000.0 - 20, random() % 5);
    if (pick == 4) level = "ERR";
    if (pick == 5) level = "";
    if (pick == 6) level = fmt::format("{}e-3", random() % 1000);
    std::string time = fmt::format("2025-10-{:02}T{:02}:{:02}:{:02}.{:03}Z", 1 + i / 86'400 % 28,
                                   i / 3600 % 24, i / 60 % 60, i % 60, random() % 1000);
    if (pick == 7) time = "later";
    if (pick == 8) text += "\n";
    text += fmt::format("{},cold_{},{},{}{}", time, random() % 5, level, note,
                        pick % 2 == 0 ? "\n" : "\r\n");
  }
  return text;
}

}  // namespace

TEST_CASE("the same bytes come of one thread and of eight", "[read]") {
  for (const bool quotes : {false, true}) {
    const std::string text = troubled_text(60'000, 77, quotes);
    const auto run = [&](int threads) {
      const tbb::global_control limit(tbb::global_control::max_allowed_parallelism,
                                      static_cast<std::size_t>(threads));
      tbb::task_arena arena(threads);
      std::string out;
      arena.execute([&] {
        const Records records = read_text(text, {.key = "probe"});
        CHECK(records.source->records == records.source->kept + records.source->rejected);
        out = written(settle(records));
        for (const Fault& fault : records.source->faults) {
          out += fmt::format("{} {} {} {}\n", fault.line, fault.byte, fault.length,
                             word(fault.reason));
        }
        for (std::size_t i = 0; i < records.size(); i += 997) {
          out += fmt::format("{} {}\n", records.places->line(i), records.places->byte(i));
        }
      });
      return out;
    };
    const std::string one = run(1);
    CHECK(one.size() > 1'000'000);
    CHECK(one == run(8));
  }
}

TEST_CASE("chunks that start inside a quoted field are read again from where it ends", "[read]") {
  // One record spans several chunks, and looks like many records from inside.
  std::string inside;
  for (int i = 0; i < 60'000; ++i) inside += "2025-10-20T00:00:00Z,not a record\n";
  const std::string text =
      "time,note\n2025-10-20T00:00:00Z,\"" + inside + "\"\n2025-10-20T00:01:00Z,after\n";
  const Records records = read_text(text);
  CHECK(records.source->records == 2);
  CHECK(words(records, "note")[0] == inside);
  CHECK(records.places->line(1) == 60'003);
}

TEST_CASE("the scan agrees with the plain loop", "[scan]") {
  std::mt19937 random(1);
  for (std::size_t size : {0, 1, 63, 64, 65, 127, 128, 1000, 5000}) {
    std::string text(size, 'x');
    for (char& c : text) {
      const char choice[] = {',', '\n', 'x', 'y', '1'};
      c = choice[random() % 5];
    }
    if (size > 100) text[99] = size % 2 == 0 ? '"' : '\xc3';
    if (size > 200) text[150] = '\r';
    detail::Scan fast, slow;
    detail::scan_text(text, ',', '"', fast);
    detail::scan_text_plain(text, ',', '"', slow);
    CHECK(std::ranges::equal(fast.places(), slow.places()));
    CHECK(fast.lines() == slow.lines());
    CHECK(fast.first_place()[-1] + 1 == 0);
    CHECK(fast.has_quote == slow.has_quote);
    CHECK(fast.has_return == slow.has_return);
    CHECK(fast.has_high == slow.has_high);
  }
}

TEST_CASE("limits say how many, which first, and how to go on", "[limits]") {
  const Records records = read_text("time,x\nsoon,1\n2025-10-20,2\nlater,3\n", {.time = "time"});
  const auto check = [&](const Limits& limits) { check_limits(*records.source, limits); };
  CHECK_THROWS_WITH(check({}), Catch::Contains("2 of 3 records are at fault") &&
                                   Catch::Contains("line 2: unreadable-time in time: soon,1") &&
                                   Catch::Contains("‹rejects›") && Catch::Contains("‹tolerate›"));
  CHECK_NOTHROW(check({.rejects = "somewhere.csv"}));
  CHECK_NOTHROW(check({.tolerate = Tolerable{2, false}}));
  CHECK_THROWS_AS(check({.tolerate = Tolerable{1, false}}), Error);
  CHECK_THROWS_AS(check({.rejects = "somewhere.csv", .tolerate = Tolerable{1, false}}), Error);
  CHECK_NOTHROW(check({.tolerate = Tolerable{67, true}}));
  CHECK_THROWS_AS(check({.tolerate = Tolerable{66, true}}), Error);
  Tolerable tolerable;
  CHECK_THROWS_AS(from_text("-1", tolerable), Error);
  CHECK_THROWS_AS(from_text("101%", tolerable), Error);
}

TEST_CASE("what is written reads back the same", "[write]") {
  const Timeline before = settle(read_text(troubled_text(3000, 5, true), {.key = "probe"}));
  const std::string text = written(before);
  const Timeline after = settle(read_text(text, {.key = "probe"}));
  CHECK(std::ranges::equal(before.times(), after.times()));
  CHECK(before.values().column("level") == after.values().column("level"));
  CHECK(before.values().column("note") == after.values().column("note"));
  CHECK(written(after) == text);
}

TEST_CASE("times are written with as few digits as lose nothing, or as asked", "[write]") {
  const Timeline timeline =
      settle(read_text("time,x\n2025-10-25T23:30:00.120Z,1\n2025-10-26T01:30:00Z,2.50\n",
                       {.zone = Zone::find("Europe/Dublin")}));
  CHECK(written(timeline) == "time,x\n2025-10-25T23:30:00.120Z,1\n2025-10-26T01:30:00.000Z,2.5\n");
  CHECK(written(timeline, {.local = true, .precision = Precision::s}) ==
        "time,x\n2025-10-26T00:30:00+01:00,1\n2025-10-26T01:30:00+00:00,2.5\n");
  CHECK(csv_cell("a,\"b\"") == "\"a,\"\"b\"\"\"");
}

TEST_CASE("a file appears whole or not at all", "[write]") {
  const std::string path = "/tmp/zerobeat_whole_" + std::to_string(getpid()) + ".csv";
  {
    Output output(path);
    output.write("half");
  }
  CHECK(!std::ifstream(path));
  std::ofstream(path) << "old";
  {
    Output output(path);
    output.write("new");
    std::string content;
    std::ifstream(path) >> content;
    CHECK(content == "old");
    output.commit();
  }
  std::string content;
  std::ifstream(path) >> content;
  CHECK(content == "new");
  std::remove(path.c_str());
  CHECK_THROWS_AS(Output("/nowhere/x.csv"), Error);
  CHECK_THROWS_AS(Output("/tmp"), Error);
}

TEST_CASE("files are put in place together, or put back", "[write]") {
  namespace fs = std::filesystem;
  const fs::path folder = "/tmp/zerobeat_together_" + std::to_string(getpid());
  const auto text_of = [&](const char* name) {
    std::string text;
    std::ifstream(folder / name) >> text;
    return text;
  };
  for (const bool becomes_folder : {false, true}) {
    fs::create_directories(folder / "b");
    std::ofstream(folder / "a.csv") << "old";
    std::vector<Output> outputs;
    for (const char* name : {"a.csv", "new.csv", "b/b.csv"}) {
      outputs.emplace_back((folder / name).string());
      outputs.back().write("new");
    }
    // Between writing and putting in place, the last one's place is taken away.
    if (becomes_folder) {
      fs::create_directories(folder / "b/b.csv/full");
    } else {
      fs::remove_all(folder / "b");
    }
    CHECK_THROWS_AS(commit_all(outputs), Error);
    outputs.clear();
    CHECK(text_of("a.csv") == "old");
    CHECK(!fs::exists(folder / "new.csv"));
    CHECK(fs::is_directory(folder / "b/b.csv/full") == becomes_folder);
    std::size_t entries = 0;
    for (const auto& entry : fs::directory_iterator(folder)) entries += entry.exists();
    CHECK(entries == (becomes_folder ? 2 : 1));
    fs::remove_all(folder);
  }
}

}  // namespace zerobeat::testing
