#include <catch2/catch.hpp>
#include <random>
#include <zerobeat/table/axis.hpp>

namespace zerobeat {

namespace {

std::string back(std::string_view text, ElapsedUnit unit) {
  const auto t = read_elapsed(text, unit);
  if (!t) return "none";
  std::string out;
  append_elapsed(out, *t, unit);
  return out;
}

}  // namespace

TEST_CASE("elapsed times read back as they were written", "[elapsed]") {
  using Unit = ElapsedUnit;
  CHECK(nanoseconds_of(*read_elapsed("1.5", Unit::s)) == 1'500'000'000);
  CHECK(nanoseconds_of(*read_elapsed("-0.25", Unit::h)) == -900'000'000'000);
  CHECK(nanoseconds_of(*read_elapsed("2e3", Unit::ms)) == 2'000'000'000);
  CHECK(nanoseconds_of(*read_elapsed("1e-9", Unit::s)) == 1);
  CHECK(nanoseconds_of(*read_elapsed("4e-10", Unit::s)) == 0);
  for (const char* text : {"0", "1.5", "-0.25", "0.001", "17", "12345.678", "-3"}) {
    for (const Unit unit : {Unit::ms, Unit::s, Unit::min, Unit::h, Unit::d}) {
      CHECK(back(text, unit) == text);
    }
  }
  CHECK(back("0.1", Unit::d) == "0.1");
  CHECK(back("1.50", Unit::s) == "1.5");
  CHECK(back("7", Unit::count) == "7");
  for (const char* bad : {"", "x", "1.2.3", "1e", "0x10", "1e9999", "9223372037"}) {
    CHECK(back(bad, Unit::s) == "none");
  }
  CHECK(back("1.5", Unit::count) == "none");
}

TEST_CASE("any nanosecond is written so that it reads back, and no digit could be spared",
          "[elapsed]") {
  std::mt19937_64 random(4);
  for (const ElapsedUnit unit :
       {ElapsedUnit::ms, ElapsedUnit::s, ElapsedUnit::min, ElapsedUnit::h, ElapsedUnit::d}) {
    for (int i = 0; i < 2000; ++i) {
      const auto bits = random() >> (random() % 60);
      const Instant t = instant_of(static_cast<std::int64_t>(bits / 2) * (i % 2 == 0 ? 1 : -1));
      std::string text;
      append_elapsed(text, t, unit);
      INFO(text << " " << to_text(unit));
      REQUIRE(read_elapsed(text, unit) == t);
      if (text.find('.') == std::string::npos) continue;
      // One digit fewer, rounded either way, is another time.
      const std::string shorter = text.substr(0, text.size() - 1);
      CHECK(read_elapsed(shorter, unit) != t);
    }
  }
}

TEST_CASE("calendar periods are not for elapsed times, and none is for a count", "[axis]") {
  const Axis seconds{ElapsedUnit::s}, count{ElapsedUnit::count};
  CHECK_NOTHROW(check_on_axis(seconds, Period(std::chrono::hours(24)), "‹every›"));
  CHECK_THROWS_WITH(check_on_axis(seconds, Period::of_days(1), "‹every›"),
                    Catch::Contains("‹every› 1d") && Catch::Contains("elapsed-s"));
  CHECK_THROWS_AS(check_on_axis(count, Period(std::chrono::hours(1)), "‹window›"), Error);
  CHECK_NOTHROW(check_on_axis(count, Extent(3), "‹window›"));
  CHECK_NOTHROW(check_on_axis(Axis{}, Period::of_months(1), "‹every›"));
}

}  // namespace zerobeat
