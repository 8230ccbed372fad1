// What a source is besides a file: streams, several files, other encodings and notations.

#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/judge/judge.hpp>

#include "io/judge/notation.hpp"
#include "io/source/read_task.hpp"
#include "io/source/stream.hpp"
#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

const Finding* finding(const std::vector<Finding>& all, const std::string& kind) {
  for (const auto& own : all) {
    if (own.kind == kind) return &own;
  }
  return nullptr;
}

/// Writes a text into a pipe, some bytes at a time, and reads what is there meanwhile.
Records read_through_pipe(const std::string& text, const ReadOptions& options) {
  const Folder folder;
  const std::string name = folder.path("pipe");
  REQUIRE(mkfifo(name.c_str(), 0600) == 0);
  std::thread writer([&] {
    std::ofstream pipe(name, std::ios::binary);
    for (std::size_t from = 0; from < text.size(); from += 100'003) {
      pipe << text.substr(from, 100'003) << std::flush;
    }
  });
  std::optional<Records> records;
  std::string why;
  try {
    records = read_records(name, options);
  } catch (const Error& error) {
    why = error.what();
  }
  writer.join();
  INFO(why);
  REQUIRE(records);
  return *records;
}

}  // namespace

TEST_CASE("a stream gives all bytes in order, in memory and past it", "[sources]") {
  // Every block of a kilobyte is of one letter, which tells where it stands.
  constexpr std::size_t block = 1024, blocks = (std::size_t{64} << 10) + 1'234;
  const auto letter = [](std::size_t i) { return static_cast<char>(i * 2654435761u >> 7); };
  std::size_t made = 0;
  detail::Stream stream(
      "letters",
      [&]() -> detail::Stream::Fill {
        made = 0;
        return [&](std::span<char> out) {
          const std::size_t n = std::min(out.size() / block, blocks - made);
          for (std::size_t i = 0; i < n; ++i) {
            std::fill_n(out.begin() + static_cast<std::ptrdiff_t>(i * block), block,
                        letter(made + i));
          }
          made += n;
          return n * block;
        };
      },
      std::size_t{1} << 30);
  const std::string_view head = stream.until(10'000'000);
  CHECK(head.size() >= 10'000'000);
  CHECK(!stream.is_whole());
  stream.rest();  // opened anew, and what is here is passed over
  const std::string_view all = stream.all();
  REQUIRE(all.size() == block * blocks);
  stream.release(0, all.size());
  bool same = true;
  for (std::size_t i = 0; i < blocks; ++i) {
    same &= all.substr(i * block, block) == std::string(block, letter(i));
  }
  CHECK(same);
}

