// Demands: what meets them, what does not, and by how much.

#include <zerobeat/regular/expect.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

/// What is not met; empty when all is.
std::string unmet(const Timeline& timeline, const Expect& options) {
  return refusal(Error::Kind::limit, [&] { expect(timeline, options); });
}

std::string note(const Timeline& timeline, const Expect& options) {
  const Timeline passed = expect(timeline, options);
  CHECK(passed.rows() == timeline.rows());
  REQUIRE(passed.account().last().notes.size() == 1);
  return passed.account().last().notes[0];
}

const Timeline tide = strand("00:00 1.0", "00:10 -", "00:20 3.5", "01:00 4.0");

Timeline two_probes() {
  return one_column("level", {"00:00", "00:10", "00:05"}, {1, 2, 3}, {"p1", "p1", "p2"});
}

Timeline nothing(bool keyed) {
  Timeline::Parts parts = keyed ? two_probes().parts() : tide.parts();
  parts.times = Column::times({});
  parts.strands = {};
  parts.values = Table(0);
  return Timeline(parts);
}

}  // namespace

TEST_CASE("how many rows there may be counts for each strand", "[expect]") {
  CHECK(note(tide, {.rows = CountRange{4, 4}}) == "‹rows› 4: met: 4 rows");
  CHECK(note(two_probes(), {.rows = CountRange{1, 2}}) == "‹rows› 1..2: met: 1 to 2 rows");
  CHECK_THAT(unmet(tide, {.rows = CountRange{5, {}}}), Catch::Contains("4 rows, 1 too few"));
  CHECK_THAT(unmet(two_probes(), {.rows = CountRange{{}, 1}}),
             Catch::Contains("strand p1: 2 rows, 1 too many") && !Catch::Contains("p2"));
  CHECK_THAT(unmet(nothing(false), {.rows = CountRange{1, {}}}),
             Catch::Contains("0 rows, 1 too few"));
  CHECK(note(nothing(false), {.rows = CountRange{0, 0}}) == "‹rows› 0: met: 0 rows");
  CHECK_THAT(unmet(nothing(true), {.rows = CountRange{1, {}}}), Catch::Contains("no strand"));
}

TEST_CASE("strands are counted and named", "[expect]") {
  CHECK(note(two_probes(), {.strands = CountRange{2, 2}}) == "‹strands› 2: met: 2 strands");
  CHECK_THAT(unmet(two_probes(), {.strands = CountRange{3, {}}}),
             Catch::Contains("2 strands, 1 too few"));
  CHECK_THAT(unmet(nothing(true), {.strands = CountRange{1, {}}}), Catch::Contains("0 strands"));
  CHECK(unmet(nothing(false), {.strands = CountRange{1, 1}}).empty());
  CHECK(note(two_probes(), {.keys = {"p2", "p1"}}) == "‹keys› p2,p1: met: all there");
  CHECK_THAT(unmet(two_probes(), {.keys = {"p1", "p9"}}),
             Catch::Contains("there is no strand p9") && !Catch::Contains("strand p1"));
  CHECK_THAT(usage([] { expect(tide, {.keys = {"p1"}}); }), Catch::Contains("has no key"));
}

TEST_CASE("steps are as regular and as short as demanded, and a bound is met", "[expect]") {
  const Timeline even = strand("00:00 1", "00:10 2", "00:20 3");
  CHECK(note(even, {.regular = std::chrono::minutes(10)}) == "‹regular› 10min: met: every step");
  CHECK_THAT(unmet(tide, {.regular = std::chrono::minutes(10)}),
             Catch::Contains("2025-10-20T01:00:00Z: 30 min too long after the one before"));
  CHECK_THAT(unmet(tide, {.regular = std::chrono::minutes(20)}),
             Catch::Contains("10 min too soon"));
  CHECK(note(tide, {.max_gap = std::chrono::minutes(40)}) ==
        "‹max_gap› 40min: met: the longest is 40 min");
  CHECK_THAT(unmet(tide, {.max_gap = std::chrono::minutes(39)}),
             Catch::Contains("2025-10-20T00:20:00Z: 40 min without a record until "
                             "2025-10-20T01:00:00Z, 60 s too long"));
  CHECK(note(strand("00:00 1"), {.max_gap = std::chrono::minutes(1)}) ==
        "‹max_gap› 1min: met: no step");
}

