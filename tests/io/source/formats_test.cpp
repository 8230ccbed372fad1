// Whole columns: which format, which order, which unit, and what is mixed.

#include <zerobeat/base/error.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/judge/judge.hpp>

#include "io/source/read_task.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

std::string column(const std::vector<std::string>& times) {
  std::string text = "time;v\n";
  for (std::size_t i = 0; i < times.size(); ++i) text += times[i] + ";" + std::to_string(i) + "\n";
  return text;
}

template <typename Options = ReadOptions>
Records read(const std::vector<std::string>& times, const Options& options = {}) {
  return read_text(column(times), options, "times.csv");
}

std::string what(const std::vector<std::string>& times) {
  try {
    read(times);
  } catch (const Error& error) {
    return error.what();
  }
  return "";
}

const Finding* finding(const Records& records, const std::string& kind) {
  for (const auto& own : records.findings) {
    if (own.kind == kind) return &own;
  }
  return nullptr;
}

}  // namespace

TEST_CASE("a column that mixes two formats is read, each time as what it is", "[formats]") {
  const Records records = read({"2025-10-20T00:00:00Z", "2025-10-20T01:00:00Z", "21/10/2025 02:00",
                                "2025-10-22T03:00:00Z", "1761436800"});
  CHECK(records.time.format == "iso");
  CHECK(records.source->rejected == 1);  // of two that are not ISO, only one other is read
  const Records both = read({"2025-10-20T00:00:00Z", "21/10/2025 02:00", "22/10/2025 02:00",
                             "2025-10-22T03:00:00Z", "2025-10-23T00:00:00Z"});
  CHECK(both.time.also == "dmy");
  CHECK(both.times.times()[1] == at("2025-10-21T02:00"));
  REQUIRE(finding(both, "mixed-formats") != nullptr);
  CHECK(finding(both, "mixed-formats")->count == 2);
  CHECK(finding(both, "mixed-formats")->first_line == 3);
  CHECK(both.source->rejected == 0);
}

TEST_CASE("one odd cell does not make a format, nor does garbage", "[formats]") {
  for (const char* odd : {"12345", "soon", "2025-02-30T00:00:00Z", "03/04/2025 01:00"}) {
    std::vector<std::string> times;
    for (int i = 10; i < 40; ++i) times.push_back(fmt::format("2025-10-20T00:{}:00Z", i));
    times.push_back(odd);
    INFO(odd);
    const Records records = read(times);
    CHECK(records.time.also.empty());
    CHECK(records.source->rejected == 1);
  }
}

TEST_CASE("the order of day and month is proven by the column, or it is an error", "[formats]") {
  CHECK(nth_time(read({"03/04/2025", "25/04/2025"}), 0) == at("2025-04-03"));
  CHECK(nth_time(read({"03/04/2025", "04/25/2025"}), 0) == at("2025-03-04"));
  CHECK_THAT(
      what({"03/04/2025", "05/06/2025"}),
      Catch::Contains("‹date_order›") && Catch::Contains("\"03/04/2025\" and \"05/06/2025\""));
  CHECK_THAT(what({"25/10/26", "25/11/27"}), Catch::Contains("‹date_order› ymd"));
  CHECK(nth_time(read({"25/10/26", "25/10/27"}, {.date_order = DateOrder::ymd}), 0) ==
        at("2025-10-26"));
  CHECK(nth_time(read({"25.10.26", "25.10.47"}), 0) == at("2026-10-25"));
  // Read either way, these are the same days.
  CHECK(nth_time(read({"03/03/2025", "05/05/2025"}), 1) == at("2025-05-05"));
  // One slip among many does not turn them round.
  std::vector<std::string> times(50, "03/04/2025");
  times.insert(times.end(), {"25/10/2025", "26/10/2025", "10/27/2025"});
  const Records records = read(times);
  CHECK(records.times.times()[0] == at("2025-04-03"));
  CHECK(records.source->by_reason[static_cast<std::size_t>(Reason::impossible_time)] == 1);
  // Of both orders, and none that is of both.
  const Records both = read({"04/13/2025", "25/04/2025", "04/14/2025"});
  CHECK(both.time.also == "dmy");
  CHECK(both.times.times()[1] == at("2025-04-25"));
}

