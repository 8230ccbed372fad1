// Where a text's table begins, and what stands between its cells: tables of the test's own making
// under lines of prose, in every dialect.

#include <fmt/format.h>

#include <algorithm>
#include <random>
#include <zerobeat/io/read.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

template <typename Random>
const std::string& any(const std::vector<std::string>& words, Random& random) {
  return words[random() % words.size()];
}

/// A text that may have NULs.
template <std::size_t n>
std::string bytes(const char (&text)[n]) {
  return std::string(static_cast<const char*>(text), n - 1);
}

}  // namespace

TEST_CASE("the header and the delimiter of a table are found under lines of prose", "[shape]") {
  std::mt19937 random(12);
  const std::vector<std::string> prose{"Brannoc Quay, levels",
                                       "made by the harbour; all rights kept",
                                       "",
                                       "Station: north pier",
                                       "heights | metres",
                                       "====",
                                       "x"};
  const std::vector<std::string> names{"time", "level", "gear", "price", "wind from", "note"};
  for (int round = 0; round < 400; ++round) {
    const char delimiter = std::array{',', ';', '\t', '|'}[random() % 4];
    const std::string end = random() % 3 == 0 ? "\r\n" : "\n";
    const std::size_t columns = 3 + random() % 4, rows = 6 + random() % 40;
    std::string text;
    const std::size_t before = random() % 4;
    for (std::size_t i = 0; i < before; ++i) text += any(prose, random) + end;
    const auto lines_before = static_cast<std::uint64_t>(std::ranges::count(text, '\n'));
    for (std::size_t c = 0; c < columns; ++c) {
      text += (c > 0 ? std::string(1, delimiter) : "") + names[c];
    }
    text += end;
    for (std::size_t r = 0; r < rows; ++r) {
      text += fmt::format("2025-10-20T{:02}:{:02}:00Z", r / 60, r % 60);
      for (std::size_t c = 1; c < columns; ++c) {
        const std::string cell = c == 2 && random() % 2 == 0
                                     ? fmt::format("\"net{} \"\"b\"\"\"", delimiter)
                                     : fmt::format("{}", static_cast<int>(random() % 100));
        text += delimiter + cell;
      }
      if (r + 1 < rows || random() % 2 == 0) text += end;
    }
    INFO(text);
    const Records records = read_text(text, {}, "x.txt");
    REQUIRE(records.size() == rows);
    REQUIRE(records.values.names() ==
            std::vector<std::string>(names.begin() + 1,
                                     names.begin() + static_cast<std::ptrdiff_t>(columns)));
    REQUIRE(records.places->line(0) == lines_before + 2);
    REQUIRE(records.places->byte(0) == text.find("2025-10-20T00:00:00Z"));
    REQUIRE(records.source->rejected == 0);
  }
}

TEST_CASE("what can't be a table says what it is", "[shape]") {
  const auto why = [](const std::string& text) {
    try {
      read_text(text, {}, "x.csv");
    } catch (const Error& error) {
      CHECK(error.kind() == Error::Kind::input);
      return std::string(error.what());
    }
    return std::string("nothing");
  };
  CHECK_THAT(why(""), Catch::Contains("is empty"));
  CHECK_THAT(why("\n\n  \n"), Catch::Contains("no header"));
  CHECK_THAT(why(bytes("time,x\0,y\n1,2,3\n")), Catch::Contains("NUL"));
  CHECK_THAT(why(bytes("t\0i\0m\0e\0,\0x\0\n\0")), Catch::Contains("‹encoding› utf-16le"));
  CHECK_THAT(why("time,x,x\n2025-01-01,1,2\n"), Catch::Contains("two columns are named \"x\""));
  CHECK_THAT(why("time,\"x\n2025-01-01,1\n"), Catch::Contains("does not close"));
  CHECK_THAT(why("time,\xe9\n2025-01-01,1\n"), Catch::Contains("‹encoding› latin1"));
  CHECK_THAT(why("\x01\x02\x03\x04\x05\x06\x07\n\x01\x02\n"), Catch::Contains("‹from›"));
}

}  // namespace zerobeat::testing
