#include "io/database/chosen_table.hpp"

#include <algorithm>
#include <zerobeat/base/text.hpp>

#include "io/source/listed.hpp"

namespace zerobeat::inline v1::detail {

std::string chosen_table(const std::string& database, const std::vector<std::string>& tables,
                         const ReadOptions& options) {
  if (tables.empty()) fail_input("{}: there is no table in it", database);
  if (options.table.empty()) {
    if (tables.size() == 1) return tables[0];
    fail_usage("{}: has {} tables; say which: ‹table› NAME, or ask: ‹query› SQL{}", database,
               tables.size(), listed(tables));
  }
  if (std::ranges::find(tables, options.table) == tables.end()) {
    fail_usage("‹table› {}: {} has no such table{}; there is{}", shown(options.table), database,
               did_you_mean(options.table, tables), listed(tables));
  }
  return options.table;
}

void check_table_or_query(const ReadOptions& options) {
  if (options.table.empty() || options.query.empty()) return;
  fail_usage("‹table› and ‹query›: one of them says what is read");
}

}  // namespace zerobeat::detail
