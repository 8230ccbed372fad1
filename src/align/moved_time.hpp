/// Times set right: moved, and a drift taken out.

#pragma once

#include <cmath>
#include <limits>
#include <optional>
#include <zerobeat/base/export.hpp>

#include "time/wide_instant.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// t + by + ppm · 10⁻⁶ · (t − zero), to the nearest nanosecond; nullopt beyond the range of
/// Instant.
inline std::optional<Instant> moved_time(Instant t, Wide by, double ppm, Instant zero) {
  Wide moved = Wide(nanoseconds_of(t)) + by;
  if (ppm != 0) {
    const Wide since = Wide(nanoseconds_of(t)) - nanoseconds_of(zero);
    moved += static_cast<Wide>(
        std::llround(static_cast<long double>(since) * (static_cast<long double>(ppm) / 1e6L)));
  }
  using Limits = std::numeric_limits<std::int64_t>;
  if (!fits_int64(moved) || moved == Limits::max() || moved == Limits::min()) return std::nullopt;
  return instant_of(static_cast<std::int64_t>(moved));
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
