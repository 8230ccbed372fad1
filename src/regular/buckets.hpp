/// Finding buckets: which rows of a timeline fall into which bucket.

#pragma once

#include <optional>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/regular/resample.hpp>

#include "kernel/bucket/buckets.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The lengths of buckets of time; none when they are closed otherwise.
std::vector<Period> levels_of(const Resample& options);

/// Whether records close a bucket: so many, or so much of a column.
inline bool are_closed_by_records(const Resample& options) {
  return std::holds_alternative<ByCount>(options.every) ||
         std::holds_alternative<BySum>(options.every);
}

/// The buckets of one level, period `every`; unset: of the other ways that options have.
/// Throws Error when they do not make a grid, or it has more than 10^9 buckets.
Buckets find_buckets(const Timeline& timeline, const Resample& options,
                     const std::optional<Period>& every, bool with_typical_steps);

/// Throws Error when options contradict each other.
void check_options(const Resample& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
