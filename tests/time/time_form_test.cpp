#include <zerobeat/base/error.hpp>
#include <zerobeat/time/time_form.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

std::string written(const std::string& form, Instant t, int digits = 3, const Zone* zone = nullptr,
                    Instant origin = {}) {
  TimeForm how;
  from_text(form, how);
  CHECK(to_text(how) == form);
  std::string out;
  append_time(out, t, how, digits, zone, origin);
  return out;
}

}  // namespace

TEST_CASE("times are written in the form that was asked for", "[time-form]") {
  const Instant t = at("2025-10-26T01:30:15.250Z");
  const Zone dublin = Zone::find("Europe/Dublin");
  CHECK(written("rfc3339", t) == "2025-10-26T01:30:15.250Z");
  CHECK(written("epoch-s", t) == "1761442215.250");
  CHECK(written("epoch-s", t, 0) == "1761442215");
  CHECK(written("epoch-ms", t) == "1761442215250");
  CHECK(written("epoch-ms", t, 6) == "1761442215250.000");
  CHECK(written("epoch-us", t) == "1761442215250000");
  CHECK(written("epoch-ns", t) == "1761442215250000000");
  CHECK(written("epoch-s", at("1969-12-31T23:59:58.500Z")) == "-1.500");
  CHECK(written("quarter", t) == "2025-Q4");
  CHECK(written("week", t) == "2025-W43");
  CHECK(written("week", at("2024-12-30")) == "2025-W01");
  CHECK(written("week", at("2027-01-03")) == "2026-W53");
  CHECK(written("elapsed", t, 3, nullptr, at("2025-10-26T01:30:00.500Z")) == "14.750");
  CHECK(written("%a %d %b %Y %I:%M:%S.%f %p %z %Z", t, 3, &dublin) ==
        "Sun 26 Oct 2025 01:30:15.250 AM +0000 GMT");
  CHECK(written("%A %e %B %y %k %l %j %G-W%V-%u %s%%", at("2025-07-04T12:05:00Z"), 0, &dublin) ==
        "Friday  4 July 25 13  1 185 2025-W27-5 1751630700%");
  CHECK(written("%F %T %D %R %r", t) == "2025-10-26 01:30:15 10/26/25 01:30 01:30:15 AM");
  TimeForm out;
  CHECK_THROWS_AS(from_text("%Q", out), Error);
  CHECK_THROWS_AS(from_text("100%", out), Error);
  CHECK_THROWS_AS(from_text("weeks", out), Error);
}

TEST_CASE("what is written reads back to the same instant", "[time-form]") {
  std::mt19937_64 random(8);
  const Zone zones[] = {Zone(), Zone::find("Europe/Dublin"), Zone::find("Asia/Kathmandu")};
  for (int i = 0; i < 5'000; ++i) {
    // Since the zones have whole minutes, and until the end of the range.
    const auto ns = static_cast<std::int64_t>(random() % 8'000'000'000'000'000'000ULL) -
                    static_cast<std::int64_t>(500'000'000'000'000'000);
    const Instant t = instant_of(ns);
    const Zone& zone = zones[random() % 3];
    for (const char* form : {"epoch-s", "epoch-ms", "epoch-us", "epoch-ns",
                             "%Y-%m-%d %H:%M:%S.%f %z", "%d %B %Y %I:%M:%S.%f %p %z"}) {
      TimeFormat back;
      from_text(form, back);
      TimestampReader reader({.format = back});
      const std::string text = written(form, t, 9, &zone);
      INFO(text);
      const TimeReading reading = reader.read(text);
      REQUIRE(reading.verdict == TimeVerdict::ok);
      REQUIRE(reading.instant == t);
    }
    REQUIRE(read_instant(written("rfc3339", t, 9, &zone), Zone()) == t);
  }
  for (const char* day : {"2025-10-01", "1969-01-01", "2024-07-01"}) {
    CHECK(read_instant(written("quarter", at(day)), Zone()) == at(day));
  }
  for (const char* day : {"2025-10-27", "2024-12-30", "1969-12-29"}) {
    CHECK(read_instant(written("week", at(day)), Zone()) == at(day));
  }
}

}  // namespace zerobeat::testing
