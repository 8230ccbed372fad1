/// Which table of a database is read.

#pragma once

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The table that --table names, or the only one that there is. Throws Error of kind usage that
/// lists them.
std::string chosen_table(const std::string& database, const std::vector<std::string>& tables,
                         const ReadOptions& options);

/// Throws Error of kind usage when both a table and a query are given.
void check_table_or_query(const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
