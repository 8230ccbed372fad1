// Instants written one after the other, against each written by itself.

#include "time/instant_text.hpp"

#include <zerobeat/time/zone.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using detail::InstantText;

/// Checks that instants come out as if each were the first.
void check_texts(const std::vector<Instant>& instants, int digits, const Zone* zone) {
  InstantText text(digits, zone);
  for (const Instant t : instants) {
    char room[longest_instant];
    const char* const end = text.write(room, t);
    CHECK(std::string(static_cast<const char*>(room), end) == to_text(t, digits, zone));
  }
}

/// Instants around one, near and far.
std::vector<Instant> around(Instant middle, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::vector<Instant> instants;
  for (const std::int64_t spread : {10LL, 90LL, 4000LL, 100'000LL}) {
    for (int i = 0; i < 200; ++i) {
      const auto within = static_cast<std::uint64_t>(2 * spread) * 1'000'000'000;
      instants.push_back(middle + Nanoseconds(static_cast<std::int64_t>(random() % within) -
                                              spread * 1'000'000'000));
    }
  }
  for (int i = 0; i < 300; ++i) instants.push_back(middle + std::chrono::milliseconds(317 * i));
  return instants;
}

}  // namespace

TEST_CASE("instants of one minute and of others have the texts that each has alone", "[time]") {
  for (const int digits : {0, 3, 6, 9}) {
    check_texts(around(clock("12:00"), 1), digits, nullptr);
    check_texts(around(Instant{}, 2), digits, nullptr);
    check_texts(around(instant_of(-3'000'000'000'123'456'789), 3), digits, nullptr);
  }
}

TEST_CASE("texts of local times go with the zone's offset, whole minutes or not", "[time]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  // The clocks go back on 26 October 2025 at 01:00 UTC.
  const Instant change = clock("01:00") + std::chrono::days(6);
  check_texts(around(change, 4), 3, &dublin);
  // Local mean time, 25 minutes and 21 seconds behind, until 1916.
  check_texts(around(instant_of(-2'500'000'000'000'000'000), 5), 0, &dublin);
  check_texts(around(instant_of(-1'691'962'479'000'000'000), 6), 0, &dublin);
  const Zone lord_howe = Zone::find("Australia/Lord_Howe");
  check_texts(around(change, 7), 9, &lord_howe);
}

TEST_CASE("the first and the last instant are written, among others", "[time]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  const std::vector<Instant> instants{
      Instant::min(), Instant::min() + std::chrono::seconds(30), Instant{},
      Instant::max(), Instant::max() - std::chrono::seconds(1),  Instant::min()};
  check_texts(instants, 9, nullptr);
  check_texts(instants, 9, &dublin);
}

}  // namespace zerobeat::testing
