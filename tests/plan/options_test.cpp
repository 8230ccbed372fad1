// Options that no command line would let through are refused when a step is applied, whichever.

#include <zerobeat/align/align.hpp>
#include <zerobeat/align/clock/tune.hpp>
#include <zerobeat/align/join.hpp>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/clean/compute.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/spells.hpp>
#include <zerobeat/plan/step.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

std::string refused(const Step& step, std::size_t inputs = 1) {
  const Timeline level = strand("00:00 1", "00:10 2", "00:20 3");
  const std::vector<Timeline> in{level.named("a"), level.named("b")};
  return refusal(Error::Kind::usage, [&] {
    static_cast<void>(step.apply(std::span<const Timeline>(in.data(), inputs)));
  });
}

}  // namespace

TEST_CASE("lengths of time are not negative, in any step", "[options]") {
  CHECK(refused(Roll{.window = -1h}) == "‹window› -1h: a length of time is not negative");
  CHECK(refused(Roll{.window = {2h, -3}}) == "‹window› -3: a number of rows is not negative");
  CHECK(refused(Roll{.take = {take::cumsum("level")}, .restart = std::chrono::days(-1)}) ==
        "‹restart› -1d: a length of time is not negative");
  CHECK(refused(Lag{.by = -1s}) == "‹by› -1s: a length of time is not negative");
  CHECK(refused(Lag{.by = -2}) == "‹by› -2: a number of rows is not negative");
  CHECK(refused(Fill{.max_gap = -10min}) == "‹max_gap› -10min: a length of time is not negative");
  CHECK(refused(Resample{.every = -15min}) == "‹every› -15min: a length of time is not negative");
  CHECK(refused(Join{.tolerance = Period(-1min)}, 2) ==
        "‹tolerance› -1min: a length of time is not negative");
  CHECK(refused(Align{.onto = Period(-1h)}, 2) == "‹onto› -1h: a length of time is not negative");
  CHECK(refused(Spells{.where = "level > 0", .bridge = Period(-1min)}) ==
        "‹bridge› -1min: a length of time is not negative");
  CHECK(refused(Clip{.by = Fences{3}, .window = -1h}) ==
        "‹window› -1h: a length of time is not negative");
  Period mixed = Period::of_months(1);
  mixed.days = -3;
  CHECK(refused(Fill{.max_gap = mixed}) ==
        "‹max_gap› 1 months, -3 days and 0 ns: a length of time is not negative");
}

TEST_CASE("numbers are numbers, and enumerators are of their type", "[options]") {
  CHECK_THAT(refused(Resample{.every = 1h, .min_coverage = std::nan("")}),
             Catch::Contains("‹min_coverage›"));
  CHECK(refused(Fill{.how = static_cast<Fill::How>(99)}) ==
        "‹how›: the enumerator 99 is none of its type");
}

TEST_CASE("an assignment has a name and an expression", "[options]") {
  CHECK_THAT(refused(Compute{.set = {Assignment{}}}), Catch::Contains("the column has no name"));
  CHECK_THAT(refused(Compute{.set = {{"x", {}}}}), Catch::Contains("x: there is no expression"));
  const Timeline level = strand("00:00 1");
  CHECK(refusal(Error::Kind::usage, [&] { static_cast<void>(evaluate({}, level)); }) ==
        "there is no expression");
  CHECK(Expression().columns().empty());
}

TEST_CASE("days, months and years of std::chrono go by the calendar", "[period]") {
  CHECK(Period(std::chrono::days(2)) == Period::of_days(2));
  CHECK(Period(std::chrono::weeks(2)) == Period::of_days(14));
  CHECK(to_text(Period(std::chrono::weeks(2))) == "2wk");
  CHECK(Period(std::chrono::months(3)) == Period::of_months(3));
  CHECK(Period(std::chrono::years(300)) == Period::of_months(3'600));
  CHECK(Period(std::chrono::hours(24)).is_fixed());
  CHECK(Period(std::chrono::duration<double>(1.5)).nanoseconds == 1'500ms);
  CHECK_THAT(refusal(Error::Kind::usage, [] { Period(std::chrono::hours(10'000'000)); }),
             Catch::Contains("at most 292 years"));
  // Three hundred years of rows are no crash.
  const Timeline rolled = strand("00:00 1", "00:10 2") | Roll{.window = std::chrono::years(300)};
  CHECK(readings(rolled, "level_mean") == Readings{1, 1.5});
}

}  // namespace zerobeat::testing
