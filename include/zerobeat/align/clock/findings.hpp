/// Clocks that disagree: which of several strands that see the same thing keep another time.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/source_account.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A finding about one strand's clock, or, without a key, about all.
struct ClockFinding {
  std::optional<std::string> key{};
  Finding finding{};
};

/// Compares the clocks of a timeline's strands by what `column` says, within an hour, drift
/// included (see tune()). The strand with the most readings is the reference at first; what the
/// others are off is then counted from the median of all.
///
/// Kinds: `clock-off`, a strand whose clock is ahead or behind, or gains or loses, by more than
/// five standard errors (of two strands alone, both); `clock-unlike`, strands of which the column
/// does not tell; `clock-agree`, when no clock is off. Counts are strands' records.
///
/// Throws Error when there is no key, fewer than two strands, no such column, or no numbers in it.
[[nodiscard]] std::vector<ClockFinding> clock_findings(const Timeline& timeline,
                                                       const std::string& column);

}  // namespace v1
}  // namespace zerobeat
