/// Reach: how far back and how far ahead of an instant a step looks.
///
/// Values: threads may read one at the same time; copies share what they hold.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// One side of a reach.
struct ReachSide {
  enum class Kind { none, extent, whole };

  Kind kind = Kind::none;
  Extent extent{};  ///< when kind is extent

  [[nodiscard]] static ReachSide none() { return {}; }
  [[nodiscard]] static ReachSide of(const Extent& extent) { return {Kind::extent, extent}; }
  [[nodiscard]] static ReachSide whole() { return {Kind::whole, {}}; }

  friend bool operator==(const ReachSide&, const ReachSide&) = default;
};

/// "none", "2h", "3 rows" or "the whole strand".
[[nodiscard]] std::string to_text(const ReachSide& side);

/// Half a period, at least; of an odd number of days or months the greater half.
[[nodiscard]] Period half_of(const Period& period);

/// How far a step looks.
struct Reach {
  ReachSide back;
  ReachSide ahead;

  /// True when nothing later than t is used for the output at t.
  [[nodiscard]] bool causal() const { return ahead.kind == ReachSide::Kind::none; }
};

/// Times from one on and before another.
struct TimeRange {
  Instant from = Instant::min();
  Instant until = Instant::max();

  friend bool operator==(const TimeRange&, const TimeRange&) = default;
};

}  // namespace v1
}  // namespace zerobeat
