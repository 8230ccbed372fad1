/// Parquet out.

#pragma once

#include <zerobeat/base/export.hpp>
#include <zerobeat/io/write.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Writes a table: Zstandard, row groups of 2^20 rows, texts by dictionaries, statistics of each
/// column, times as timestamps in UTC. Columns are packed side by side; the same table gives the
/// same bytes at any thread count. Memory: a row group, packed. Throws Error of kind output.
void write_parquet(const Table& table, Output& output, const WriteOptions& options,
                   const Zone& zone);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
