/// Appending: rows of one timeline after those of another of the same columns.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Returns `timeline` with the rows of `rows`, each in its strand and in order of time; those of
/// one time come after. Strands that are new follow the others. Both have the same columns and key,
/// in any order; whole numbers and numbers go together as numbers. The account has the sources of
/// both, and one entry for all rows that were appended one call after the other.
///
/// Cost: without a key, and when no row is earlier than the last one that is there, that of the
/// rows that are added, spread over many calls (see Column::appended()); else a copy of everything.
/// Throws Error of kind usage when columns, keys or axes differ.
[[nodiscard]] Timeline append(const Timeline& timeline, const Timeline& rows);

}  // namespace v1
}  // namespace zerobeat