TEST_CASE("a month is a month by the zone's calendar", "[expect]") {
  Rows rows;
  for (const char* day : {"2025-01-31T00:00:00Z", "2025-02-28T00:00:00Z", "2025-03-28T00:00:00Z",
                          "2025-04-28T00:00:00Z"}) {
    rows.times.push_back(at(day));
  }
  rows.columns = {{"kg", column_of({1, 2, 3, 4})}};
  CHECK(unmet(timeline_of(rows), {.regular = Period("1month")}).empty());
  CHECK_FALSE(unmet(timeline_of(rows), {.regular = std::chrono::days(28)}).empty());
}

TEST_CASE("a time that is there twice is told", "[expect]") {
  CHECK(note(tide, {.unique = true}) == "‹unique›: met: no time is there twice");
  CHECK_THAT(unmet(strand("00:00 1", "00:10 2", "00:10 3"), {.unique = true}),
             Catch::Contains("2025-10-20T00:10:00Z: another record has this time"));
}

TEST_CASE("what gaps leave of a strand's span is its coverage", "[expect]") {
  // Steps of ten minutes, and one gap of 40, of which 30 are missing: half an hour of two.
  const Timeline gappy = strand("00:00 1", "00:10 1", "00:20 1", "00:30 1", "00:40 1", "00:50 1",
                                "01:30 1", "01:40 1", "01:50 1", "02:00 1");
  CHECK_THAT(unmet(gappy, {.coverage = 0.8}), Catch::Contains("0.75 of its span, 0.05 too little"));
  CHECK(note(gappy, {.coverage = 0.75}) == "‹coverage› 0.75: met: at least 0.75");
  CHECK_THAT(unmet(nothing(false), {.coverage = 0.5}), Catch::Contains("there is no record"));
}

TEST_CASE("when strands begin and end, and how old the last record is", "[expect]") {
  CHECK(unmet(tide, {.starts_by = Moment("2025-10-20T00:00:00Z")}).empty());
  CHECK_THAT(unmet(tide, {.starts_by = Moment("2025-10-19T23:00:00Z")}),
             Catch::Contains("the first record is at 2025-10-20T00:00:00Z, 1 h too late"));
  CHECK(unmet(tide, {.ends_after = Moment("2025-10-20T01:00:00Z")}).empty());
  CHECK_THAT(
      unmet(two_probes(), {.ends_after = Moment("2025-10-20T00:10:00Z")}),
      Catch::Contains("strand p2: the last record is at 2025-10-20T00:05:00Z, 5 min too early"));
  CHECK_THAT(unmet(tide, {.fresh = std::chrono::hours(1)}), Catch::Contains("too old"));
  CHECK(unmet(tide, {.fresh = Period("200year")}).empty());
  for (const bool keyed : {false, true}) {
    CHECK_FALSE(unmet(nothing(keyed), {.fresh = Period("200year")}).empty());
    CHECK_FALSE(unmet(nothing(keyed), {.starts_by = Moment("2030")}).empty());
    CHECK_FALSE(unmet(nothing(keyed), {.ends_after = Moment("1970")}).empty());
  }
}

TEST_CASE("readings that are missing, out of range or against a condition", "[expect]") {
  CHECK(note(tide, {.missing = 0.25}) == "‹missing› 0.25: met: at most 0.25");
  CHECK_THAT(unmet(tide, {.missing = 0.2}),
             Catch::Contains("column level: 1 of 4 readings are missing, 0.25, 0.05 too many"));
  CHECK(note(tide, {.range = {{"level", {1, 4}}}}) == "‹range› level:1,4: met: 1 to 4");
  CHECK_THAT(unmet(tide, {.range = {{"level", {1.5, 3}}}}),
             Catch::Contains("2025-10-20T00:00:00Z: 1, 0.5 too low") &&
                 Catch::Contains("2025-10-20T00:20:00Z: 3.5, 0.5 too high") &&
                 Catch::Contains("2025-10-20T01:00:00Z: 4, 1 too high"));
  CHECK_THAT(note(tide, {.where = "level > 0"}), Catch::Contains("but 1 at which it is missing"));
  CHECK_THAT(unmet(tide, {.where = "level < 4"}),
             Catch::Contains("2025-10-20T01:00:00Z: it does not hold"));
  CHECK_THAT(usage([] {
               expect(tide, {.range = {{"levle", {}}}});
             }),
             Catch::Contains("did you mean level"));
  CHECK_THAT(usage([] { expect(tide, {.where = "level + 1"}); }),
             Catch::Contains("not a condition"));
}

