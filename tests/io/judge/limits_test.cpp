// Limits: how many records may be at fault, what is said of them, and the ways to go on.

#include <algorithm>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/limits.hpp>
#include <zerobeat/io/read.hpp>

#include "io/source/read_task.hpp"
#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// What is said of records at fault; empty when they are tolerable.
template <typename Options = ReadOptions>
std::string told(const std::string& text, const Limits& limits = {}, const Options& options = {}) {
  const Records records = read_text(text, options, "tide.csv");
  try {
    check_limits(*records.source, limits);
  } catch (const Error& error) {
    CHECK(error.kind() == Error::Kind::limit);
    return error.what();
  }
  return "";
}

Limits tolerating(const std::string& text) {
  Limits limits;
  from_text(text, limits.tolerate);
  return limits;
}

/// So many good records, and these lines after them.
std::string lines(int good, const std::string& more) {
  std::string text = "time,level\n";
  for (int i = 0; i < good; ++i) {
    text += fmt::format("2025-10-20T{:02}:{:02}:00Z,{}\n", i / 60, i % 60, i);
  }
  return text + more;
}

}  // namespace

TEST_CASE("without a word on faults there is no data, and the ways to go on are told", "[limits]") {
  CHECK(told(lines(3, "")).empty());
  const std::string what = told(lines(30, "garbled\n2025-10-21T00:00:00Z,soon\n"));
  CHECK(what ==
        "tide.csv: 2 of 32 records are at fault; no data was written\n"
        "  line 32: field-count: garbled\n"
        "  line 33: unreadable-reading in level: soon\n"
        "to go on:\n"
        "  ‹rejects› FILE      sets them aside in a file\n"
        "  ‹tolerate› 2        goes on all the same\n"
        "  ‹missing› soon      when \"soon\" stands for a missing reading");
}

TEST_CASE("a tolerance is inclusive, of records or of a share of them", "[limits]") {
  const std::string text = lines(98, "garbled\nagain\n");
  CHECK(told(text, tolerating("2")).empty());
  CHECK(told(text, tolerating("2%")).empty());
  CHECK_THAT(told(text, tolerating("1")),
             Catch::Contains("2 of 100 records are at fault, more than ‹tolerate› 1"));
  CHECK_THAT(told(text, tolerating("1.99%")), Catch::Contains("more than ‹tolerate› 1.99%"));
  CHECK_THAT(told(lines(1, "garbled\n"), tolerating("0")),
             Catch::Contains("1 of 2 records is at fault"));
  Limits aside;
  aside.rejects = "x.csv";
  CHECK(told(text, aside).empty());
}

TEST_CASE("what is no tolerance is refused", "[limits]") {
  for (const char* none : {"", "x", "-1", "101%", "%", "1e400", "5 %x"}) {
    INFO(none);
    CHECK_THROWS_WITH(tolerating(none),
                      Catch::Contains("is neither a number of records nor a percentage"));
  }
  CHECK(to_text(*tolerating("0.5%").tolerate) == "0.5%");
  CHECK(to_text(*tolerating("12").tolerate) == "12");
}

