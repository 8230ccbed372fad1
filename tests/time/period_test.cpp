#include <zerobeat/time/period.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Period period(const std::string& text) {
  Period out;
  from_text(text, out);
  return out;
}

using namespace std::chrono_literals;

}  // namespace

TEST_CASE("periods are read with their parts kept apart", "[period]") {
  CHECK(period("250ms") == Period(250ms));
  CHECK(period("1h30min") == Period(90min));
  CHECK(period("24h") == Period(24h));
  CHECK(period("1d") == Period::of_days(1));
  CHECK(period("24h") != period("1d"));
  CHECK(period("2wk") == Period::of_days(14));
  CHECK(period("1quarter") == Period::of_months(3));
  CHECK(period("1year2month") == Period::of_months(14));
  CHECK(period("0.5s") == Period(500ms));
  CHECK(period("PT15M") == Period(15min));
  CHECK(period("P1M") == Period::of_months(1));
  CHECK(period("P1W") == Period::of_days(7));
  CHECK(period("P1DT12H").days == 1);
}

TEST_CASE("a period that can't be read is named, with what would be right", "[period]") {
  CHECK_THROWS_WITH(period("15mn"), Catch::Contains("\"mn\" is not a unit; did you mean min?"));
  CHECK_THROWS_WITH(period("15"), Catch::Contains("has no unit"));
  CHECK_THROWS_AS(period(""), Error);
  CHECK_THROWS_AS(period("-1h"), Error);
  CHECK_THROWS_AS(period("P"), Error);
  CHECK_THROWS_AS(period("99999999999999999999h"), Error);
  CHECK_THROWS_AS(period("0.5month"), Error);
}

TEST_CASE("a period written out reads back the same", "[period]") {
  for (const char* text : {"250ms", "1h30min", "1d", "3wk", "1year2month", "7ns", "36h"}) {
    CHECK(period(to_text(period(text))) == period(text));
  }
}

TEST_CASE("a month is not 30 days and a day is not 24 hours", "[period]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  CHECK(shift(at("2025-01-31T12:00:00Z"), Period::of_months(1), 1, Zone()) ==
        at("2025-02-28T12:00:00Z"));
  // The clocks go back on 26 October: that day has 25 hours.
  const Instant noon = at("2025-10-25T12:00:00+01:00");
  CHECK(shift(noon, Period::of_days(1), 1, dublin) - noon == 25h);
  CHECK(shift(noon, Period(24h), 1, dublin) - noon == 24h);
  // 30 March, 01:30 is skipped: the first instant after.
  CHECK(shift(at("2025-03-29T01:30:00Z"), Period::of_days(1), 1, dublin) ==
        at("2025-03-30T01:00:00Z"));
}

TEST_CASE("shifting beyond the range of instants stops at its ends", "[period]") {
  CHECK(shift(Instant::max(), Period(1h), 1, Zone()) == Instant::max());
  CHECK(shift(Instant::min(), Period::of_months(1), -1, Zone()) == Instant::min());
}

TEST_CASE("an extent is a number of rows or a period", "[period]") {
  Extent extent;
  from_text("12", extent);
  CHECK(extent.rows == 12);
  from_text("2h", extent);
  CHECK(extent == Extent(2h));
  CHECK_THROWS_AS(from_text("0", extent), Error);
  CHECK_THROWS_AS(from_text("0h", extent), Error);
}

}  // namespace zerobeat::testing
