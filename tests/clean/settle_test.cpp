#include <zerobeat/judge/judge.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using namespace std::chrono_literals;

/// Records as a reader would return them: one a line, from line 2 on, ten bytes each.
Records records_of(const std::vector<std::string>& clocks, const Readings& level,
                   const std::vector<std::string>& keys = {}) {
  Records records;
  records.name = "tide";
  records.time.name = "time";
  Buffer<Instant> times;
  for (const auto& text : clocks) times.push_back(clock(text));
  records.times = Column::times(std::move(times));
  if (!keys.empty()) {
    records.key_name = "probe";
    records.keys = texts_of(keys);
  }
  records.values = Table(clocks.size());
  records.values.add("level", column_of(level));
  Places places;
  std::vector<std::uint32_t> offsets;
  for (std::uint32_t i = 0; i < clocks.size(); ++i) offsets.push_back(10 * i);
  places.add(100, offsets, std::vector<Places::Run>{{0, 2}});
  records.places = std::make_shared<const Places>(std::move(places));
  SourceAccount account;
  account.source = "tide.csv";
  account.records = account.kept = static_cast<std::int64_t>(clocks.size());
  account.columns = {"time", "level"};
  account.parts.emplace_back().record_length = [](std::uint64_t) { return 9; };
  records.source = std::make_shared<const SourceAccount>(account);
  records.time.fault_column = 0;
  return records;
}

}  // namespace

TEST_CASE("records come strand by strand in order of first appearance, each in order of time",
          "[settle]") {
  const auto timeline = settle(records_of({"00:20", "00:10", "00:00", "00:10", "00:05"},
                                          {1, 2, 3, 4, 5}, {"b", "a", "b", "a", "a"}));
  REQUIRE(timeline.strands().size() == 2);
  CHECK(timeline.strands()[0].key == "b");
  CHECK(clocks(timeline) == std::vector<std::string>{"00:00", "00:20", "00:05", "00:10", "00:10"});
  CHECK(readings(timeline, "level") == Readings{3, 1, 5, 2, 4});
}

TEST_CASE("records in order are shared, not copied", "[settle]") {
  const auto records = records_of({"00:00", "00:10"}, {1, 2});
  const Timeline settled = settle(records);
  CHECK(settled.times().data() == records.times.times().data());
}

TEST_CASE("records of one time are kept, chosen, averaged or rejected", "[settle]") {
  const auto records =
      records_of({"00:00", "00:10", "00:10", "00:10", "00:20"}, {1, missing, 3, 6, 7});
  const auto settled = [&](Duplicates how) { return settle(records, {.duplicates = how}); };
  CHECK(readings(settled(Duplicates::keep), "level") == Readings{1, missing, 3, 6, 7});
  CHECK(readings(settled(Duplicates::first), "level") == Readings{1, missing, 7});
  CHECK(readings(settled(Duplicates::last), "level") == Readings{1, 6, 7});
  CHECK(readings(settled(Duplicates::mean), "level") == Readings{1, 4.5, 7});
  CHECK(readings(settled(Duplicates::reject), "level") == Readings{1, missing, 7});
  for (const Duplicates how : {Duplicates::first, Duplicates::last, Duplicates::mean}) {
    const auto account = settled(how).account();
    CHECK((account.merged() == 2 && account.kept() == 3 && account.rejected() == 0));
  }
  const auto account = settled(Duplicates::reject).account();
  CHECK((account.merged() == 0 && account.kept() == 3 && account.rejected() == 2));
  REQUIRE(account.sources[0]->faults.size() == 2);
  CHECK(account.sources[0]->faults[0] == Fault{4, 120, 9, 0, Reason::duplicate_time});
}

TEST_CASE("times alike in different strands are no duplicates", "[settle]") {
  const auto records = records_of({"00:00", "00:00"}, {1, 2}, {"a", "b"});
  CHECK(settle(records, {.duplicates = Duplicates::first}).rows() == 2);
}

TEST_CASE("judging counts what arrived late, twice, or not at all", "[judge]") {
  const auto judged =
      judge(records_of({"00:00", "00:10", "00:30", "00:20", "00:20", "00:40", "02:00", "02:10"},
                       {1, 2, 3, missing, 5, 6, 7, 8}));
  REQUIRE(judged.strands.size() == 1);
  const auto& strand = judged.strands[0];
  CHECK(strand.records == 8);
  CHECK(strand.out_of_order == 2);
  CHECK(strand.most_late_s == 600);
  CHECK(strand.duplicate_times == 1);
  CHECK(strand.typical_step_s == 600);
  CHECK(strand.gaps == 1);
  CHECK(strand.longest_gap_s == 4800);
  CHECK(judged.columns[0].missing == 1);
  CHECK(judged.columns[0].max == 8);
  REQUIRE(judged.findings.size() == 3);
  CHECK(judged.findings[0].kind == "out-of-order");
  CHECK(judged.findings[0].first_line == 5);
}

TEST_CASE("a step of just the gap factor is no gap", "[judge]") {
  CHECK(judge(records_of({"00:00", "00:10", "00:20", "00:50"}, {1, 2, 3, 4})).strands[0].gaps == 0);
  CHECK(judge(records_of({"00:00", "00:10", "00:20", "00:50"}, {1, 2, 3, 4}), {.gap_factor = 2.9})
            .strands[0]
            .gaps == 1);
}

}  // namespace zerobeat::testing
