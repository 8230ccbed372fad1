// Arrays in JSON lines stay as their text; how deep a line nests is bounded.

#include "io/text/json_array.hpp"

#include <nlohmann/json.hpp>
#include <zerobeat/io/read.hpp>

#include "io/text/json_lines.hpp"

namespace zerobeat::testing {

namespace {

std::string nested(int levels, const std::string& open, const std::string& close) {
  std::string text;
  for (int i = 0; i < levels; ++i) text += open;
  text += "1";
  for (int i = 0; i < levels; ++i) text += close;
  return text;
}

}  // namespace

TEST_CASE("an array ends where its bracket closes", "[jsonl]") {
  const auto length = [](std::string_view text) { return detail::json_array_length(text, 64); };
  CHECK(length("[]") == 2);
  CHECK(length("[ ] , 1") == 3);
  CHECK(length("[1,2]}") == 5);
  CHECK(length("[\"]\"]") == 5);
  CHECK(length("[\"\\\"]\", {\"a\": [null, true]}]x") == 28);
  for (const char* broken :
       {"[",          "[1",        "[1,]",          "[,1]",  "[1 2]", "[01]",       "[1}",
        "[\"a]",      "[\"\\x\"]", "[\"\\u12g4\"]", "[nul]", "[tru]", "[{]",        "[{\"a\"}]",
        "[{\"a\":}]", "[{a:1}]",   "[1.]",          "[-]",   "[+1]",  "[\"a\tb\"]", "",
        "{}",         "1"}) {
    INFO(broken);
    CHECK(length(broken) == 0);
  }
}

TEST_CASE("an array is one where another reader of JSON takes it for one", "[jsonl]") {
  std::mt19937 random(3);
  const std::string whole = R"([1,-2.5e3,"a\"b\u00e9",{"c":[true,null,[]],"d":{}},[[0],""]])";
  int good = 0;
  for (int round = 0; round < 20'000; ++round) {
    std::string text = whole;
    for (int n = static_cast<int>(random() % 3); n >= 0; --n) {
      const std::size_t at = 1 + random() % (text.size() - 1);
      switch (random() % 3) {
        case 0:
          text.erase(at, 1);
          break;
        case 1:
          text.insert(at, 1, R"(,:[]{}"\ 01.eE-tnu)"[random() % 18]);
          break;
        default:
          text[at] = R"(,:[]{}"\ 01.eE-tnu)"[random() % 18];
      }
    }
    const bool is_array = nlohmann::json::accept(text) && text[0] == '[';
    INFO(text);
    REQUIRE((detail::json_array_length(text, 64) == text.size()) == is_array);
    good += is_array;
  }
  CHECK(good > 500);
}

TEST_CASE("arrays nest as deep as is asked, and no deeper", "[jsonl]") {
  for (const int levels : {1, 3, 63, 64}) {
    CHECK(detail::json_array_length(nested(levels, "[", "]"), levels) ==
          static_cast<std::size_t>(2 * levels + 1));
    CHECK(detail::json_array_length(nested(levels, "[", "]"), levels - 1) == 0);
  }
  CHECK(detail::json_array_length(nested(100'000, "[", "]"), 64) == 0);
  CHECK(detail::json_array_length(nested(100'000, "[{\"a\":", "}]"), 64) == 0);
}

TEST_CASE("a record keeps an array as its text", "[jsonl]") {
  const Records records =
      read_lines(R"({"at":"2025-10-20T00:00:00Z","x":1,"tags":[1, "b,c" ,{"d":[]}] ,"y":2})"
                 "\n"
                 R"({"at":"2025-10-20T00:01:00Z","x":2,"tags":[],"y":3})"
                 "\n"
                 R"({"at":"2025-10-20T00:02:00Z","x":3,"tags":"plain","y":[4]})"
                 "\n"
                 R"({"at":"2025-10-20T00:03:00Z","x":4,"tags":["\u00e9\n"],"y":5})"
                 "\n");
  REQUIRE(records.size() == 4);
  const Column& tags = records.values.column("tags");
  CHECK(tags.text(0) == R"([1, "b,c" ,{"d":[]}])");
  CHECK(tags.text(1) == "[]");
  CHECK(tags.text(2) == "plain");
  CHECK(tags.text(3) == R"(["\u00e9\n"])");
  CHECK(records.values.column("x").integers()[3] == 4);
}

TEST_CASE("an array in a column of numbers is an unreadable reading", "[jsonl]") {
  std::string text;
  for (int i = 0; i < 20; ++i) {
    text += fmt::format("{{\"at\":\"2025-10-20T00:{:02}:00Z\",\"x\":{}}}\n", i,
                        i == 7 ? "[7, 8]" : std::to_string(i));
  }
  const Records records = read_lines(text);
  CHECK(records.size() == 20);
  REQUIRE(records.source->faults.size() == 1);
  CHECK(records.source->faults[0].reason == Reason::unreadable_reading);
  CHECK(records.source->faults[0].line == 8);
  CHECK(records.source->text_of(records.source->faults[0]) == "[7, 8]");
}

TEST_CASE("a line that nests deeper than 64 levels is a broken record, however deep", "[jsonl]") {
  const auto line = [](const std::string& value) {
    return "{\"at\":\"2025-10-20T00:00:00Z\",\"x\":" + value + "}\n";
  };
  const auto broken = [&](const std::string& value) {
    const Records records = read_lines(line("1") + line(value));
    CHECK(records.size() + records.source->faults.size() == 2);
    return records.size() == 1 && records.source->faults[0].reason == Reason::broken_record;
  };
  // The object itself is the first level.
  CHECK(!broken(nested(63, "{\"a\":", "}")));
  CHECK(broken(nested(64, "{\"a\":", "}")));
  CHECK(!broken(nested(63, "[", "]")));
  CHECK(broken(nested(64, "[", "]")));
  for (const int levels : {1'000, 50'000, 300'000}) {
    CHECK(broken(nested(levels, "{\"a\":", "}")));
    CHECK(broken(nested(levels, "[", "]")));
    CHECK(broken(std::string(static_cast<std::size_t>(levels), '[')));
  }
}

TEST_CASE("a NUL stands nowhere outside of texts", "[jsonl]") {
  const auto kept = [](const std::string& line) {
    return read_lines("{\"at\":\"2025-10-20T00:00:00Z\",\"x\":1,\"s\":\"a\"}\n" + line + "\n")
        .size();
  };
  const std::string nul(1, '\0');
  CHECK(kept("{\"at\":\"2025-10-20T00:01:00Z\",\"x\":2,\"s\":\"a\"}") == 2);
  CHECK(kept("{\"at\":\"2025-10-20T00:01:00Z\",\"x\":2" + nul + ",\"s\":\"a\"}") == 1);
  CHECK(kept("{\"at\":\"2025-10-20T00:01:00Z\",\"x\":2,\"s\":\"a\"" + nul + "}") == 1);
  CHECK(kept("{\"at\":\"2025-10-20T00:01:00Z\"" + nul + ",\"x\":2,\"s\":\"a\"}") == 1);
  CHECK(kept("{\"at\":\"2025-10-20T00:01:00Z\",\"x\":null" + nul + ",\"s\":\"a\"}") == 1);
  CHECK(kept("{\"at\":\"2025-10-20T00:01:00Z\",\"x\":true" + nul + ",\"s\":\"a\"}") == 1);
}

}  // namespace zerobeat::testing
