/// Resampling several timelines into one: each with the takes that are its own.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <span>
#include <zerobeat/base/export.hpp>
#include <zerobeat/regular/resample.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Returns the buckets of all, those of one time and key in one row. Of several timelines a take
/// names the one that it is of by its name (`source`), or is of each. Names that clash get _NAME.
///
/// A timeline without a key goes with every strand of those that have one. A short form of
/// resample() for each and align() onto the union of their rows.
///
/// Cost: that of both. Throws Error when there are several levels, when
/// buckets are not on one grid (by_count, by_sum, buckets), or a take is of none of the timelines.
[[nodiscard]] Timeline resample(std::span<const Timeline> timelines, const Resample& options);

/// Resamples one timeline or several; by the value of a column the result is a table.
[[nodiscard]] Made apply(std::span<const Timeline> in, const Resample& options);

}  // namespace v1
}  // namespace zerobeat