TEST_CASE("all that is not met is told together, the first places of each", "[expect]") {
  const Timeline many = random_timeline(300, 1);
  const std::string told =
      unmet(many, {.rows = CountRange{1000, {}}, .range = {{"level", {100, 200}}}, .unique = true});
  CHECK_THAT(told, Catch::StartsWith("expect: 3 demands are not met:"));
  CHECK_THAT(told, Catch::Contains("‹rows› 1000..: 300 rows") && Catch::Contains("‹unique›: ") &&
                       Catch::Contains("‹range› level:100,200: and "));
  CHECK(std::ranges::count(told, '\n') <= 13);
  const Timeline warned =
      expect(many, {.rows = CountRange{1000, {}}, .unique = true, .warn = true});
  CHECK_THAT(warned.account().last().notes[0],
             Catch::StartsWith("‹rows› 1000..: NOT met: 300 rows, 700 too few"));
  CHECK(warned.account().last().notes.size() == 2);
}

TEST_CASE("a demand is read as it is written, or refused", "[expect]") {
  const auto range = [](const char* text) {
    CountRange read;
    from_text(text, read);
    return to_text(read);
  };
  CHECK(range("7") == "7");
  CHECK(range("7..") == "7..");
  CHECK(range("..7") == "..7");
  CHECK(range("2..7") == "2..7");
  for (const char* bad : {"", "..", "7..2", "-1", "x", "1..2..3"}) {
    INFO(bad);
    CHECK_THROWS_AS(range(bad), Error);
  }
  std::vector<ColumnRange> read;
  from_text("level_m:0,5,\"a:b\":,2,kg:1,", read);
  REQUIRE(read.size() == 3);
  CHECK(read[1].column == "a:b");
  CHECK(read[2].bounds.low == 1);
  CHECK(std::isinf(read[2].bounds.high));
  CHECK(to_text(read) == "level_m:0,5,\"a:b\":,2,kg:1,");
  for (const char* bad : {"level_m", "level_m:0", ":0,1", "level_m:5,0", "level_m:,"}) {
    INFO(bad);
    CHECK_THROWS_AS(from_text(bad, read), Error);
  }
  CHECK_THAT(usage([] { expect(tide, {}); }), Catch::Contains("nothing is demanded"));
  CHECK_THAT(usage([] { expect(tide, {.on = {"level"}, .unique = true}); }),
             Catch::Contains("is for ‹missing›"));
}

TEST_CASE("on an elapsed axis times are numbers, and the wall's clock says nothing", "[expect]") {
  Timeline::Parts parts = strand("1970-01-01T00:00:00Z 1", "1970-01-01T00:00:10Z 2").parts();
  parts.axis.elapsed = ElapsedUnit::s;
  const Timeline run(parts);
  CHECK(unmet(run, {.starts_by = Moment(std::string("0")), .ends_after = Moment(std::string("10"))})
            .empty());
  CHECK_THAT(unmet(run, {.ends_after = Moment(std::string("12.5"))}),
             Catch::Contains("the last record is at 10, 2.5 s too early"));
  CHECK_THAT(unmet(run, {.max_gap = std::chrono::seconds(4)}),
             Catch::Contains("0: 10 s without a record until 10, 6 s too long"));
  CHECK_THAT(usage([&] { expect(run, {.fresh = std::chrono::hours(1)}); }),
             Catch::Contains("‹fresh›"));
  CHECK_THAT(usage([&] { expect(run, {.max_gap = Period("1month")}); }),
             Catch::Contains("no calendar"));
  CHECK_THAT(usage([&] { expect(run, {.starts_by = Moment(std::string("2025-10-20"))}); }),
             Catch::Contains("‹starts_by›: \"2025-10-20\" is not a number"));
}

}  // namespace zerobeat::testing
