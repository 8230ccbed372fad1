/// Judging: what there is to know about records before anything is done with them.
///
/// Threads may read these at the same time; references live as long as what gave them.

#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/judge/rhythm.hpp>
#include <zerobeat/judge/seen.hpp>
#include <zerobeat/time/calendar.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

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
  Rhythm rhythm{};  ///< whether it is regular, and at what period; none on an axis of counts
};

/// The gaps of all strands: how many, how long, and when.
struct GapProfile {
  std::int64_t gaps = 0;
  double shortest_s = 0;
  double mean_s = 0;
  double median_s = 0;
  double longest_s = 0;
  /// The share of the strands' spans that is covered: what of a gap is longer than a typical step
  /// is not.
  double covered = 1;

  /// Seconds of a month that lie in gaps, from a typical step after the last record on, by the hour
  /// of the day on the zone's clocks.
  struct Month {
    std::chrono::year_month month{};
    std::array<double, 24> missing_s{};
  };
  std::vector<Month> months{};  ///< ascending; only those with gaps
};

struct Judgement {
  std::shared_ptr<const SourceAccount> account;
  TimeColumn time;
  int digits = 0;  ///< of the second that the times have
  std::vector<StrandJudgement> strands{};
  GapProfile gap_profile{};
  std::vector<ColumnSeen> columns{};
  std::vector<Finding> findings{};  ///< the worst first
};

/// Adds findings to those of a judgement, the worst first.
void add_findings(Judgement& judgement, std::span<const Finding> more);

/// How bad a kind of finding is: 3 records at fault, 2 signs of a clock or a source that can't be
/// trusted, 1 what settling and filling are for, 0 notes.
[[nodiscard]] int weight_of(const std::string& kind);

struct JudgeOptions {
  double gap_factor = 3;  ///< a gap is a step longer than so many typical ones
  Calendar calendar{};    ///< days that are not worked are no part of a step
  Instant now{};          ///< later times lie in the future; the epoch: do not look
};

/// Judges records as they arrived.
///
/// Findings, besides a record's faults and what reading noticed: `out-of-order`, `duplicate-times`,
/// `gap`, `rate-change` (the typical step changes for good), `jitter` (most steps are off the
/// typical one by more than a hundredth), `clock-jump` (the clock is set back, or is ahead or
/// behind for some records), `stuck-clock` (one time for five records or more in a strand that
/// hardly repeats times), `stuck-reading` (a column says the same far longer than it does),
/// `missing-run` (a column's readings are missing in runs longer than a gap; of columns of words
/// only those that are mostly there), `round-instant` (the start of an epoch or a century, far from
/// all else), `future-time`, `whole-second` (times without a fraction among times with one),
/// `key-spelling` (keys that differ only in case or space) and `stacked` (several series read as
/// one; see find_stacked()). Gaps that are the time between sessions count among the gaps, and are
/// told apart in the message and in StrandJudgement::rhythm.
///
/// Cost: some passes over the times, one over each column, and for strands out of order the order
/// of settle().
[[nodiscard]] Judgement judge(const Records& records, const JudgeOptions& options = {});

}  // namespace v1
}  // namespace zerobeat
