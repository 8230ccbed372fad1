/// Delimited text out: RFC 4180, or with tabs.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/write/cell_writer.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

void write_delimited(const Timeline& timeline, Output& output, const WriteOptions& options,
                     const CellShape& shape);
void write_delimited(const Table& table, Output& output, const WriteOptions& options,
                     const Zone& zone, const CellShape& shape);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
