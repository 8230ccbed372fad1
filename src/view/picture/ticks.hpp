/// Ticks of a time axis: round local times of a zone.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/elapsed.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Tick {
  Instant at{};
  std::string label{};  ///< two lines: the clock, and the date where it changes
};

/// About `most` ticks at most between two instants.
std::vector<Tick> time_ticks(Instant first, Instant last, const Zone& zone, int most);

/// Ticks at round numbers of a unit, about `most` of them.
std::vector<Tick> elapsed_ticks(Instant first, Instant last, ElapsedUnit unit, int most);

/// The instants between two at which the zone's clocks change, and by how much.
struct ClockChange {
  Instant at{};
  std::chrono::seconds by{};
};
std::vector<ClockChange> clock_changes(Instant first, Instant last, const Zone& zone);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
