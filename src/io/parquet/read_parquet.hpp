/// Parquet in: rows with types, of which only the columns that are wanted are read.

#pragma once

#include <memory>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/judge/row_source.hpp"
#include "io/source/source_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

bool begins_as_parquet(std::string_view head);

/// Opens the rows of a file. Throws Error of kind input when it is damaged, cut short or encrypted,
/// or has a column (of those that are asked for) of a type that is no reading.
std::shared_ptr<RowSource> open_parquet(const SourceText& text, const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
