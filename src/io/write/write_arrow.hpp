/// Arrow IPC out: a file, or a stream where what is written can't be looked at again.

#pragma once

#include <zerobeat/base/export.hpp>
#include <zerobeat/io/write.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Times are timestamps in UTC, with --local in the zone; text is dictionary-encoded. Columns are
/// written as they lie in memory.
void write_arrow(const Table& table, Output& output, const WriteOptions& options, const Zone& zone);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
