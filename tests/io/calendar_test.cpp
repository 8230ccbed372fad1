// Holidays that options name by their file.

#include <zerobeat/io/calendar.hpp>
#include <zerobeat/regular/resample.hpp>

#include "support/folder.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("a step's days are read from a file by themselves", "[calendar]") {
  const Folder folder;
  const std::string quay = folder.put("quay.txt", "date\n# closed\n2025-10-27, harbour day\n");
  // Friday to Wednesday at noon; Monday is a holiday, and what comes until Tuesday is Friday's.
  std::vector<Instant> times;
  Readings readings_of_days;
  for (int day = 24; day <= 29; ++day) {
    times.push_back(at("2025-10-" + std::to_string(day) + "T12:00Z"));
    readings_of_days.push_back(day);
  }
  const Timeline landed = timeline_of({times, {}, {{"kg", column_of(readings_of_days)}}});
  const Timeline days = landed | Resample{.every = std::chrono::days(1),
                                          .take = {take::count()},
                                          .days = working_days({.holidays = quay})};
  CHECK(readings(days, "count") == Readings{4, 1, 1});
  // A weekend of one's own, and none.
  const WorkingDays friday = working_days({.weekend = Weekend{std::bitset<7>(1U << 5)}});
  CHECK_FALSE(friday.calendar->is_working_day(
      std::chrono::local_days(std::chrono::year(2025) / std::chrono::October / 24)));
  CHECK(working_days({}) == WorkingDays{});
  CHECK_THAT(
      refusal(Error::Kind::input, [&] { working_days({.holidays = folder.path("no.txt")}); }),
      Catch::Contains("no.txt"));
  CHECK_THAT(refusal(Error::Kind::input,
                     [&] { working_days({.holidays = folder.put("empty.txt", "none\n")}); }),
             Catch::Contains("empty.txt"));
}

}  // namespace zerobeat::testing
