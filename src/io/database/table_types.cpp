#include "io/database/table_types.hpp"

#include <fmt/ranges.h>

#include <filesystem>
#include <zerobeat/base/text.hpp>

namespace zerobeat::inline v1::detail {

std::string sql_name(std::string_view name) {
  std::string out = "\"";
  for (const char c : name) {
    if (c == '"') out += '"';
    out += c;
  }
  return out + '"';
}

std::string table_name_of(const std::string& path, const std::string& into) {
  return into.empty() ? std::filesystem::path(path).stem().string() : into;
}

Before before_rows(const std::string& place, const std::vector<std::string>& there,
                   const std::vector<std::string>& wanted, IfExists if_exists) {
  if (there.empty()) return Before::make;
  switch (if_exists) {
    case IfExists::fail:
      fail_output("{} is there already; see ‹if_exists› replace or append", place);
    case IfExists::replace:
      return Before::drop_and_make;
    case IfExists::append:
      break;
  }
  if (there != wanted) {
    fail_output("{}: ‹if_exists› append: the table has the columns {}, and these are {}", place,
                fmt::join(there, ", "), fmt::join(wanted, ", "));
  }
  return Before::nothing;
}

std::string creation(const std::string& quoted_name, const Table& table,
                     std::string (*type_of)(Column::Type)) {
  std::string sql = "CREATE TABLE " + quoted_name + " (";
  for (std::size_t c = 0; c < table.columns().size(); ++c) {
    sql +=
        (c > 0 ? ", " : "") + sql_name(table.names()[c]) + " " + type_of(table.columns()[c].type());
  }
  return sql + ")";
}

}  // namespace zerobeat::detail
