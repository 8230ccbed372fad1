#include "io/table_types.hpp"

#include <fmt/ranges.h>

#include <filesystem>
#include <zerobeat/base/text.hpp>

namespace zerobeat::detail {

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

void check_same_columns(const std::string& place, const std::vector<std::string>& there,
                        const std::vector<std::string>& wanted) {
  if (there == wanted) return;
  fail_output("{}: --if-exists append: the table has the columns {}, and these are {}", place,
              fmt::join(there, ", "), fmt::join(wanted, ", "));
}

}  // namespace zerobeat::detail
