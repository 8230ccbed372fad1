#include <zerobeat/base/error.hpp>
#include <zerobeat/clean/stamp.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// Records without times; their numbers in the source are given.
Records untimed(const std::vector<std::int64_t>& beats, const std::vector<std::string>& keys = {}) {
  Records records;
  records.untimed = true;
  Buffer<Instant> times(beats.size());
  for (std::size_t i = 0; i < beats.size(); ++i) times[i] = instant_of(beats[i]);
  records.times = Column::times(std::move(times));
  if (!keys.empty()) {
    records.key_name = "channel";
    records.keys = texts_of(keys);
  }
  records.values = Table(beats.size());
  auto account = std::make_shared<SourceAccount>();
  account->source = "capture.csv";
  records.source = account;
  return records;
}

Rate rate(const std::string& text) {
  Rate out;
  from_text(text, out);
  return out;
}

Period every(const std::string& text) {
  Period out;
  from_text(text, out);
  return out;
}

std::string last_written(const Records& records) {
  return to_text(records.times.times().back(), 9);
}

}  // namespace

TEST_CASE("a rate is an exact fraction", "[stamp]") {
  CHECK(rate("51.2kHz") == Rate{51'200, 1});
  CHECK(rate("51200 Hz") == Rate{51'200, 1});
  CHECK(rate(" 44100") == Rate{44'100, 1});
  CHECK(rate("0.5Hz") == Rate{1, 2});
  CHECK(rate("1e3") == Rate{1'000, 1});
  CHECK(rate("2.5 MHz") == Rate{2'500'000, 1});
  CHECK(rate("250mHz") == Rate{1, 4});
  CHECK(rate("48 kS/s") == Rate{48'000, 1});
  for (const char* text : {"", "fast", "0", "-5", "5 kg", "1e99", "Hz", "1..2"}) {
    INFO(text);
    CHECK_THROWS_AS(rate(text), Error);
  }
}

TEST_CASE("instants come from the sample's number, to the nanosecond", "[stamp]") {
  const Moment start("2025-10-25T22:14:03.250Z");
  CHECK(last_written(stamp(untimed({0}), {.start = start, .by = rate("512Hz")})) ==
        "2025-10-25T22:14:03.250000000Z");
  // 10^9 samples of 44,100 a second: 22675.736961451 s, of which the last digit is rounded.
  CHECK(last_written(stamp(untimed({1'000'000'000}), {.start = start, .by = rate("44100")})) ==
        "2025-10-26T04:31:58.986961451Z");
  CHECK(last_written(stamp(untimed({999'999'999}), {.start = start, .by = rate("51.2kHz")})) ==
        "2025-10-26T03:39:34.499980469Z");
  CHECK(last_written(stamp(untimed({1}), {.start = start, .by = rate("3Hz")})) ==
        "2025-10-25T22:14:03.583333333Z");
  CHECK(last_written(stamp(untimed({2}), {.start = start, .by = rate("3Hz")})) ==
        "2025-10-25T22:14:03.916666667Z");
  CHECK_THROWS_AS(stamp(untimed({1'000'000'000'000}), {.start = start, .by = rate("1Hz")}), Error);
  const Records with_elapsed =
      stamp(untimed({0, 3}), {.start = start, .by = rate("512Hz"), .elapsed = true});
  CHECK(with_elapsed.values.column("elapsed_s").numbers()[1] == 3.0 / 512);
  CHECK_FALSE(with_elapsed.untimed);
}

TEST_CASE("a record that was rejected has had its beat", "[stamp]") {
  const Records records = stamp(untimed({0, 1, 4}), {.start = "2025-10-20", .by = every("1min")});
  CHECK(records.times.times()[2] == clock("00:04"));
}

TEST_CASE("each key counts for itself", "[stamp]") {
  const Records records = stamp(untimed({0, 1, 2, 3}, {"a", "b", "a", "b"}),
                                {.start = "2025-10-20", .by = every("1min")});
  CHECK(records.times.times()[1] == clock("00:00"));
  CHECK(records.times.times()[3] == clock("00:01"));
}

TEST_CASE("periods follow the calendar", "[stamp]") {
  CHECK(last_written(stamp(untimed({5}), {.start = "2009-Q2", .by = every("1quarter")})) ==
        "2010-07-01T00:00:00.000000000Z");
  CHECK(last_written(stamp(untimed({1}), {.start = "2024-01-31", .by = every("1month")})) ==
        "2024-02-29T00:00:00.000000000Z");
  CHECK(last_written(stamp(untimed({2}), {.start = "2009", .by = every("1year")})) ==
        "2011-01-01T00:00:00.000000000Z");
  Records local = untimed({1});
  local.time.zone = Zone::find("Europe/Dublin");
  CHECK(last_written(stamp(local, {.start = "2025-10-26", .by = every("1d")})) ==
        "2025-10-27T00:00:00.000000000Z");
  const Calendar calendar(
      Weekend{}, {std::chrono::local_days(std::chrono::year(2025) / std::chrono::October / 27)});
  const auto worked = [&](const char* start, const char* step, std::int64_t n) {
    return last_written(stamp(untimed({n}),
                              {.start = start, .by = every(step), .days = {.calendar = calendar}}))
        .substr(0, 10);
  };
  CHECK(worked("2025-10-24", "1d", 1) == "2025-10-28");
  CHECK(worked("2025-10-24", "2d", 1) == "2025-10-29");
  CHECK(worked("2025-10-25", "1d", 0) == "2025-10-28");
  CHECK_THROWS_AS(worked("2025-10-24", "1h", 1), Error);
}

TEST_CASE("the preamble says start and rate, and its channels must agree", "[stamp]") {
  Records records = untimed({0, 512});
  records.preamble = {{1, "Start time", "2025-10-25T22:14:03.250Z"},
                      {2, "Sample rate", "512 Hz, 0.512kHz"},
                      {3, "Started", "25/10/2025 22:14:03"},
                      {4, "gain", "1; 2"}};
  const Stamp good{.start = Stated("start time"), .by = Stated("SAMPLE RATE")};
  CHECK(last_written(stamp(records, good)) == "2025-10-25T22:14:04.250000000Z");
  CHECK(last_written(stamp(records, {.start = Stated("Started"), .by = Stated("Sample rate")})) ==
        "2025-10-25T22:14:04.000000000Z");
  const auto message = [&](const Stamp& options) -> std::string {
    try {
      stamp(records, options);
    } catch (const Error& error) {
      return error.what();
    }
    return "";
  };
  CHECK_THAT(message({.start = Stated("start"), .by = Stated("sample rate")}),
             Catch::Contains("no line before the header is named \"start\""));
  CHECK_THAT(message({.start = Stated("start time"), .by = Stated("gain")}),
             Catch::Contains("capture.csv: ‹rate_from›: the channels do not agree") &&
                 Catch::Contains("line 4"));
  CHECK_THAT(message({.start = Stated("sample rate"), .by = Stated("sample rate")}),
             Catch::Contains("can't be read"));
  records.preamble.push_back({9, "start time", "2025-10-25T22:14:03.300Z"});
  CHECK_THAT(message(good), Catch::Contains("(line 1)") && Catch::Contains("(line 9)"));
  Stamp both{.by = rate("1Hz")};
  for (const auto& option : bind_options(both)) {
    if (option.name == "every") CHECK_THROWS_WITH(option.set("1s"), Catch::Contains("not several"));
  }
  CHECK_THAT(message({.start = "2025-10-25"}), Catch::Contains("takes one of ‹rate›"));
  CHECK_THAT(message({.by = every("1d")}), Catch::Contains("‹start_from›"));
}

}  // namespace zerobeat::testing
