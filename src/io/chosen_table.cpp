#include "io/chosen_table.hpp"

#include <algorithm>
#include <zerobeat/base/text.hpp>

namespace zerobeat::detail {

std::string chosen_table(const std::string& database, const std::vector<std::string>& tables,
                         const ReadOptions& options) {
  const auto list = [&] {
    constexpr std::size_t most = 30;
    std::string all;
    for (std::size_t i = 0; i < std::min(most, tables.size()); ++i) {
      all += "\n  " + shown(tables[i]);
    }
    if (tables.size() > most) all += fmt::format("\n  and {} more", tables.size() - most);
    return all;
  };
  if (tables.empty()) fail_input("{}: there is no table in it", database);
  if (options.table.empty()) {
    if (tables.size() == 1) return tables[0];
    fail_usage("{}: has {} tables; say which: --table NAME, or ask: --query SQL{}", database,
               tables.size(), list());
  }
  if (std::ranges::find(tables, options.table) == tables.end()) {
    fail_usage("--table {}: {} has no such table{}; there is{}", shown(options.table), database,
               did_you_mean(options.table, tables), list());
  }
  return options.table;
}

void check_table_or_query(const ReadOptions& options) {
  if (options.table.empty() || options.query.empty()) return;
  fail_usage("--table and --query: one of them says what is read");
}

}  // namespace zerobeat::detail
