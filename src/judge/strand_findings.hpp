/// What one strand's times say of it: its judgement, and signs of a bad clock.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/judge.hpp>

#include "judge/record_order.hpp"
#include "judge/strand_times.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What is noticed of one strand, besides its judgement.
struct StrandFindings {
  StrandJudgement judgement;
  Nanoseconds typical{0};
  Lateness lateness;
  Steps steps;
  std::vector<RateChange> rate_changes;
  std::vector<ClockJump> jumps;
  Noticed stuck, round, future;
  std::string round_example;
};

/// The instants at which clocks stand that were never set, and dates that stand for none; by name.
using RoundInstants = std::vector<std::pair<Instant, std::string>>;
RoundInstants round_instants(const Zone& zone);

StrandFindings look_at_strand(const Records& records, const RecordOrder& order,
                              const Strand& strand, const JudgeOptions& options,
                              const RoundInstants& rounds);

/// What was noticed of several strands, added up; parts put together in order are the same as one.
struct ClockFindings {
  Noticed late, duplicates, gaps, off, rate_changes, jumps, stuck, round, future;
  std::int64_t pauses = 0;             ///< gaps that lie between sessions
  std::optional<Sessions> sessions{};  ///< the first strand's
  double most_late = 0;
  RateChange first_change;
  ClockJump first_jump;
  std::string round_example;
  std::vector<Gap> all_gaps;
  std::vector<std::int64_t> gap_steps;  ///< of each gap its strand's typical step
  double span = 0, open = 0;  ///< seconds of the strands, and of those what gaps leave open

  void add(StrandFindings&& strand);
  void append(ClockFindings&& next);
};

/// The gaps of all strands, by month and hour of the zone's clocks.
GapProfile profile_of(const ClockFindings& all, const TimeColumn& time);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
