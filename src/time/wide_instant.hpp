/// Instants beyond what int64 can hold: differences as seconds, and sums kept within the range.

#pragma once

#include <algorithm>
#include <limits>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>

#include "base/wide.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Whether a whole number of 64 bits holds it.
constexpr bool fits_int64(Wide value) {
  return value >= std::numeric_limits<std::int64_t>::min() &&
         value <= std::numeric_limits<std::int64_t>::max();
}

/// The instant so many nanoseconds after 1970; the first or the last there is when it is outside.
inline Instant bounded_instant(Wide nanoseconds) {
  return instant_of(static_cast<std::int64_t>(
      std::clamp<Wide>(nanoseconds, std::numeric_limits<std::int64_t>::min(),
                       std::numeric_limits<std::int64_t>::max())));
}

/// Between instants as far apart as can be, too.
inline double seconds_between(Instant from, Instant to) {
  std::int64_t length = 0;
  if (!__builtin_sub_overflow(nanoseconds_of(to), nanoseconds_of(from), &length)) [[likely]] {
    return static_cast<double>(length) / 1e9;
  }
  return static_cast<double>(Wide(nanoseconds_of(to)) - nanoseconds_of(from)) / 1e9;
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
