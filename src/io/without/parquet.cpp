// In place of Parquet, in builds without it (ZEROBEAT_WITH_PARQUET).
#include <zerobeat/base/error.hpp>

#include "io/parquet/read_parquet.hpp"
#include "io/write/write_parquet.hpp"

namespace zerobeat::inline v1::detail {

bool begins_as_parquet(std::string_view head) { return head.starts_with("PAR1"); }

std::shared_ptr<RowSource> open_parquet(const SourceText&, const ReadOptions&) {
  fail_input("this build of the library reads no Parquet: ZEROBEAT_WITH_PARQUET was off");
}

void write_parquet(const Table&, Output&, const WriteOptions&, const Zone&) {
  fail_output("this build of the library writes no Parquet: ZEROBEAT_WITH_PARQUET was off");
}

}  // namespace zerobeat::detail
