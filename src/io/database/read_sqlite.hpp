/// SQLite in: a table or a query of a database file, opened read-only.

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

bool begins_as_sqlite(std::string_view head);

/// Opens the rows, within one read transaction. Throws Error of kind usage when the table is not
/// there, of kind input when the database can't be read.
std::shared_ptr<RowSource> open_sqlite(const SourceText& text, const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
