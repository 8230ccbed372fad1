/// A table for people.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/write/cell_writer.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Columns under one another, numbers to the right. On a terminal numbers have six digits.
void write_text(const Table& table, Output& output, const WriteOptions& options, const Zone& zone);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
