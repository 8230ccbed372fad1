// In place of SQLite, in builds without it (ZEROBEAT_WITH_SQLITE).
#include <zerobeat/base/error.hpp>

#include "io/database/read_sqlite.hpp"
#include "io/write/write_sqlite.hpp"

namespace zerobeat::inline v1::detail {

bool begins_as_sqlite(std::string_view head) {
  return head.starts_with(std::string_view("SQLite format 3\0", 16));
}

std::shared_ptr<RowSource> open_sqlite(const SourceText&, const ReadOptions&) {
  fail_input("this build of the library reads no SQLite: ZEROBEAT_WITH_SQLITE was off");
}

Store open_sqlite_store(const std::string&, const WriteOptions&) {
  fail_output("this build of the library writes no SQLite: ZEROBEAT_WITH_SQLITE was off");
}

}  // namespace zerobeat::detail
