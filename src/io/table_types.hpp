/// Tables of databases: names and types, told from one place for those that are read and written.

#pragma once

#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/table/table.hpp>

namespace zerobeat::detail {

/// A name in double quotes, as SQL has them. Nothing else of the user's goes into a statement.
std::string sql_name(std::string_view name);

/// What the table of an output is called when nobody says it: its file's stem.
std::string table_name_of(const std::string& path, const std::string& into);

/// Throws Error of kind output when a table to append to has other columns than those.
void check_same_columns(const std::string& place, const std::vector<std::string>& there,
                        const std::vector<std::string>& wanted);

}  // namespace zerobeat::detail
