// Reading in stretches, against reading the whole.

#include <fmt/format.h>

#include "io/source/read_task.hpp"
#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// What was handed on: each record once, in the order in which it was let go of.
struct Handed {
  std::vector<std::string> rows;
  int passes = 0;
  std::size_t most_at_once = 0;
  std::vector<Column::Type> types;
};

std::string row_text(const Records& records, std::size_t row) {
  std::string text = to_text(nth_time(records, row));
  if (records.keys) text += " " + records.keys->text(row);
  for (const Column& column : records.values.columns()) {
    if (!column.valid(row)) {
      text += " -";
    } else if (column.type() == Column::Type::text) {
      text += " " + column.text(row);
    } else {
      const Column numbers = column.as_numbers();
      text += fmt::format(" {}", numbers.numbers()[row]);
    }
  }
  return text;
}

/// Reads with stretches of some 50 rows, the last ten seconds of each strand held back.
std::optional<Records> read_so(const Source& source, detail::ReadTask task, Handed& handed) {
  task.chunk_bytes = 700;
  task.stretch_rows = 50;
  const auto begin = [&]() -> detail::TakeRecords {
    const int passes = handed.passes + 1;
    handed = {};
    handed.passes = passes;
    return [&](const Records& records, bool is_last) -> std::optional<std::vector<Instant>> {
      handed.most_at_once = std::max(handed.most_at_once, records.size());
      handed.types.clear();
      for (const Column& column : records.values.columns()) handed.types.push_back(column.type());
      std::vector<std::string> keys;
      std::vector<Instant> held;
      for (std::size_t row = 0; row < records.size(); ++row) {
        const std::string key = records.keys ? records.keys->text(row) : "";
        const auto at = static_cast<std::size_t>(std::ranges::find(keys, key) - keys.begin());
        if (at == keys.size()) {
          keys.push_back(key);
          held.push_back(Instant::min());
        }
        held[at] = std::max(held[at], nth_time(records, row) - std::chrono::seconds(10));
      }
      if (is_last) std::ranges::fill(held, Instant::max());
      for (std::size_t row = 0; row < records.size(); ++row) {
        const std::string key = records.keys ? records.keys->text(row) : "";
        const auto at = static_cast<std::size_t>(std::ranges::find(keys, key) - keys.begin());
        if (nth_time(records, row) < held[at]) handed.rows.push_back(row_text(records, row));
      }
      return held;
    };
  };
  return detail::read_in_stretches(source, task, begin);
}

/// A record each second of three probes in turn; `cell(i)` is what the i-th reads.
template <typename Cell>
std::string probes(int rows, Cell&& cell) {
  std::string text = "time,probe,level\n";
  for (int i = 0; i < rows; ++i) {
    text += fmt::format("{},cold_{},{}\n", to_text(clock("00:00") + std::chrono::seconds(i)),
                        i % 3 + 1, cell(i));
  }
  return text;
}

void check_as_whole(const std::string& text, const detail::ReadTask& task) {
  const Folder folder;
  folder.put("probes.csv", text);
  const Source source(folder.path("probes.csv"));
  Handed handed;
  const auto stretched = read_so(source, task, handed);
  REQUIRE(stretched);
  const Records whole = detail::read_records(source, task);
  std::vector<std::string> rows;
  for (std::size_t row = 0; row < whole.size(); ++row) rows.push_back(row_text(whole, row));
  std::ranges::sort(rows);
  std::ranges::sort(handed.rows);
  CHECK(handed.rows == rows);
  CHECK(handed.most_at_once < 200);
  std::vector<Column::Type> types;
  for (const Column& column : whole.values.columns()) types.push_back(column.type());
  CHECK(handed.types == types);
  CHECK(stretched->size() == 0);
  CHECK(stretched->time.name == whole.time.name);
  CHECK(stretched->key_name == whole.key_name);
  const SourceAccount &own = *stretched->source, &wanted = *whole.source;
  CHECK(own.records == wanted.records);
  CHECK(own.kept == wanted.kept);
  CHECK(own.by_reason == wanted.by_reason);
  CHECK(own.faults == wanted.faults);
  CHECK(own.notes == wanted.notes);
  const auto told = [](const Records& records) {
    std::vector<std::string> findings;
    for (const Finding& finding : records.findings) {
      findings.push_back(fmt::format("{} {} {} {}", finding.kind, finding.count, finding.first_line,
                                     finding.message));
    }
    return findings;
  };
  CHECK(told(*stretched) == told(whole));
}

}  // namespace

