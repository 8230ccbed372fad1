/// Tables of databases: names and types, told from one place for those that are read and written.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/write.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A name in double quotes, as SQL has them. Nothing else of the user's goes into a statement.
std::string sql_name(std::string_view name);

/// What the table of an output is called when nobody says it: its file's stem.
std::string table_name_of(const std::string& path, const std::string& into);

/// What is to be done before rows go into a table.
enum class Before { make, drop_and_make, nothing };

/// That, of a table that has the columns `there` (none when it is not). Throws Error of kind output
/// when it may not be written, or has other columns than those to be appended.
Before before_rows(const std::string& place, const std::vector<std::string>& there,
                   const std::vector<std::string>& wanted, IfExists if_exists);

/// CREATE TABLE with the columns of these rows; `type_of` says what a type is called.
std::string creation(const std::string& quoted_name, const Table& table,
                     std::string (*type_of)(Column::Type));

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