TEST_CASE("of many faults the first five are told, and how many more there are", "[limits]") {
  std::string more;
  for (int i = 0; i < 1'234; ++i) more += "garbled\n";
  const std::string what = told(lines(2, more));
  CHECK_THAT(what, Catch::Contains("line 8: field-count") && Catch::Contains("and 1,229 more"));
  CHECK(what.find("line 9:") == std::string::npos);
  // However many are kept.
  detail::ReadTask few;
  few.most_faults = 7;
  CHECK(told(lines(2, more), {}, few) == what);
  few.most_faults = 2;
  CHECK_THAT(told(lines(2, more), {}, few), Catch::Contains("1,234 of 1,236 records"));
}

TEST_CASE("faults beyond those that are kept are counted all the same", "[limits]") {
  std::string more;
  for (int i = 0; i < 5'000; ++i) more += i % 2 == 0 ? "garbled\n" : "soon,1\n";
  detail::ReadTask few;
  few.most_faults = 100;
  few.time = "time";
  few.chunk_bytes = 4'096;
  const Records records = read_text(lines(50, more), few, "tide.csv");
  CHECK(records.source->faults.size() == 100);
  CHECK(records.source->rejected == 5'000);
  const auto& by_reason = records.source->by_reason;
  CHECK(by_reason[static_cast<std::size_t>(Reason::field_count)] == 2'500);
  CHECK(by_reason[static_cast<std::size_t>(Reason::unreadable_time)] == 2'500);
}

TEST_CASE("the ways to go on are those that the faults ask for", "[limits]") {
  ReadOptions dublin;
  dublin.zone = Zone::find("Europe/Dublin");
  const std::string clocks =
      told("time,level\n2025-10-26 01:30:00,1\n2025-03-30 01:30:00,2\n2025-10-20 00:00:00,3\n", {},
           dublin);
  CHECK_THAT(clocks, Catch::Contains("repeated-time") && Catch::Contains("skipped-time") &&
                         Catch::Contains("‹repeated› WHICH") &&
                         Catch::Contains("‹skipped› forward"));
  CHECK_THAT(told(lines(20, "# calibrated\n")),
             Catch::Contains("‹comment› '#'       passes over lines that start with #"));
  CHECK(told(lines(20, "garbled\n")).find("‹comment›") == std::string::npos);
}

TEST_CASE("rejects are written as their raw text, with line, byte and column", "[limits]") {
  const Folder folder;
  const Records records = read_text(
      lines(12, "\"a \"\"b\"\", c\"\n2025-10-21T00:00:00Z,\"1,5\"\n\xff\xfe,2\n"), {}, "tide.csv");
  Output output(folder.path("rejects.csv"));
  write_rejects_header(*records.source, output);
  write_rejects(*records.source, output);
  output.commit();
  const std::string good = lines(12, "");
  CHECK(folder.get("rejects.csv") ==
        fmt::format("line,byte,column,reason,text\n"
                    "14,{},,field-count,\"\"\"a \"\"\"\"b\"\"\"\", c\"\"\"\n"
                    "15,{},level,unreadable-reading,\"\"\"1,5\"\"\"\n"
                    "16,{},,bad-encoding,\"\xef\xbf\xbd\xef\xbf\xbd,2\"\n",
                    good.size(), good.size() + 13 + 21, good.size() + 13 + 27));
}

TEST_CASE("each fault in another encoding has its place in the file", "[limits]") {
  // Two bytes in the file are one letter here, and one byte may be three.
  const std::string good = "2025-10-20T00:00:00Z,1\n";
  std::string text = "time,level,note\n", utf16("\xff\xfe", 2);
  std::vector<std::uint64_t> places;
  for (int i = 0; i < 3'000; ++i) {
    const std::string line = i % 3 == 0 ? fmt::format("2025-10-20T{:02}:{:02}:00Z,{},caf\xc3\xa9\n",
                                                      i / 180, i / 3 % 60, i)
                                        : "g\xc3\xa9n\xc3\xa9ral\n";
    if (i % 3 != 0) places.push_back(text.size());
    text += line;
  }
  std::vector<std::uint64_t> in_file;
  for (std::size_t at = 0; at < text.size();) {
    if (std::ranges::binary_search(places, at)) in_file.push_back(utf16.size());
    const std::size_t length = utf8_length(std::string_view(text).substr(at));
    const std::uint32_t code = utf8_code(std::string_view(text).substr(at, length));
    utf16 += static_cast<char>(code & 0xff);
    utf16 += static_cast<char>(code >> 8);
    at += length;
  }
  const Folder folder;
  const Records records = read_records(folder.put("x.csv", utf16));
  REQUIRE(records.source->faults.size() == in_file.size());
  // In order, and from anywhere.
  for (std::size_t i = 0; i < in_file.size(); ++i) {
    REQUIRE(records.source->file_byte(records.source->faults[i]) == in_file[i]);
  }
  std::mt19937 random(5);
  for (int round = 0; round < 200; ++round) {
    const std::size_t i = random() % in_file.size();
    REQUIRE(records.source->file_byte(records.source->faults[i]) == in_file[i]);
  }
}

}  // namespace zerobeat::testing