TEST_CASE("stretches hand on every record once, and know what the whole knows", "[read]") {
  const std::string text = probes(1000, [](int i) {
    if (i % 91 == 0) return std::string("NA");
    if (i == 333) return std::string("garbled");
    return fmt::format("{}.{:03}", i % 7, i);
  });
  check_as_whole(text, {});
  detail::ReadTask keyed;
  keyed.key = "probe";
  check_as_whole(text, keyed);
  // With lines that are no records, and returns.
  std::string odd = text;
  odd.insert(odd.find("cold_2", 9'000) - 21, "soon,cold_1,1\n\n2025-10-20T00:00:00Z,cold_1\n");
  check_as_whole(odd, keyed);
  std::string returns;
  for (const char c : text) returns += c == '\n' ? "\r\n" : std::string(1, c);
  check_as_whole(returns, keyed);
}

TEST_CASE("whole numbers that a fraction ends are handed on as numbers from the first", "[read]") {
  const std::string text =
      probes(1000, [](int i) { return i < 900 ? fmt::format("{}", i) : fmt::format("{}.5", i); });
  check_as_whole(text, {});
  const Folder folder;
  folder.put("probes.csv", text);
  Handed handed;
  REQUIRE(read_so(Source(folder.path("probes.csv")), {}, handed));
  CHECK(handed.passes == 2);
}

TEST_CASE("a column that turns out to be text is handed on as text", "[read]") {
  // The samples of the beginning say numbers; most that follow are none.
  const std::string text = probes(30'000, [](int i) {
    return i < 10'000 ? fmt::format("{}", i) : fmt::format("buoy_{}", i % 5);
  });
  const Folder folder;
  folder.put("probes.csv", text);
  Handed handed;
  const auto stretched = read_so(Source(folder.path("probes.csv")), {}, handed);
  REQUIRE(stretched);
  CHECK(handed.types == std::vector{Column::Type::text, Column::Type::text});
  CHECK(handed.rows.size() == 30'000);
}

TEST_CASE("what only the whole can tell is not handed on", "[read]") {
  const Folder folder;
  Handed handed;
  SECTION("true and false, which others may follow") {
    folder.put("probes.csv", probes(500, [](int i) { return i % 2 == 0 ? "true" : "false"; }));
    CHECK_FALSE(read_so(Source(folder.path("probes.csv")), {}, handed));
  }
  SECTION("a repeated hour that the order of the records decides about") {
    std::string text = "time,level\n";
    for (int i = 0; i < 400; ++i) {
      const int minute = i % 120;
      text += fmt::format("2025-10-26 {:02}:{:02}:{:02},{}\n", i < 120 ? 0 : 1, minute / 2,
                          minute % 2 * 30, i);
    }
    folder.put("probes.csv", text);
    detail::ReadTask task;
    task.zone = Zone::find("Europe/Dublin");
    task.repeated = Repeated::order;
    CHECK_FALSE(read_so(Source(folder.path("probes.csv")), task, handed));
  }
  SECTION("no record at all") {
    folder.put("probes.csv", "time,level\n");
    CHECK_FALSE(read_so(Source(folder.path("probes.csv")), {}, handed));
  }
  SECTION("a source that is small, unless its stretches are named") {
    folder.put("probes.csv", probes(100, [](int i) { return fmt::format("{}", i); }));
    const auto never = []() -> detail::TakeRecords { throw std::logic_error("not asked for"); };
    CHECK_FALSE(detail::read_in_stretches(Source(folder.path("probes.csv")), {}, never));
  }
}

TEST_CASE("places whose lines alone are kept say where the count of lines begins", "[records]") {
  Places places;
  const Places::Run runs[]{{0, 5}, {2, 9}};
  places.add_lines(100, 4, 4, runs);
  const Places::Run next{0, 20};
  places.add_lines(400, 20, 2, {&next, 1});
  CHECK(places.size() == 6);
  CHECK(places.line(1) == 6);
  CHECK(places.line(3) == 10);
  CHECK(places.line(5) == 21);
  CHECK(places.byte(3) == 100);
  CHECK(places.known_start(3) == Places::LineStart{4, 100});
  CHECK(places.known_start(5) == Places::LineStart{20, 400});
  const std::int64_t some[]{3, 4};
  const Places kept = places.kept(some);
  CHECK(kept.line(0) == 10);
  CHECK(kept.line(1) == 20);
  CHECK(kept.known_start(0) == Places::LineStart{4, 100});
}

}  // namespace zerobeat::testing
