// Text for people, of bytes that anything may be in.

#include <zerobeat/base/text.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("the length of a UTF-8 character is told, and what is none has none", "[text]") {
  CHECK(utf8_length("a") == 1);
  CHECK(utf8_length("\xc3\xa9") == 2);
  CHECK(utf8_length("\xe2\x82\xac") == 3);
  CHECK(utf8_length("\xf0\x9f\x90\x9f") == 4);
  // Cut, overlong, a surrogate, past the last one, a byte that continues nothing.
  for (const char* none : {"\xc3", "\xe2\x82", "\xf0\x9f\x90", "\xc0\xaf", "\xe0\x80\xaf",
                           "\xed\xa0\x80", "\xf4\x90\x80\x80", "\xf8\x88", "\x80", "\xff"}) {
    CHECK(utf8_length(none) == 0);
  }
  CHECK(utf8_length("") == 0);
  CHECK(utf8_code("\xe2\x82\xac") == 0x20ac);
  CHECK(utf8_code("\xf0\x9f\x90\x9f") == 0x1f41f);
}

TEST_CASE("what is not UTF-8 is shown as a mark, byte by byte", "[text]") {
  CHECK(printable("quay") == "quay");
  CHECK(printable("caf\xc3\xa9") == "caf\xc3\xa9");
  CHECK(printable("a\xff\xfe"
                  "b") ==
        "a\xef\xbf\xbd\xef\xbf\xbd"
        "b");
}

TEST_CASE("nothing that moves the cursor or turns the text is shown as such", "[text]") {
  CHECK(shown("a\x1b[31m") == "a\\x1b[31m");
  CHECK(shown("a\nb\tc") == "a\\x0ab\\x09c");
  CHECK(shown("\xe2\x80\xae"
              "abc") == "\\u202eabc");
  CHECK(shown("\xc2\x85") == "\\x85");
  CHECK(shown("quay\x1f"
              "berth") == "quay+berth");
}

TEST_CASE("long texts are cut after letters, not within one", "[text]") {
  CHECK(shown("abcdef", 3) == "abc…");
  CHECK(shown("abc", 3) == "abc");
  CHECK(shown("\xc3\xa9\xc3\xa9\xc3\xa9", 2) == "\xc3\xa9\xc3\xa9…");
  const std::string lines = shown_lines("one\ntwo\x07\n" + std::string(10'000, 'x'));
  CHECK(lines.starts_with("one\ntwo\\x07\nxxx"));
  CHECK(lines.size() < 4'000);
}

TEST_CASE("lengths and numbers are told in few digits", "[text]") {
  CHECK(length_text(0.0125) == "0.0125 s");
  CHECK(length_text(59.5) == "59.5 s");
  CHECK(length_text(360) == "6 min");
  CHECK(length_text(361) == "6 min 1 s");
  CHECK(length_text(21'600) == "6 h");
  CHECK(length_text(22'500) == "6 h 15 min");
  CHECK(length_text(86'400 * 3) == "3 d");
  CHECK(length_text(86'400 * 3 + 7'200) == "3 d 2 h");
  CHECK(grouped(0) == "0");
  CHECK(grouped(999) == "999");
  CHECK(grouped(1000) == "1,000");
  CHECK(grouped(-1234567) == "-1,234,567");
  CHECK(grouped(INT64_MIN) == "-9,223,372,036,854,775,808");
}

TEST_CASE("options of the library's texts have dashes on a command line", "[text]") {
  CHECK(with_dashes("see ‹max_gap› and ‹to›: ‹every› 15mn") ==
        "see --max-gap and --to: --every 15mn");
  CHECK(with_dashes("‹Zeit›, ‹›, ‹a b› and ‹open are as they were") ==
        "‹Zeit›, ‹›, ‹a b› and ‹open are as they were");
  CHECK(with_dashes("").empty());
}

}  // namespace zerobeat::testing
