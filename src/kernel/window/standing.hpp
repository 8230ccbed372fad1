/// Standing readings in windows of a period: what holds from one reading to the next.

#pragma once

#include <cstdint>
#include <span>
#include <zerobeat/base/export.hpp>
#include <zerobeat/take/take.hpp>

#include "kernel/bucket/standing.hpp"
#include "kernel/window/dense_windows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A window's edges in time.
struct TimeEdges {
  Instant low{}, high{};
};

/// What stands in windows: readings, and until when.
struct StandingReadings {
  std::span<const Instant> times;     ///< of the readings
  std::span<const RowRange> windows;  ///< of readings
  std::span<const TimeEdges> edges;   ///< of the windows
  Nanoseconds last_stands{0};         ///< how long the last reading stands

  /// Whether a reading from before window w stands into it.
  bool stands_into(std::size_t w) const;
};

/// Of each window the seconds that are covered, and the area of the readings over them; by steps or
/// by lines. Neither goes beyond the window's high edge.
void stood_in_windows(const StandingReadings& standing, std::span<const double> readings,
                      Joining joining, std::span<Stood> out);

/// Of each window the seconds that are covered, and those in which a reading stood that meets a
/// condition; `meets` is 1 for the readings that do.
void condition_in_windows(const StandingReadings& standing, std::span<const std::int64_t> meets,
                          std::span<Stood> out);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