TEST_CASE("the unit of epochs is told by all of them, and mixtures are read", "[formats]") {
  CHECK(read({"1761442200", "1761442260"}).time.format == "epoch-s");
  CHECK(read({"1761442200123", "1761442260123"}).time.format == "epoch-ms");
  CHECK(nth_time(read({"1.761442200123e12", "1.76144226e12"}), 0) ==
        at("2025-10-26T01:30:00.123Z"));
  const Records mixed = read({"1761442200", "1761442260", "1761442320000", "1761442380"});
  CHECK(mixed.times.times()[2] == at("2025-10-26T01:32:00Z"));
  REQUIRE(finding(mixed, "mixed-units") != nullptr);
  CHECK(finding(mixed, "mixed-units")->count == 1);
  CHECK(finding(mixed, "mixed-units")->first_line == 4);
  const Records told =
      read({"1761442200", "1761442320000"}, {.time_format = format_of(TimeFormat::Kind::epoch_ms)});
  REQUIRE(finding(told, "mixed-units") != nullptr);
  CHECK(told.times.times()[0] == at("1970-01-21T09:17:22.200Z"));
}

TEST_CASE("forms without a mark between are told from epochs", "[formats]") {
  CHECK(read({"20251026013000", "20251026013100"}).time.format == "compact");
  CHECK(nth_time(read({"20251026", "20251027"}), 1) == at("2025-10-27"));
  CHECK(nth_time(read({"2009", "2010"}), 1) == at("2010-01-01"));
  CHECK(nth_time(read({"2009-Q1", "2009-Q2"}), 1) == at("2009-04-01"));
  CHECK(read({"Sun, 26 Oct 2025 01:30:00 GMT", "Mon, 27 Oct 2025 01:30:00 GMT"}).time.format ==
        "named");
}

TEST_CASE("times with an offset and without are both read, with a finding", "[formats]") {
  const Records records =
      read({"2025-07-01T12:00:00+02:00", "2025-07-01T12:00:00", "2025-07-01T13:00:00Z"},
           {.zone = Zone::find("Europe/Dublin")});
  CHECK(records.times.times()[0] == at("2025-07-01T10:00:00Z"));
  CHECK(records.times.times()[1] == at("2025-07-01T11:00:00Z"));
  REQUIRE(finding(records, "mixed-offsets") != nullptr);
  CHECK(finding(records, "mixed-offsets")->first_line == 3);
}

TEST_CASE("columns judged while they are read are judged as those that are kept", "[formats]") {
  std::mt19937 random(12);
  for (int round = 0; round < 40; ++round) {
    std::string text = "time,a,b,c,d\n";
    for (int i = 0; i < 500; ++i) {
      const auto odd = random() % 30;
      text += fmt::format(
          "2025-10-20T{:02}:{:02}:00Z,{},{},{},{}\n", i / 60, i % 60,
          odd == 0   ? std::string("NA")
          : odd == 1 ? std::string("x")
                     : fmt::format("{:.2f}", static_cast<double>(random() % 500) / 100 - 2),
          odd == 2 ? std::string() : std::to_string(random() % 9),
          random() % 2 == 0 ? "true" : "false",
          round % 2 == 0 ? "\"quay\"" : (odd == 3 ? "" : "quay"));
    }
    detail::ReadTask options;
    options.chunk_bytes = 1 + random() % 4000;
    const Judgement kept = judge(read_text(text, options));
    options.judge_only = true;
    const Records records = read_text(text, options);
    CHECK(records.values.columns().empty());
    const Judgement seen = judge(records);
    REQUIRE(seen.columns.size() == kept.columns.size());
    for (std::size_t i = 0; i < seen.columns.size(); ++i) {
      INFO(seen.columns[i].name);
      CHECK(seen.columns[i].type == kept.columns[i].type);
      CHECK(seen.columns[i].missing == kept.columns[i].missing);
      CHECK(seen.columns[i].min == kept.columns[i].min);
      CHECK(seen.columns[i].max == kept.columns[i].max);
      CHECK(seen.columns[i].min_whole == kept.columns[i].min_whole);
      CHECK(seen.columns[i].max_whole == kept.columns[i].max_whole);
    }
    REQUIRE(seen.findings.size() == kept.findings.size());
    for (std::size_t i = 0; i < seen.findings.size(); ++i) {
      CHECK(seen.findings[i].kind == kept.findings[i].kind);
      CHECK(seen.findings[i].count == kept.findings[i].count);
      CHECK(seen.findings[i].first_line == kept.findings[i].first_line);
    }
  }
}

TEST_CASE("untimed records are numbered with those that were rejected", "[formats]") {
  const Records records = read_text("unit: winch\nrate, 512, 512\n\na,b\n1,2\n3\n5,6\n7,8\n",
                                    {.untimed = true}, "capture.csv");
  REQUIRE(records.size() == 3);
  CHECK(nanoseconds_of(records.times.times()[1]) == 2);
  CHECK(records.source->rejected == 1);
  REQUIRE(records.preamble.size() == 2);
  CHECK(records.preamble[1].key == "rate");
  CHECK(records.preamble[1].value == "512, 512");
  CHECK(records.preamble[1].line == 2);
  CHECK(records.values.names() == std::vector<std::string>{"a", "b"});
}

}  // namespace zerobeat::testing
