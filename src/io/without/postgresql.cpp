// In place of PostgreSQL, in builds without it (ZEROBEAT_WITH_POSTGRESQL).
#include <zerobeat/base/error.hpp>

#include "io/database/read_postgresql.hpp"
#include "io/write/write_postgresql.hpp"

namespace zerobeat::inline v1::detail {

std::shared_ptr<RowSource> open_postgresql(const std::string&, const ReadOptions&) {
  fail_input("this build of the library reads no PostgreSQL: ZEROBEAT_WITH_POSTGRESQL was off");
}

Store open_postgresql_store(const std::string&, const WriteOptions&) {
  fail_output("this build of the library writes no PostgreSQL: ZEROBEAT_WITH_POSTGRESQL was off");
}

}  // namespace zerobeat::detail
