#include <zerobeat/judge/rhythm.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono;
using namespace std::chrono_literals;

/// The first instants of some local days, at a clock time.
std::vector<Instant> on_days(const std::vector<local_days>& days, const Zone& zone,
                             Nanoseconds clock = 0h) {
  std::vector<Instant> out;
  for (const local_days day : days) out.push_back(zone.first_instant(day + clock));
  return out;
}

std::vector<Instant> every(Instant start, Nanoseconds step, int n) {
  std::vector<Instant> out;
  for (int i = 0; i < n; ++i) out.push_back(start + i * step);
  return out;
}

void leave_out(std::vector<Instant>& times, const std::vector<std::size_t>& places) {
  for (auto at = places.rbegin(); at != places.rend(); ++at) {
    times.erase(times.begin() + static_cast<std::ptrdiff_t>(*at));
  }
}

std::string told(const std::vector<Instant>& times, const Zone& zone = {},
                 const Calendar& calendar = {}) {
  return to_text(rhythm_of(times, zone, 3, calendar));
}

const Instant start = at("2025-01-06T00:00:00Z");  // a Monday

}  // namespace

TEST_CASE("a strand that is monthly is, whatever its months' lengths", "[rhythm]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  std::vector<local_days> firsts, ends, fifteenths, quarters, years;
  for (int m = 0; m < 120; ++m) {
    const year_month month = year(2015) / January + months(m);
    firsts.push_back(local_days(month / 1));
    ends.push_back(local_days(month / std::chrono::last));
    fifteenths.push_back(local_days(month / 15));
    if (m % 3 == 0) quarters.push_back(local_days(month / 1));
    if (m % 12 == 5) years.push_back(local_days(month / 30));
  }
  for (const Zone& zone : {Zone(), dublin}) {
    auto times = on_days(firsts, zone);
    CHECK(told(times, zone) == "monthly");
    leave_out(times, {40, 70, 71});
    CHECK(told(times, zone) == "monthly, 3 of 120 months missing");
    CHECK(told(on_days(ends, zone, 9h), zone) == "monthly");
    CHECK(told(on_days(fifteenths, zone, 9h), zone) == "monthly");
    CHECK(told(on_days(quarters, zone), zone) == "every quarter");
    CHECK(to_text(rhythm_of(on_days(quarters, zone), zone).period) == "1quarter");
    CHECK(told(on_days(years, zone), zone) == "yearly");
  }
  // By the clocks of another place it is no month.
  CHECK(told(on_days(firsts, dublin), Zone()) == "irregular");
}

TEST_CASE("days follow the clocks, and weekdays without records do not count", "[rhythm]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  std::vector<local_days> all, working;
  for (int d = 0; d < 400; ++d) {
    const local_days day = local_days(2025y / January / 6) + days(d);
    all.push_back(day);
    if (weekday(day) != Saturday && weekday(day) != Sunday) working.push_back(day);
  }
  CHECK(told(on_days(all, dublin, 7h), dublin) == "daily");
  auto times = on_days(working, dublin, 7h);
  CHECK(told(times, dublin) == "daily on mon-fri");
  leave_out(times, {10, 20});
  CHECK(told(times, dublin) == "daily on mon-fri, 2 of 286 days missing");
  const Calendar calendar(Weekend{}, {working[10], working[20]});
  CHECK(told(times, dublin, calendar) == "daily on working days");
  std::vector<local_days> mondays;
  for (std::size_t d = 0; d < all.size(); d += 7) mondays.push_back(all[d]);
  CHECK(told(on_days(mondays, dublin), dublin) == "weekly");
}

TEST_CASE("fixed periods are found through missing records, not through jitter", "[rhythm]") {
  auto times = every(start, 15min, 1000);
  CHECK(told(times) == "every 15 min");
  leave_out(times, {10, 11, 500, 700});
  const Rhythm found = rhythm_of(times, Zone());
  CHECK(found.period == Period(15min));
  CHECK(found.places == 1000);
  CHECK(found.absent == 4);
  CHECK(to_text(found) == "every 15 min, 4 of 1,000 missing");
  std::mt19937 random(3);
  for (Instant& t : times) t += milliseconds(random() % 100'000);
  CHECK(told(times) == "irregular");
  CHECK(told({}) == "irregular");
  CHECK(told(every(start, 1h, 3)) == "irregular");
  // Whole seconds do not make trades regular.
  std::vector<Instant> trades;
  Instant t = start;
  for (int i = 0; i < 2000; ++i) trades.push_back(t += seconds(1 + random() % 20));
  CHECK(told(trades) == "irregular");
}

TEST_CASE("sessions are told from gaps", "[rhythm]") {
  const Zone dublin = Zone::find("Europe/Dublin");
  std::vector<Instant> times;
  for (int d = 0; d < 21; ++d) {
    const local_days day = local_days(2025y / October / 20) + days(d);
    if (weekday(day) == Saturday || weekday(day) == Sunday) continue;
    // From 22:00 until 06:00 of the next day, across a change of the clocks too.
    const Instant opens = dublin.first_instant(day + 22h);
    const Instant closes = dublin.first_instant(day + days(1) + 6h);
    for (Instant t = opens; t < closes; t += 1min) times.push_back(t);
  }
  const Rhythm found = rhythm_of(times, dublin);
  REQUIRE(found.sessions);
  CHECK(to_text(*found.sessions) == "22:00-06:00");
  CHECK(found.sessions->pauses == 14);
  CHECK(found.absent == 0);
  CHECK(to_text(found) == "every 1 min in sessions 22:00-06:00");
  // A gap within a session is one, and so is a session that is not there.
  std::vector<Instant> fewer;
  const Instant from = at("2025-10-29T23:00:00Z"), until = at("2025-10-30T00:00:00Z");
  const Instant lost = at("2025-11-05T12:00:00Z");
  for (const Instant t : times) {
    if ((t >= from && t < until) || (t >= lost && t < lost + 24h)) continue;
    fewer.push_back(t);
  }
  const Rhythm rest = rhythm_of(fewer, dublin);
  REQUIRE(rest.sessions);
  CHECK(to_text(*rest.sessions) == "22:00-06:00");
  CHECK(rest.sessions->pauses == 12);
  CHECK(rest.absent > 60);
  // What goes on day and night has none, whatever its gaps.
  std::vector<Instant> on_and_on;
  for (const Instant t : every(start, 10min, 4000)) {
    const auto hours = duration_cast<std::chrono::hours>(t - start).count();
    if (hours % 100 > 3) on_and_on.push_back(t);
  }
  CHECK(!rhythm_of(on_and_on, Zone()).sessions);
}

}  // namespace zerobeat::testing
