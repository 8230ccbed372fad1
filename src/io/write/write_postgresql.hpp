/// PostgreSQL out: a table, in one transaction, copied in.

#pragma once

#include <zerobeat/base/export.hpp>
#include <zerobeat/io/write.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Times are timestamps with zone, of microseconds. Throws Error of kind output.
Store open_postgresql_store(const std::string& path, const WriteOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
