/// What is to be said of one clock beside another.

#pragma once

#include <vector>
#include <zerobeat/base/export.hpp>

#include "align/clock/fit.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A scale that is less than so many standard errors from nothing may be chance.
inline constexpr double least_clearness = 7;

struct ClockVerdict {
  enum class Kind {
    found,
    too_few,    ///< readings, or time that both share
    no_peak,    ///< they are not alike anywhere
    beyond,     ///< they are most alike at the end of the range, or past it
    ambiguous,  ///< several offsets fit nearly as well
    unclear,    ///< what is alike may be chance
  };

  Kind kind = Kind::no_peak;
  ClockFit fit{};                  ///< the best there is, of all but too_few and no_peak
  std::vector<ClockFit> rivals{};  ///< others that come near it, the best first
};

/// Times count from the instant that the offset is of. Readings of the reference have times that
/// are all different. Cost: n log n.
ClockVerdict judge_clocks(const ClockReadings& reference, const ClockReadings& other,
                          const ClockSearch& search);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
