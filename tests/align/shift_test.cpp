#include <zerobeat/align/shift.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

Shift by(const std::string& text) {
  Shift options;
  from_text(text, options.by.emplace());
  return options;
}

std::vector<std::string> times_of(const Timeline& timeline, int digits = 0) {
  std::vector<std::string> out;
  for (const Instant t : timeline.times()) out.push_back(to_text(t, digits));
  return out;
}

Timeline in_dublin(const std::vector<std::string>& times) {
  std::vector<Instant> all;
  Readings readings;
  for (const auto& text : times) {
    all.push_back(at(text));
    readings.push_back(static_cast<double>(all.size()));
  }
  return timeline_of({all, {}, {{"level", column_of(readings)}}}, Zone::find("Europe/Dublin"));
}

}  // namespace

TEST_CASE("times are moved ahead and back", "[shift]") {
  const auto level = strand("00:10 1", "00:20 2");
  CHECK(clocks(shift(level, by("90s"))) == std::vector<std::string>{"00:11", "00:21"});
  CHECK(clocks(shift(level, by("-10min"))) == std::vector<std::string>{"00:00", "00:10"});
  // Columns are shared.
  const Timeline later = shift(level, by("1h"));
  CHECK(later.values().column("level").numbers().data() ==
        level.values().column("level").numbers().data());
  CHECK(to_text(*by("-1h30min").by) == "-1h30min");
}

TEST_CASE("a period of the calendar moves what the clocks show", "[shift]") {
  const auto night = in_dublin({"2025-10-25T12:00:00Z", "2025-10-26T12:00:00Z"});
  CHECK(times_of(shift(night, by("1d"))) ==
        std::vector<std::string>{"2025-10-26T13:00:00Z", "2025-10-27T12:00:00Z"});
  CHECK(times_of(shift(in_dublin({"2025-01-31T10:00:00Z"}), by("1month"))) ==
        std::vector<std::string>{"2025-02-28T10:00:00Z"});
  // 02:30 local is skipped on 30 March 2025: read with the offset before the jump.
  CHECK(times_of(shift(in_dublin({"2025-03-29T01:30:00Z"}), by("1d"))) ==
        std::vector<std::string>{"2025-03-30T01:30:00Z"});
  // The repeated hour, a day on, is one hour: its rows are put in order again.
  const auto twice = in_dublin({"2025-10-26T00:10:00Z", "2025-10-26T00:40:00Z",
                                "2025-10-26T01:20:00Z", "2025-10-26T01:50:00Z"});
  const auto moved = shift(twice, by("1d"));
  CHECK(times_of(moved) == std::vector<std::string>{"2025-10-27T01:10:00Z", "2025-10-27T01:20:00Z",
                                                    "2025-10-27T01:40:00Z",
                                                    "2025-10-27T01:50:00Z"});
  CHECK(readings(moved, "level") == Readings{1, 3, 2, 4});
  CHECK(moved.account().last().notes.size() == 1);
}

TEST_CASE("a drift is counted from its instant", "[shift]") {
  Shift options = by("-1s");
  options.drift = -50;
  options.at = "2025-10-20T00:00:00Z";
  const auto moved = shift(strand("00:00 1", "10:00 2"), options);
  // Ten hours are 36,000 s; 50 parts in a million of them 1.8 s.
  CHECK(times_of(moved, 3) ==
        std::vector<std::string>{"2025-10-19T23:59:59.000Z", "2025-10-20T09:59:57.200Z"});
}

TEST_CASE("strands are counted from their own event, and those without one are named", "[shift]") {
  const auto probes = timeline_of({{clock("00:00"), clock("00:10"), clock("00:20"), clock("05:00"),
                                    clock("05:30"), clock("07:00")},
                                   {"a", "a", "a", "b", "b", "c"},
                                   {{"level", column_of({1, 5, 6, 1, 7, 1})}}});
  Shift options{.to_event = "level > 4", .unit = Shift::Unit::min};
  const auto since = shift(probes, options);
  CHECK(since.axis().elapsed == ElapsedUnit::min);
  CHECK(since_text(since.axis()) == "minutes since " + since.axis().since);
  REQUIRE(since.strands().size() == 2);
  std::vector<double> minutes;
  for (const Instant t : since.times()) minutes.push_back(elapsed_number(t, ElapsedUnit::min));
  CHECK(minutes == std::vector<double>{-10, 0, 10, -30, 0});
  CHECK(readings(since, "level") == Readings{1, 5, 6, 1, 7});
  CHECK(since.account().last().notes == std::vector<std::string>{"it never holds in c; left out"});
  options.to_event = "level > 99";
  CHECK(shift(probes, options).rows() == 0);
  CHECK(shift(strand("00:00 1"), options).strands().size() == 1);
}

TEST_CASE("what can't be shifted is named", "[shift]") {
  const auto level = strand("00:00 1");
  CHECK_THROWS_WITH(shift(level, {}), Catch::Contains("shift takes ‹by›"));
  CHECK_THROWS_WITH(shift(level, {.drift = 5}), Catch::Contains("go together"));
  CHECK_THROWS_WITH(shift(level, {.drift = -2e6, .at = "2025"}), Catch::Contains("stands still"));
  Shift both = by("1h");
  both.to_event = "level > 0";
  CHECK_THROWS_WITH(shift(level, both), Catch::Contains("stands alone"));
  CHECK_THROWS_WITH(shift(level, {.to_event = "level"}), Catch::Contains("‹to_event›: this is"));
  CHECK_THROWS_WITH(shift(level, by("400year")), Catch::Contains("would leave the years"));
  CHECK_THROWS_WITH(by("-1hr"), Catch::Contains("not a unit"));
}

}  // namespace zerobeat::testing
