// Grids: what their times count, by the CF conventions, and headers that are damaged.

#include <random>

#include "io/netcdf/netcdf_header.hpp"
#include "io/netcdf/netcdf_time.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// The instant of a count of a unit, in a calendar; empty when there is none.
template <typename Count>
std::string instant_text(const char* units, Count count, bool mixed = true) {
  const auto unit = detail::time_unit_of(units, mixed);
  if (!unit) return "no unit";
  const auto ns = unit->instant_of(count);
  return ns ? to_text(instant_of(*ns)) : "out of range";
}

constexpr std::int64_t none = 0;

std::string big_endian(std::uint32_t number) {
  std::string out;
  for (int shift = 24; shift >= 0; shift -= 8) out += static_cast<char>(number >> shift & 0xff);
  return out;
}

/// A classic file: a double along an unlimited time, so many records.
std::string classic_file(std::uint32_t records) {
  const std::string absent = big_endian(0) + big_endian(0);
  const auto name = [](const char* text) { return big_endian(1) + text + std::string(3, '\0'); };
  std::string header = "CDF\1" + big_endian(records) + big_endian(10) + big_endian(1) + name("t") +
                       big_endian(0) + absent + big_endian(11) + big_endian(1) + name("x") +
                       big_endian(1) + big_endian(0) + absent + big_endian(6) + big_endian(8);
  header += big_endian(static_cast<std::uint32_t>(header.size()) + 4);
  return header + std::string(8 * records, '\7');
}

}  // namespace

TEST_CASE("units of time are a length since a date, with a clock and an offset or none",
          "[netcdf]") {
  CHECK(instant_text("hours since 1970-01-01", std::int64_t{36}) == "1970-01-02T12:00:00Z");
  CHECK(instant_text("Days since 2025-10-01 06:30", std::int64_t{1}) == "2025-10-02T06:30:00Z");
  CHECK(instant_text("seconds since 2025-10-01T00:00:00.5Z", none) == "2025-10-01T00:00:00.500Z");
  CHECK(instant_text("minutes since 2025-10-01 00:00:0.0 +01:00", none) == "2025-09-30T23:00:00Z");
  CHECK(instant_text("ms since 2025-10-01 00:00 -3", none) == "2025-10-01T03:00:00Z");
  CHECK(instant_text("hours since 1900-1-1", std::int64_t{-1}) == "1899-12-31T23:00:00Z");
  for (const char* other : {"hours", "months since 1970-01-01", "hours since yesterday",
                            "hours since 1970-13-01", "hours since 1970-01-01 east"}) {
    INFO(other);
    CHECK(instant_text(other, none) == "no unit");
  }
}

TEST_CASE("the standard calendar is the Julian one before the Gregorian reform", "[netcdf]") {
  // Two days lie between the calendars in the year 1, and none after 1582-10-15.
  constexpr std::int64_t days = 739'000;
  CHECK(instant_text("days since 1-1-1", days, false) == "2024-04-25T00:00:00Z");
  CHECK(instant_text("days since 1-1-1", days, true) == "2024-04-23T00:00:00Z");
  CHECK(instant_text("days since 1582-10-15", std::int64_t{150'000}, true) ==
        instant_text("days since 1582-10-15", std::int64_t{150'000}, false));
  CHECK(instant_text("days since 1582-10-04", std::int64_t{150'000}, true) ==
        instant_text("days since 1582-10-14", std::int64_t{150'000}, false));
}

TEST_CASE("fractions of a unit are instants to the microsecond, and none is past the range",
          "[netcdf]") {
  CHECK(instant_text("days since 2025-10-01", 0.1) == "2025-10-01T02:24:00Z");
  CHECK(instant_text("days since 2025-10-01", -0.25) == "2025-09-30T18:00:00Z");
  CHECK(instant_text("hours since 1900-01-01", 1'102'488.2) == "2025-10-09T00:12:00Z");
  CHECK(instant_text("days since 1970-01-01", 1e9) == "out of range");
  CHECK(instant_text("days since 1970-01-01", 1e300) == "out of range");
  CHECK(instant_text("days since 1970-01-01", std::int64_t{200'000}) == "out of range");
  CHECK(instant_text("days since 1-1-1", none) == "out of range");
  std::mt19937 random(3);
  for (int i = 0; i < 2'000; ++i) {
    const auto count = static_cast<std::int64_t>(random() % 1'000'000) - 300'000;
    REQUIRE(instant_text("hours since 1960-02-29 12:00", count) ==
            instant_text("hours since 1960-02-29 12:00", static_cast<double>(count)));
  }
}

TEST_CASE("a classic file's header tells its size, or where it is damaged", "[netcdf]") {
  const std::string file = classic_file(5);
  const auto whole = detail::look_at_classic_netcdf(file);
  CHECK(whole.is_classic);
  CHECK(!whole.damaged_at);
  REQUIRE(whole.size);
  // The last record need not have its padding.
  CHECK(*whole.size <= file.size());
  CHECK(*whole.size + 3 >= file.size());
  for (std::size_t n = 4; n < file.size() - 3; ++n) {
    const auto cut = detail::look_at_classic_netcdf(std::string_view(file).substr(0, n));
    REQUIRE(cut.is_classic);
    REQUIRE((cut.damaged_at || *cut.size > n));
  }
  CHECK(!detail::look_at_classic_netcdf("CDF\3 and what follows").is_classic);
  CHECK(!detail::look_at_classic_netcdf("").is_classic);
  // Counts that are too large are no sizes to ask memory for.
  const std::size_t header = file.size() - 40;
  std::mt19937 random(9);
  for (int i = 0; i < 20'000; ++i) {
    std::string other = file;
    for (auto k = 1 + random() % 3; k > 0; --k) {
      other[4 + random() % (header - 4)] = static_cast<char>(random() % 256);
    }
    const auto found = detail::look_at_classic_netcdf(other);
    REQUIRE((!found.damaged_at || *found.damaged_at <= other.size()));
  }
}

}  // namespace zerobeat::testing
