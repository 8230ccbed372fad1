/// JSON lines out: an object a row.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/write/cell_writer.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Names are the columns', times text, what is missing null. Numbers that JSON has no word for
/// (infinity) are text.
void write_json_lines(const Table& table, Output& output, const WriteOptions& options,
                      const Zone& zone);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
