#include <algorithm>
#include <zerobeat/base/error.hpp>
#include <zerobeat/time/calendar.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono;

local_days day(const char* text) { return local_days(floor<days>(at(text)).time_since_epoch()); }

Weekend weekend(const char* text) {
  Weekend out;
  from_text(text, out);
  return out;
}

}  // namespace

TEST_CASE("a weekend is named by its days", "[calendar]") {
  CHECK(to_text(weekend("sat,sun")) == "sat,sun");
  CHECK(to_text(weekend("fri")) == "fri");
  CHECK(to_text(weekend("none")) == "none");
  CHECK_THROWS_AS(weekend("sat,sum"), Error);
  CHECK_THROWS_AS(weekend("mon,tue,wed,thu,fri,sat,sun"), Error);
}

TEST_CASE("working days are counted as walking over the days counts them", "[calendar]") {
  std::mt19937 random(3);
  for (const char* days_off : {"none", "sat,sun", "fri,sat", "mon,tue,wed,thu,fri,sat"}) {
    std::vector<local_days> holidays;
    for (int i = 0; i < 40; ++i) holidays.push_back(day("1969-06-01") + days(random() % 900));
    for (int i = 0; i < 20; ++i) holidays.push_back(day("1970-12-01") + days(i));
    const Calendar calendar(weekend(days_off), holidays);
    const auto works = [&](local_days d) {
      return !weekend(days_off).days[weekday(d).c_encoding()] &&
             std::find(holidays.begin(), holidays.end(), d) == holidays.end();
    };
    for (int round = 0; round < 300; ++round) {
      const local_days from = day("1969-03-01") + days(random() % 1200);
      const int length = static_cast<int>(random() % 400);
      std::int64_t counted = 0;
      for (int i = 0; i < length; ++i) counted += works(from + days(i));
      REQUIRE(calendar.working_days(from, from + days(length)) == counted);
      REQUIRE(calendar.working_days(from + days(length), from) == -counted);
      REQUIRE(calendar.is_working_day(from) == works(from));

      const auto n = static_cast<std::int64_t>(random() % 60) - 30;
      local_days walked = from;
      if (n == 0) {
        while (!works(walked)) walked += days(1);
      }
      for (std::int64_t left = std::abs(n); left > 0;) {
        walked += days(n > 0 ? 1 : -1);
        left -= works(walked);
      }
      INFO(days_off << " " << n);
      REQUIRE(calendar.nth_after(from, n) == walked);
    }
  }
}

TEST_CASE("idle time is what lies on days off, by the zone's clocks", "[calendar]") {
  const Calendar calendar(weekend("sat,sun"), {day("2025-10-27")});
  const Zone dublin = Zone::find("Europe/Dublin");
  const auto idle = [&](const char* from, const char* until) {
    return calendar.idle(read_instant(from, dublin), read_instant(until, dublin), dublin);
  };
  using namespace std::chrono_literals;
  CHECK(idle("2025-10-17T17:00", "2025-10-20T09:00") == 48h);
  // The Sunday of the change has 25 hours, and the Monday is a holiday.
  CHECK(idle("2025-10-24T17:00", "2025-10-28T09:00") == 73h);
  CHECK(idle("2025-10-25T06:00", "2025-10-25T18:00") == 12h);
  CHECK(idle("2025-10-22T06:00", "2025-10-23T18:00") == 0h);
  CHECK(Calendar().idle(at("2025-10-25"), at("2025-10-27"), dublin) == 0h);
}

}  // namespace zerobeat::testing
