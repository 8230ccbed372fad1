/// PostgreSQL in: a table or a query, in one read-only transaction, as the server copies it out.

#pragma once

#include <memory>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/judge/row_source.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Opens the rows. What the server sends is kept (in memory, beyond that in TMPDIR), so that it can
/// be looked at again. Throws Error of kind usage when the table is not there or the query is
/// wrong, of kind input when the server can't be reached.
std::shared_ptr<RowSource> open_postgresql(const std::string& address, const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
