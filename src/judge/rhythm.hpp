/// The parts of a rhythm, for strands whose steps were looked at before.

#pragma once

#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/rhythm.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Hours without records day after day; `gaps` ascend, and lie between the first and the last.
/// `pauses` gets the gaps that are the time between sessions.
std::optional<Sessions> sessions_of(Instant first, Instant last, std::span<const TimeSpan> gaps,
                                    const Zone& zone, std::vector<TimeSpan>& pauses);

/// Of ascending times with this typical step, whose steps longer than a gap are `gaps`; `even`:
/// every other step is the typical one. Without a zone the times are no instants, and no calendar
/// is asked.
Rhythm rhythm_of(std::span<const Instant> times, Nanoseconds typical,
                 std::span<const TimeSpan> gaps, bool even, const Zone* zone,
                 const Calendar& calendar);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
