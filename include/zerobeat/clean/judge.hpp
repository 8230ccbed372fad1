/// Judging: what there is to know about records before anything is done with them.

#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/table/records.hpp>

namespace zerobeat {

/// One strand, judged.
struct StrandJudgement {
  std::optional<std::string> key{};
  std::int64_t records = 0;
  Instant first{};
  Instant last{};
  std::optional<double> typical_step_s{};  ///< the median step, steps of zero left out
  std::int64_t out_of_order = 0;           ///< records earlier than the latest time already seen
  double most_late_s = 0;                  ///< the largest such lateness
  std::int64_t duplicate_times = 0;        ///< records less distinct times
  std::int64_t gaps = 0;  ///< steps longer than the gap factor times the typical one
  double longest_gap_s = 0;
};

/// One value column, judged over the kept records.
struct ColumnJudgement {
  std::string name{};
  Column::Type type = Column::Type::number;
  std::int64_t missing = 0;
  std::optional<double> min, max;                    ///< of a column of numbers
  std::optional<std::int64_t> min_whole, max_whole;  ///< of a column of integers
};

struct Judgement {
  std::shared_ptr<const SourceAccount> account;
  TimeColumn time;
  int digits = 0;  ///< of the second that the times have
  std::vector<StrandJudgement> strands{};
  std::vector<ColumnJudgement> columns{};
  std::vector<Finding> findings{};  ///< the worst first
};

/// Judges records as they arrived. Cost: a pass over each column, and the order of settle().
Judgement judge(const Records& records, double gap_factor = 3);

}  // namespace zerobeat
