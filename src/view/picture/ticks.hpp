/// Ticks of a time axis: round local times of a zone.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/elapsed.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

#include "view/drawing/drawing.hpp"
#include "view/picture/line.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct Tick {
  Instant at{};
  std::string label{};  ///< two lines: the clock, and the date where it changes
};

/// About `most` ticks at most between two instants.
std::vector<Tick> time_ticks(Instant first, Instant last, const Zone& zone, int most);

/// The lower axis of a picture over time, in what Canvas::x gives: seconds from the first instant,
/// or the numbers of an elapsed axis.
DrawnAxis time_axis(const Canvas& canvas, const Zone& zone, const Axis& axis,
                    const std::string& time_name);

/// The instants between two at which the zone's clocks change, and by how much.
struct ClockChange {
  Instant at{};
  std::chrono::seconds by{};
};
std::vector<ClockChange> clock_changes(Instant first, Instant last, const Zone& zone);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
