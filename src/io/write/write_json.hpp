/// JSON lines out: an object a row.

#pragma once

#include "io/write/cell_writer.hpp"

namespace zerobeat::detail {

/// Names are the columns', times text, what is missing null. Numbers that JSON has no word for
/// (infinity) are text.
void write_json_lines(const Table& table, Output& output, const WriteOptions& options,
                      const Zone& zone);

}  // namespace zerobeat::detail
