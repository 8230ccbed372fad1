// JSON lines: what is a record, what its cells say, and that they are read as delimited text is.

#include "io/text/json_lines.hpp"

#include <fmt/format.h>

#include <random>
#include <zerobeat/io/read.hpp>

#include "io/text/json_shape.hpp"
#include "io/text/split_json.hpp"

namespace zerobeat::testing {

namespace {

std::int64_t count_of(const Records& records, Reason reason) {
  return records.source->by_reason[static_cast<std::size_t>(reason)];
}

}  // namespace

TEST_CASE("JSON lines are records, and a name within a name is a.b", "[jsonl]") {
  const Records records = read_lines(
      "{\"at\":\"2025-10-20T00:00:00Z\",\"probe\":{\"id\":7,\"ok\":true},\"level\":1.50}\n"
      "\n"
      "{\"level\":\"2.5\",\"at\":\"2025-10-20T00:06:00Z\",\"probe\":{\"id\":9007199254740993}}\r\n"
      "{\"at\":\"2025-10-20T00:12:00Z\",\"level\":null,\"note\":\"a \\\"b\\\" \\u00e9\"}");
  CHECK(records.values.names() ==
        std::vector<std::string>{"probe.id", "probe.ok", "level", "note"});
  REQUIRE(records.size() == 3);
  CHECK(records.values.column("probe.id").integers()[1] == 9007199254740993);
  CHECK(!records.values.column("probe.id").valid(2));
  CHECK(records.values.column("probe.ok").type() == Column::Type::boolean);
  CHECK(records.values.column("level").numbers()[1] == 2.5);
  CHECK(!records.values.column("level").valid(2));
  CHECK(records.values.column("note").text(2) == "a \"b\" \xc3\xa9");
  CHECK(records.places->line(1) == 3);
}

TEST_CASE("lines that are no objects are broken records", "[jsonl]") {
  const Records records = read_lines(
      "{\"at\":\"2025-10-20T00:00:00Z\",\"x\":1}\n"
      "[1]\n"
      "{\"at\":\"2025-10-20T00:01:00Z\",\"x\":[1]}\n"
      "{\"at\":\"2025-10-20T00:02:00Z\",\"x\":1\n"
      "{\"at\":\"2025-10-20T00:03:00Z\",\"x\":01}\n"
      "{\"at\":\"2025-10-20T00:04:00Z\",\"x\":nul}\n"
      "{\"at\":\"2025-10-20T00:05:00Z\"} {}\n"
      "{\"at\":\"2025-10-20T00:06:00Z\",\"x\":2,}\n"
      "7\n"
      "{\"at\":\"2025-10-20T00:07:00Z\",\"x\":2}\n"
      "{\"at\":\"2025-10-20T00:08:00Z\",\"x\":\"\xff\"}\n");
  CHECK(records.source->records == 11);
  CHECK(count_of(records, Reason::broken_record) == 7);
  CHECK(count_of(records, Reason::bad_encoding) == 1);
  REQUIRE(records.size() == 3);
  CHECK(records.places->line(1) == 3);
  CHECK(records.values.column("x").text(1) == "[1]");
  CHECK(records.source->text_of(records.source->faults[0]) == "[1]");
  CHECK(records.source->faults[0].byte == 36);
}

TEST_CASE("an unreadable reading stands where its value does", "[jsonl]") {
  std::string text;
  for (int i = 0; i < 20; ++i) {
    text += fmt::format("{{\"at\":\"2025-10-20T00:{:02}:00Z\",\"x\":{}}}\n", i,
                        i == 7 ? "\"soon\"" : "1");
  }
  const Records records = read_lines(text);
  REQUIRE(records.source->faults.size() == 1);
  const Fault& fault = records.source->faults[0];
  CHECK(fault.line == 8);
  CHECK(text.substr(fault.byte, fault.length) == "\"soon\"");
}

TEST_CASE("a name that turns up late is a column all the same", "[jsonl]") {
  std::string text;
  for (int i = 0; i < 100'000; ++i) {
    text += fmt::format("{{\"at\":{},\"x\":{}{}}}\n", 1'760'000'000 + i, i,
                        i == 77'777 ? ",\"late\":5" : "");
  }
  const Records records = read_lines(text);
  REQUIRE(records.values.find("late"));
  CHECK(records.values.column("late").valid(77'777));
  CHECK(records.values.column("late").validity().missing() == 99'999);
}

TEST_CASE("JSON numbers are those of the standard", "[jsonl]") {
  for (const char* good : {"0", "-0", "12", "1.5", "-1e5", "1E+5", "0.10e-3"}) {
    CHECK(detail::is_json_number(good));
  }
  for (const char* bad : {"", "-", "01", "1.", ".5", "+1", "1e", "0x1", "NaN", "1 "}) {
    CHECK(!detail::is_json_number(bad));
  }
}

TEST_CASE("the same records as JSON lines and as delimited text are read the same", "[jsonl]") {
  std::mt19937 random(14);
  const auto any = [&](std::initializer_list<const char*> words) {
    return std::string(std::data(words)[random() % words.size()]);
  };
  for (int round = 0; round < 30; ++round) {
    std::string csv = "at,k,x,w\n", lines;
    for (int i = 0; i < 200; ++i) {
      const std::string at = random() % 20 == 0
                                 ? any({"", "soon", "2025-02-30T00:00:00Z"})
                                 : fmt::format("2025-10-20T0{}:{:02}:00Z", i / 60, i % 60);
      const std::string k = any({"p1", "p2", ""});
      const std::string x = any({"1", "2.5", "-3e2", "NA", "", "12345678901234567890", "0.1"});
      const std::string w = any({"net", "say \"hi\"", "a,b", "", "\xc3\xa9"});
      const auto quoted = [](const std::string& text) {
        std::string out = "\"";
        for (const char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
        return out + "\"";
      };
      const auto escaped = [](const std::string& text) {
        std::string out = "\"";
        for (const char c : text) out += c == '"' ? "\\\"" : std::string(1, c);
        return out + "\"";
      };
      csv += at + "," + k + "," + x + "," + (w.empty() ? "" : quoted(w)) + "\n";
      const bool number = detail::is_json_number(x);
      lines += fmt::format("{{\"at\": {}, \"k\": {}, \"x\": {}, \"w\": {}}}\n", escaped(at),
                           escaped(k), number ? x : escaped(x), w.empty() ? "null" : escaped(w));
    }
    ReadOptions options;
    options.key = "k";
    const Records a = read_text(csv, options, "a.csv");
    const Records b = read_lines(lines, options);
    CHECK(a.source->by_reason == b.source->by_reason);
    REQUIRE(a.size() == b.size());
    CHECK(a.times == b.times);
    CHECK(*a.keys == *b.keys);
    CHECK(a.values.columns()[0] == b.values.columns()[0]);
    CHECK(a.values.columns()[1] == b.values.columns()[1]);
  }
}

TEST_CASE("what a line's shape lets through, a parser reads the same", "[jsonl]") {
  const std::string known =
      R"({"at": "2025-10-20", "k":"p1", "x":-1.50e3,"in":{"ok":true}, "n":null} )";
  const std::vector<std::string> names{"at", "k", "x", "in.ok", "n"};
  std::vector<detail::JsonShape::Value> values;
  std::size_t from = 0;
  for (const std::string_view text : {"\"2025-10-20\"", "\"p1\"", "-1.50e3", "true", "null"}) {
    from = known.find(text, from);
    values.push_back({from, text.size(), values.size()});
  }
  detail::JsonShape shape;
  shape.learn(known, values);
  CHECK(shape.cells() == 5);

  std::mt19937 random(15);
  const std::vector<std::string> words{"\"\"",
                                       "\"a\"",
                                       "\"\xc3\xa9\"",
                                       "\"\xff\"",
                                       "\"a\\\"\"",
                                       "\"a\tb\"",
                                       "1",
                                       "01",
                                       "1.",
                                       "-",
                                       "2e5",
                                       "true",
                                       "tru",
                                       "null",
                                       "nul",
                                       "[1]",
                                       "{}",
                                       "12345678901",
                                       "\"a long text of words\""};
  std::vector<detail::SpanCells::Span> spans(5);
  std::vector<std::string> cells;
  int fits = 0, parses = 0;
  for (int round = 0; round < 20'000; ++round) {
    std::string line = known;
    for (std::size_t i = values.size(); i-- > 0;) {
      if (random() % 2 == 0) continue;
      line.replace(values[i].begin, values[i].length, words[random() % words.size()]);
    }
    if (random() % 4 == 0) line[random() % line.size()] = static_cast<char>(random() % 256);
    if (random() % 8 == 0) line.resize(random() % line.size());
    const std::string text = line + (random() % 2 == 0 ? "\n" : "\r\n") + known;
    const std::size_t length = shape.split(text, text.data(), spans.data());
    const std::string word = text.substr(0, text.find('\n'));
    const bool object = detail::read_loose_json(word, names, cells);
    parses += object;
    if (length == 0) continue;
    ++fits;
    REQUIRE(object);
    REQUIRE((length == word.size() || (length + 1 == word.size() && word.back() == '\r')));
    for (std::size_t i = 0; i < names.size(); ++i) {
      REQUIRE(std::string_view(spans[i].text, spans[i].size) == cells[i]);
      const std::string raw = text.substr(spans[i].raw, spans[i].raw_size);
      REQUIRE((raw == cells[i] || raw == "\"" + cells[i] + "\"" || raw == "null"));
    }
  }
  CHECK(fits > 1'000);
  CHECK(parses > fits);
}

}  // namespace zerobeat::testing
