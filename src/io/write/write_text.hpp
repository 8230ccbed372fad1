/// A table for people.

#pragma once

#include "io/write/cell_writer.hpp"

namespace zerobeat::detail {

/// Columns under one another, numbers to the right. On a terminal numbers have six digits.
void write_text(const Table& table, Output& output, const WriteOptions& options, const Zone& zone);

}  // namespace zerobeat::detail
