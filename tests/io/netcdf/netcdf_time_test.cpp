// What the times of a grid count, read by our own readers: nothing is taken for near it.

#include "io/netcdf/netcdf_time.hpp"

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// The instant of a count, as text; "none" when the unit can't be read.
std::string instant(const std::string& units, std::int64_t count = 0, bool mixed = true) {
  const auto unit = detail::time_unit_of(units, mixed);
  if (!unit) return "none";
  const auto ns = unit->instant_of(count);
  return ns ? to_text(instant_of(*ns)) : "beyond";
}

}  // namespace

TEST_CASE("units and their short words are read, in any case", "[netcdf]") {
  CHECK(instant("seconds since 1970-01-01", 90) == "1970-01-01T00:01:30Z");
  CHECK(instant("Minutes since 1970-01-01", 90) == "1970-01-01T01:30:00Z");
  CHECK(instant("hr since 1970-01-01", 25) == "1970-01-02T01:00:00Z");
  CHECK(instant("d since 1970-01-01", 31) == "1970-02-01T00:00:00Z");
  CHECK(instant("msec since 1970-01-01", 1) == "1970-01-01T00:00:00.001Z");
  for (const char* none : {"months since 1970-01-01", "seconds", "since 1970-01-01", "",
                           "fortnights since 1970-01-01", "seconds after 1970-01-01"}) {
    INFO(none);
    CHECK(instant(none) == "none");
  }
}

TEST_CASE("an origin is a date, a clock or none, and an offset or none", "[netcdf]") {
  const std::string s = "seconds since ";
  CHECK(instant(s + "2025-10-20 06:30:15") == "2025-10-20T06:30:15Z");
  CHECK(instant(s + "2025-10-20T06:30:15Z") == "2025-10-20T06:30:15Z");
  CHECK(instant(s + "2025-1-2 6:5") == "2025-01-02T06:05:00Z");
  CHECK(instant(s + "2025-10-20 06:30:15.25") == "2025-10-20T06:30:15.250Z");
  CHECK(instant(s + "2025-10-20 06:30:15.") == "2025-10-20T06:30:15Z");
  CHECK(instant(s + "2025-10-20 06") == "2025-10-20T06:00:00Z");
  CHECK(instant(s + "2025-10-20 24:00") == "2025-10-21T00:00:00Z");
  CHECK(instant(s + "2025-10-20 UTC") == "2025-10-20T00:00:00Z");
  CHECK(instant(s + "2025-10-20 06:00 GMT") == "2025-10-20T06:00:00Z");
}

TEST_CASE("minutes of an offset count, with a colon and without", "[netcdf]") {
  const std::string s = "seconds since 2025-10-20 06:00:00 ";
  CHECK(instant(s + "+05:30") == "2025-10-20T00:30:00Z");
  CHECK(instant(s + "+0530") == "2025-10-20T00:30:00Z");
  CHECK(instant(s + "+5:30") == "2025-10-20T00:30:00Z");
  CHECK(instant(s + "+5") == "2025-10-20T01:00:00Z");
  CHECK(instant(s + "-05:30") == "2025-10-20T11:30:00Z");
  CHECK(instant(s + "-00:30") == "2025-10-20T06:30:00Z");
  CHECK(instant(s + "-0:30") == "2025-10-20T06:30:00Z");
  for (const char* none : {"+", "+053", "+05300", "+5:60", "+24:00", "+05:30x", "east", "+5.5"}) {
    INFO(none);
    CHECK(instant(s + none) == "none");
  }
}

TEST_CASE("what is no date or no clock is not read", "[netcdf]") {
  const std::string s = "days since ";
  for (const char* none :
       {"2025-13-01", "2025-00-01", "2025-02-30", "2025-04-31", "2025-1-32", "2025-10", "20251020",
        "2025-10-20 25:00", "2025-10-20 06:60", "2025-10-20 06:30:60", "2025-10-20 24:01",
        "2025-10-20 6:5:4.x", "12025-10-20", "2025-10-200", "x", ""}) {
    INFO(none);
    CHECK(instant(s + none) == "none");
  }
}

TEST_CASE("the standard calendar is the Julian one up to October 1582", "[netcdf]") {
  // 141427 days from 1582-10-15 to 1970-01-01.
  CHECK(instant("days since 1582-10-15", 141'427) == "1970-01-01T00:00:00Z");
  CHECK(instant("days since 1582-10-04", 141'428) == "1970-01-01T00:00:00Z");
  CHECK(instant("days since 1582-10-04", 141'438, false) == "1970-01-01T00:00:00Z");
  CHECK(instant("days since 1-1-1", 719'164) == "1970-01-01T00:00:00Z");
  CHECK(instant("days since 1-1-1", 719'162, false) == "1970-01-01T00:00:00Z");
  // A leap day of the Julian calendar alone.
  CHECK(instant("days since 1500-02-29", 171'741) != "none");
  CHECK(instant("days since 1500-02-29", 0, false) == "none");
  CHECK(instant("days since 1900-02-29") == "none");
  CHECK(instant("days since 2000-02-29") == "2000-02-29T00:00:00Z");
}

TEST_CASE("counts beyond what an instant can be are none", "[netcdf]") {
  CHECK(instant("days since 1970-01-01", 106'751) == "2262-04-11T00:00:00Z");
  CHECK(instant("days since 1970-01-01", 106'753) == "beyond");
  CHECK(instant("days since 1970-01-01", -106'753) == "beyond");
  CHECK(instant("hours since 0001-01-01", INT64_MAX) == "beyond");
  const auto unit = detail::time_unit_of("days since 1970-01-01", true);
  REQUIRE(unit);
  CHECK(unit->instant_of(0.5) == 43'200'000'000'000);
  CHECK(unit->instant_of(1.0 / 3) == 28'800'000'000'000);  // to the microsecond
  CHECK(!unit->instant_of(1e30));
  CHECK(!unit->instant_of(std::nan("")));
  CHECK(!unit->instant_of(-std::numeric_limits<double>::infinity()));
}

}  // namespace zerobeat::testing
