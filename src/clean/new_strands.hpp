/// Strands made anew, by other columns.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A timeline whose strands are those of one column, or of several with + between their names, and
/// how many rows were left out since they have none.
struct NewStrands {
  Timeline timeline;
  std::int64_t without_key = 0;
};

/// Strands in order of their first row, rows of one time in the order in which they were; the old
/// key's columns come after the other ones. Cost: a pass over the key's columns, a stable sort of
/// each strand that is not in order, and a copy of all. Throws Error of kind usage when a column is
/// absent.
NewStrands with_strands_of(const Timeline& timeline, const std::string& key);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
