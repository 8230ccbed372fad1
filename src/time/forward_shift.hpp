/// Shifts that read skipped local times forward.

#pragma once

#include <zerobeat/base/export.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// shift(), but for a clock time that the zone skips: it is read with the offset before the jump,
/// so that an hour's times keep their distances.
Instant shift_forward(Instant t, const Period& period, std::int64_t times, const Zone& zone);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
