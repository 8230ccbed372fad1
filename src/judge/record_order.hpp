/// The order in which records make a timeline.

#pragma once

#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Rows of the records in the order of a timeline, and its strands.
struct RecordOrder {
  std::vector<std::int64_t> rows{};  ///< empty: as they arrived
  std::vector<Strand> strands{};

  std::int64_t row(std::size_t i) const {
    return rows.empty() ? static_cast<std::int64_t>(i) : rows[i];
  }
};

/// Throws Error of kind usage when records that a program put together are not whole: columns of
/// other lengths, times or keys that are missing, no places or no account.
void check_records(const Records& records);

/// Strands in order of first appearance, each in order of time; records of one time as they
/// arrived. Cost: linear for records in order, else a stable sort of each strand that is not.
RecordOrder order_records(const Records& records);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
