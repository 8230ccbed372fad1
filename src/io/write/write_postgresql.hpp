/// PostgreSQL out: a table, in one transaction, copied in.

#pragma once

#include <zerobeat/io/write.hpp>

namespace zerobeat::detail {

/// Times are timestamps with zone, of microseconds. Throws Error of kind output.
Store open_postgresql_store(const std::string& path, const WriteOptions& options);

}  // namespace zerobeat::detail
