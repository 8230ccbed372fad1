// What the times of a grid count, by the CF conventions.

#include <random>

#include "io/netcdf_time.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// The instant of a count of a unit, in a calendar; empty when there is none.
template <typename Count>
std::string instant(const char* units, Count count, bool mixed = true) {
  const auto unit = detail::time_unit_of(units, mixed);
  if (!unit) return "no unit";
  const auto ns = unit->instant_of(count);
  return ns ? to_text(instant_of(*ns)) : "out of range";
}

constexpr std::int64_t none = 0;

}  // namespace

TEST_CASE("units of time are a length since a date, with a clock and an offset or none",
          "[netcdf]") {
  CHECK(instant("hours since 1970-01-01", std::int64_t{36}) == "1970-01-02T12:00:00Z");
  CHECK(instant("Days since 2025-10-01 06:30", std::int64_t{1}) == "2025-10-02T06:30:00Z");
  CHECK(instant("seconds since 2025-10-01T00:00:00.5Z", none) == "2025-10-01T00:00:00.500Z");
  CHECK(instant("minutes since 2025-10-01 00:00:0.0 +01:00", none) == "2025-09-30T23:00:00Z");
  CHECK(instant("ms since 2025-10-01 00:00 -3", none) == "2025-10-01T03:00:00Z");
  CHECK(instant("hours since 1900-1-1", std::int64_t{-1}) == "1899-12-31T23:00:00Z");
  for (const char* other : {"hours", "months since 1970-01-01", "hours since yesterday",
                            "hours since 1970-13-01", "hours since 1970-01-01 east"}) {
    INFO(other);
    CHECK(instant(other, none) == "no unit");
  }
}

TEST_CASE("the standard calendar is the Julian one before the Gregorian reform", "[netcdf]") {
  // Two days lie between the calendars in the year 1, and none after 1582-10-15.
  constexpr std::int64_t days = 739'000;
  CHECK(instant("days since 1-1-1", days, false) == "2024-04-25T00:00:00Z");
  CHECK(instant("days since 1-1-1", days, true) == "2024-04-23T00:00:00Z");
  CHECK(instant("days since 1582-10-15", std::int64_t{150'000}, true) ==
        instant("days since 1582-10-15", std::int64_t{150'000}, false));
  CHECK(instant("days since 1582-10-04", std::int64_t{150'000}, true) ==
        instant("days since 1582-10-14", std::int64_t{150'000}, false));
}

TEST_CASE("fractions of a unit are instants to the microsecond, and none is past the range",
          "[netcdf]") {
  CHECK(instant("days since 2025-10-01", 0.1) == "2025-10-01T02:24:00Z");
  CHECK(instant("days since 2025-10-01", -0.25) == "2025-09-30T18:00:00Z");
  CHECK(instant("hours since 1900-01-01", 1'102'488.2) == "2025-10-09T00:12:00Z");
  CHECK(instant("days since 1970-01-01", 1e9) == "out of range");
  CHECK(instant("days since 1970-01-01", 1e300) == "out of range");
  CHECK(instant("days since 1970-01-01", std::int64_t{200'000}) == "out of range");
  CHECK(instant("days since 1-1-1", none) == "out of range");
  std::mt19937 random(3);
  for (int i = 0; i < 2'000; ++i) {
    const auto count = static_cast<std::int64_t>(random() % 1'000'000) - 300'000;
    REQUIRE(instant("hours since 1960-02-29 12:00", count) ==
            instant("hours since 1960-02-29 12:00", static_cast<double>(count)));
  }
}

}  // namespace zerobeat::testing
