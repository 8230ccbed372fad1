/// Reach: how far back and how far ahead of an instant a step looks.

#pragma once

#include <string>
#include <zerobeat/time/period.hpp>

namespace zerobeat {

/// One side of a reach.
struct ReachSide {
  enum class Kind { none, extent, whole };

  Kind kind = Kind::none;
  Extent extent{};  ///< when kind is extent

  static ReachSide none() { return {}; }
  static ReachSide of(const Extent& extent) { return {Kind::extent, extent}; }
  static ReachSide whole() { return {Kind::whole, {}}; }

  friend bool operator==(const ReachSide&, const ReachSide&) = default;
};

/// "none", "2h", "3 rows" or "the whole strand".
std::string to_text(const ReachSide& side);

/// Half a period, at least; of an odd number of days or months the greater half.
Period half_of(const Period& period);

/// How far a step looks.
struct Reach {
  ReachSide back;
  ReachSide ahead;

  /// True when nothing later than t is used for the output at t.
  bool causal() const { return ahead.kind == ReachSide::Kind::none; }
};

}  // namespace zerobeat
