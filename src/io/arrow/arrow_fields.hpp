/// The fields of an Arrow schema as columns of rows.

#pragma once

#include <arrow_generated.h>

#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/arrow/arrow_messages.hpp"
#include "io/judge/row_source.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One field of the schema, flattened: what its column is, and how many nodes and buffers it takes.
struct FieldPlan {
  const arrow::Field* field = nullptr;
  std::size_t nodes = 1, buffers = 2;
  bool is_read = false;
  RowColumn column{};
};

/// The plans of all fields. Throws Error of kind input for a column that is asked for and whose
/// type is no reading, and for one whose buffers can't be counted.
std::vector<FieldPlan> plans_of(const ArrowMessages& messages, const std::string& source,
                                const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
