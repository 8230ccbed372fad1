/// SQLite out: a table of a database file.

#pragma once

#include <zerobeat/base/export.hpp>
#include <zerobeat/io/write.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A new database is built beside its place and appears whole; one that is there is changed in one
/// transaction. Times are RFC 3339 text. Throws Error of kind output.
Store open_sqlite_store(const std::string& path, const WriteOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