TEST_CASE("what comes through a pipe is read as the file is, quotes over its blocks too",
          "[sources]") {
  std::mt19937 random(3);
  std::string text = "time,x,note\n";
  for (int i = 0; i < 30'000; ++i) {
    text += fmt::format("{},{},", 1'760'000'000 + i, random() % 1000);
    // Quoted lines of many kilobytes reach past the chunk, and past what has arrived.
    const std::size_t length = random() % 3000 == 0 ? 400'000 : random() % 20;
    text += "\"" + std::string(length / 2, 'a') + "\n" + std::string(length / 2, 'b') + "\"\n";
    if (random() % 500 == 0) text += "not,\"closed\n";
  }
  ReadOptions options;
  options.time = "time";
  const Records pipe = read_through_pipe(text, options);
  const Records whole = read_text(text, options, "whole.csv");
  CHECK(pipe.source->records == whole.source->records);
  CHECK(pipe.source->by_reason == whole.source->by_reason);
  CHECK(pipe.source->faults == whole.source->faults);
  REQUIRE(pipe.size() == whole.size());
  CHECK(pipe.times == whole.times);
  CHECK(pipe.values.columns()[0] == whole.values.columns()[0]);
  CHECK(pipe.values.columns()[1] == whole.values.columns()[1]);
  for (std::size_t i = 0; i < pipe.size(); i += 97) {
    CHECK(pipe.places->line(i) == whole.places->line(i));
    CHECK(pipe.places->byte(i) == whole.places->byte(i));
  }
}

TEST_CASE("several files are one source, columns by name, in byte order of the names",
          "[sources]") {
  const Folder folder;
  folder.put("a2.csv", "time,x,y\n2025-01-03,3,b\nsoon,9,\n2025-01-04,4,c\n");
  folder.put("a10.csv", "x;time\n1;2025-01-01\n2;2025-01-02\n");
  folder.put("a3.jsonl", "{\"time\":\"2025-01-05\",\"z\":7}\n");
  const Records records = read_records(folder.path("a*"));
  CHECK(records.values.names() == std::vector<std::string>{"x", "y", "z"});
  REQUIRE(records.size() == 5);
  CHECK(records.values.column("x").integers()[0] == 1);
  CHECK(records.values.column("x").integers()[3] == 4);
  CHECK(!records.values.column("x").valid(4));
  CHECK(records.values.column("z").integers()[4] == 7);
  const SourceAccount& account = *records.source;
  REQUIRE(account.parts.size() == 3);
  CHECK(account.parts[0].name == folder.path("a10.csv"));
  CHECK(account.parts[1].records == 3);
  CHECK(account.parts[1].kept == 2);
  REQUIRE(account.faults.size() == 1);
  CHECK(account.faults[0].line == 3);
  CHECK(account.text_of(account.faults[0]) == "soon,9,");
  CHECK(account.part_of(account.faults[0].byte).name == folder.path("a2.csv"));
  CHECK(finding(records.findings, "column-absent") != nullptr);
  CHECK(account.is_pattern);
  CHECK_THROWS_WITH(read_records(folder.path("b*")), Catch::Contains("no file has a name"));
}

TEST_CASE("a column that some files lack is told, with what it may be called there", "[sources]") {
  const Folder folder;
  folder.put("1.csv", "time,level,temp,old\n2025-01-01,1,5,1\n");
  folder.put("2.csv", "time,level,temp\n2025-01-02,1,5\n");
  folder.put("3.csv", "time,level,temperature\n2025-01-03,2,6\n");
  const auto told = [&](const std::string& names) {
    std::vector<std::string> texts;
    for (const auto& found : read_records(folder.path(names)).findings) {
      if (found.kind == "column-absent") texts.push_back(found.message);
    }
    return texts;
  };
  const auto all = told("?.csv");
  REQUIRE(all.size() == 3);
  CHECK_THAT(all[0],
             Catch::StartsWith("of 3 files have no column \"temp\", ") &&
                 Catch::Contains("3.csv the first") &&
                 Catch::EndsWith("; those have \"temperature\", which the others lack: if it "
                                 "is the same, coalesce() makes one of the two"));
  // Another is in the first alone, and has no such name elsewhere.
  CHECK_THAT(all[1], Catch::Contains("\"old\"") && Catch::EndsWith("see ‹columns›"));
  CHECK_THAT(all[2], Catch::Contains("\"temperature\"") && Catch::Contains("have \"temp\", which"));
  // Of two that could be it, none is named.
  const auto two = told("[13].csv");
  REQUIRE(two.size() == 3);
  for (const auto& text : two) CHECK_THAT(text, Catch::EndsWith("see ‹columns›"));
}

TEST_CASE("the order of day and month and the type are found over all files", "[sources]") {
  const Folder folder;
  folder.put("1.csv", "time,x\n03/04/2025 10:00,1\n");
  folder.put("2.csv", "time,x\n23/04/2025 10:00,net\n");
  const Records records = read_records(folder.path("?.csv"));
  CHECK(records.times.times()[0] == at("2025-04-03T10:00:00Z"));
  CHECK(records.values.column("x").type() == Column::Type::text);
}

TEST_CASE("text in other encodings is read, and bytes are those of the file", "[sources]") {
  std::string latin = "time,place,x\n";
  for (int i = 0; i < 20; ++i) {
    latin += fmt::format("2025-01-{:02},caf\xe9 {},{}\n", i + 1, i, i == 7 ? "bad" : "1");
  }
  ReadOptions options;
  options.encoding = "latin1";
  const Records records = read_text(latin, options, "latin.csv");
  REQUIRE(records.size() == 20);
  CHECK(records.values.column("place").text(3) == "caf\xc3\xa9 3");
  REQUIRE(records.source->faults.size() == 1);
  const Fault& fault = records.source->faults[0];
  CHECK(records.source->file_byte(fault) == latin.find("bad"));

  std::string wide = "\xff\xfe";
  for (const char c : std::string("time,x\n2025-01-01,1\n2025-01-02,2\n")) {
    wide += c;
    wide += '\0';
  }
  CHECK(read_text(wide, {}, "wide.csv").size() == 2);
  // The mark decides, and a half of a pair spoils its own record alone.
  std::string other = "\xfe\xff";
  for (const char c : std::string("time,x\n2025-01-01,1\n2025-01-02,?\n2025-01-03,3\n")) {
    other += c == '?' ? '\xd8' : '\0';
    other += c;
  }
  options.encoding = "utf-16";
  const Records halves = read_text(other, options, "other.csv");
  CHECK(halves.size() == 2);
  REQUIRE(halves.source->faults.size() == 1);
  CHECK(halves.source->faults[0].reason == Reason::bad_encoding);
  CHECK(halves.source->file_byte(halves.source->faults[0]) == 2 + 2 * 20);
  options.encoding = "no-such";
  CHECK_THROWS_WITH(read_text(latin, options, "latin.csv"), Catch::Contains("iconv"));
  CHECK_THROWS_WITH(read_text("time,caf\xe9\n", {}, "l.csv"), Catch::Contains("‹encoding›"));
}

TEST_CASE("grouping marks and characters around numbers do not count when told", "[sources]") {
  const auto value = [](const char* text, const detail::NumberShape& shape) {
    const auto reading = detail::read_number(text, shape);
    if (reading.kind == detail::NumberReading::Kind::unreadable) return std::string("-");
    return fmt::format("{}", reading.kind == detail::NumberReading::Kind::integer
                                 ? static_cast<double>(reading.integer)
                                 : reading.number);
  };
  const detail::NumberShape english{'.', ",", "$\xe2\x82\xac%"};
  CHECK(value("$1,234,567.50", english) == "1234567.5");
  CHECK(value("-$5", english) == "-5");
  CHECK(value("12 %", english) == "12");
  CHECK(value("12,34,567", english) == "1234567");
  CHECK(value("1,23", english) == "-");
  CHECK(value("1234,567", english) == "-");
  CHECK(value("$", english) == "-");
  const detail::NumberShape european{',', ".", ""};
  CHECK(value("1.234,5", european) == "1234.5");
  CHECK(value("1.5", european) == "-");
  CHECK(value("1\xc2\xa0"
              "234",
              {'.', " ", ""}) == "1234");
}

TEST_CASE("a column in another notation is never silently text", "[sources]") {
  const auto options_for = [](const std::string& cell) {
    std::string text = "time;x\n";
    for (int i = 0; i < 20; ++i) text += fmt::format("2025-01-{:02};{}\n", i + 1, cell);
    const Records records = read_text(text, {}, "x.csv");
    const Finding* const found = finding(records.findings, "nearly-numeric");
    CHECK(records.source->notes.size() == (found != nullptr ? 1 : 0));
    return found != nullptr ? found->message.substr(found->message.rfind(": ") + 2) : std::string();
  };
  CHECK(options_for("3,25") == "‹decimal› comma");
  CHECK(options_for("1.234,5") == "‹decimal› comma ‹thousands› .");
  CHECK(options_for("$12.50") == "‹strip› '$'");
  CHECK(options_for("1,234.5") == "‹thousands› ,");
  CHECK(options_for("12%") == "‹strip› %");
  CHECK(options_for("net") == "");
  CHECK(options_for("1.2.3") == "");

  std::string text = "time,x\n";
  for (int i = 0; i < 20; ++i) {
    text += fmt::format("2025-01-{:02},{}\n", i + 1, i % 3 == 2 ? "closed" : "1.5");
  }
  const Records records = read_text(text, {}, "x.csv");
  const Finding* const found = finding(records.findings, "nearly-numeric");
  REQUIRE(found != nullptr);
  CHECK(found->count == 6);
  CHECK(found->first_line == 4);
  CHECK_THAT(found->message, Catch::Contains("closed"));
}

TEST_CASE("a value far from all others, again and again, is a sentinel", "[sources]") {
  std::string text = "time,x,y,z\n";
  for (int i = 0; i < 40; ++i) {
    text += fmt::format("2025-01-01T00:{:02}:00Z,{},{},{}\n", i, i % 10 == 5 ? "-999" : "3.5",
                        i == 7 ? 900 : i % 4, i % 9);
    if (i % 2 == 0) text += fmt::format("2025-01-01T00:{:02}:30Z,4.25,2,1\n", i);
  }
  for (const bool only : {false, true}) {
    detail::ReadTask options;
    options.judge_only = only;
    const Judgement judged = judge(read_text(text, options, "x.csv"));
    const Finding* const found = finding(judged.findings, "sentinel");
    REQUIRE(found != nullptr);
    CHECK(found->count == 4);
    CHECK(found->first_line == 10);
    CHECK_THAT(found->message, Catch::Contains("‹missing› -999"));
    CHECK(std::ranges::count(judged.findings, std::string("sentinel"), &Finding::kind) == 1);
  }
}

TEST_CASE("lines before the header are passed over, and told", "[sources]") {
  const std::string table = "time,level,gear\n2025-01-01,1,net\n2025-01-02,2,line\n";
  for (const std::string head :
       {"Station: Brannoc Quay\n\nlevels, in metres\n", "# a\n# b\n", "Quay,,\nmade 2025,,\n"}) {
    const Records records = read_text(head + table, {}, "x.csv");
    INFO(head);
    REQUIRE(records.size() == 2);
    CHECK(records.values.names() == std::vector<std::string>{"level", "gear"});
    const Finding* const found = finding(records.findings, "preamble");
    REQUIRE(found != nullptr);
    CHECK(found->count == std::ranges::count(head, '\n'));
    CHECK(records.places->line(0) == static_cast<std::uint64_t>(found->count) + 2);
  }
  // A header that is one cell short is no preamble.
  const Records records = read_text("time\n2025-01-01,1\n2025-01-02,2\n", {}, "x.csv");
  CHECK(records.source->rejected == 2);
  CHECK(finding(records.findings, "preamble") == nullptr);
}

TEST_CASE("units under the header are rejected, and told", "[sources]") {
  const Records records = read_text(
      "time,level,wind\nUTC,m,m/s\n2025-01-01,1,2\n2025-01-02,2,3\n2025-01-03,2,3\n"
      "2025-01-04,1,2\n2025-01-05,1,2\n2025-01-06,1,2\n2025-01-07,1,2\n2025-01-08,1,2\n"
      "2025-01-09,1,2\n2025-01-10,1,2\n",
      {}, "x.csv");
  CHECK(records.source->rejected == 1);
  CHECK(records.values.column("level").type() == Column::Type::integer);
  const Finding* const found = finding(records.findings, "preamble");
  REQUIRE(found != nullptr);
  CHECK(found->first_line == 2);
  CHECK_THAT(found->message, Catch::Contains("UTC,m,m/s"));
}

TEST_CASE("cells may have runs of spaces between them", "[sources]") {
  ReadOptions options;
  options.delimiter = Delimiter(' ');
  options.delimiter->runs = true;
  options.time = "day+clock";
  const Records records = read_text(
      "day         clock  x  note\n"
      " 2025-01-01 10:00  1\t\"a b\"\n"
      "2025-01-02  11:30   2  c  \n"
      "2025-01-03  12:00   3\n",
      options, "x.txt");
  REQUIRE(records.size() == 2);
  CHECK(records.times.times()[1] == at("2025-01-02T11:30:00Z"));
  CHECK(records.values.column("note").text(0) == "a b");
  CHECK(records.source->faults[0].reason == Reason::field_count);
}

TEST_CASE("a time may stand in many columns", "[sources]") {
  const auto first = [](const std::string& text, const std::string& time) {
    ReadOptions options;
    options.time = time;
    const Records records = read_text(text, options, "x.csv");
    return records.size() == 0 ? "none" : to_text(records.times.times()[0]);
  };
  CHECK(first("Year,Month,Day,x\n2025,1,5,1\n", "Year+Month+Day") == "2025-01-05T00:00:00Z");
  CHECK(first("d,mo,yr,x\n5,1,2025,1\n", "yr+mo+d") == "2025-01-05T00:00:00Z");
  CHECK(first("YYYY,MM,DD,hh,mm2,x\n2025,1,5,3,1,1\n", "YYYY+MM+DD+hh") == "2025-01-05T03:00:00Z");
  CHECK(first("year,doy,x\n2025,032,1\n", "year+doy") == "2025-02-01T00:00:00Z");
  CHECK(first("Year,Month,x\n2025,Mar,1\n", "Year+Month") == "2025-03-01T00:00:00Z");
  CHECK(first("Year,Month,Day,clock,x\n2025,3,7,10.06,1\n", "Year+Month+Day+clock") ==
        "2025-03-07T10:06:00Z");
  CHECK(first("date,hour,x\n2025-03-07,5,1\n", "date+hour") == "2025-03-07T05:00:00Z");
}

TEST_CASE("a key may be of several columns", "[sources]") {
  ReadOptions options;
  options.key = "port+species";
  const Records records = read_text(
      "time,port,species,x\n2025-01-01,quay,cod,1\n2025-01-01,quay,ling,2\n2025-01-02,quay,cod,3\n"
      "2025-01-03,,cod,4\n2025-01-04,,,5\n",
      options, "x.csv");
  CHECK(records.source->by_reason[static_cast<std::size_t>(Reason::missing_key)] == 1);
  const Timeline timeline = settle(records);
  REQUIRE(timeline.strands().size() == 3);
  CHECK(key_parts(*timeline.strands()[2].key) == std::vector<std::string>{"", "cod"});
  CHECK(timeline.key_names() == std::vector<std::string>{"port", "species"});
  CHECK(key_parts(*timeline.strands()[1].key) == std::vector<std::string>{"quay", "ling"});
}

TEST_CASE("names of sources and databases", "[sources]") {
  CHECK(source_stem("tide/tide.csv.gz") == "tide");
  CHECK(source_stem("-") == "stdin");
  CHECK(source_stem("postgresql://a:b@quay/harbour?x=1") == "harbour");
  CHECK(without_password("postgresql://ann:se:cr@t@quay/harbour") ==
        "postgresql://ann@quay/harbour");
  CHECK(without_password("postgresql://quay/h?password=x&sslmode=off&sslpassword=y") ==
        "postgresql://quay/h?sslmode=off");
  CHECK(without_password("postgresql://quay/h?password=x") == "postgresql://quay/h");
  CHECK(without_password("tide:x@.csv") == "tide:x@.csv");
}

TEST_CASE("of several encodings each file has the first that fits it", "[sources]") {
  const Folder folder;
  folder.put("a.csv", "time,place\n2025-10-20T00:00:00Z,Br\xc3\xa9hat\n");
  folder.put("b.csv", "time,place\n2025-10-20T01:00:00Z,Br\xe9hat\n");
  const std::string both = folder.path("*.csv");
  const auto places_of = [](const Records& records) {
    std::vector<std::string> out;
    for (std::size_t i = 0; i < records.size(); ++i) {
      out.push_back(records.values.column("place").text(i));
    }
    return out;
  };
  const Records read = read_records(both, {.encoding = "utf-8,latin1"});
  CHECK(places_of(read) == std::vector<std::string>{"Bréhat", "Bréhat"});
  CHECK_THAT(read.source->notes[1], Catch::EndsWith("b.csv is read as latin1"));
  // What fits is the first that does, not the first that is named.
  CHECK(places_of(read_records(both, {.encoding = "ascii,utf-8,latin1"})).size() == 2);
  const Records none = read_records(both, {.encoding = "ascii,utf-8"});
  CHECK(none.source->by_reason[static_cast<std::size_t>(Reason::bad_encoding)] == 1);
  CHECK_THAT(usage([&] { read_records(both, {.encoding = "utf-8,latin77"}); }),
             Catch::Contains("‹encoding› latin77: iconv does not know it"));
}

TEST_CASE("parts of paths that read NAME=VALUE are columns of text", "[sources]") {
  const Folder folder;
  for (const char* site : {"site=quay", "site=pier"}) {
    fs::create_directories(folder.folder() / site);
    for (const char* day : {"day=20", "day=21"}) {
      folder.put(std::string(site) + "/" + day + ".csv",
                 "time,probe,x\n2025-10-20T00:00:00Z,p1,1\n2025-10-20T00:01:00Z,p2,2\n");
    }
  }
  const std::string all = folder.path("site=*/*.csv");
  const Records plain = read_records(all);
  CHECK(plain.values.names() == std::vector<std::string>{"probe", "x", "site", "day"});
  CHECK(plain.values.column("site").text(0) == "pier");
  CHECK(plain.values.column("day").text(2) == "21");
  CHECK(plain.values.column("day").type() == Column::Type::text);
  const auto keys_of = [&](const std::string& key) {
    std::vector<std::string> keys;
    const Timeline timeline = settle(read_records(all, {.key = key}));
    for (const Strand& strand : timeline.strands()) keys.push_back(key_text(*strand.key));
    CHECK(timeline.rows() == 8);
    return keys;
  };
  CHECK(keys_of("site") == std::vector<std::string>{"pier", "quay"});
  CHECK(keys_of("probe+site") ==
        std::vector<std::string>{"p1+pier", "p2+pier", "p1+quay", "p2+quay"});
  CHECK(keys_of("day+site") ==
        std::vector<std::string>{"20+pier", "21+pier", "20+quay", "21+quay"});
  CHECK(read_records(all, {.key = "site"}).values.names() ==
        std::vector<std::string>{"probe", "x", "day"});
  CHECK(read_records(all, {.columns = {"x", "site"}}).values.names() ==
        std::vector<std::string>{"x", "site"});
  // One file that is named has the columns that it has.
  CHECK(read_records(folder.path("site=quay/day=20.csv")).values.names() ==
        std::vector<std::string>{"probe", "x"});
  folder.put("site=quay/day=22.csv", "time,site\n2025-10-20T00:00:00Z,here\n");
  CHECK_THAT(refusal(Error::Kind::input, [&] { read_records(all); }),
             Catch::Contains("a file has a column \"site\""));
}

}  // namespace zerobeat::testing
