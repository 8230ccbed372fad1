/// A connection to a SQLite database and its statements, let go of in the right order.

#pragma once

#include <sqlite3.h>

#include <memory>
#include <string>

namespace zerobeat::detail {

struct SqliteClose {
  void operator()(sqlite3* database) const { sqlite3_close_v2(database); }
};
struct SqliteFinalize {
  void operator()(sqlite3_stmt* statement) const { sqlite3_finalize(statement); }
};
using SqliteDatabase = std::unique_ptr<sqlite3, SqliteClose>;
using SqliteStatement = std::unique_ptr<sqlite3_stmt, SqliteFinalize>;

/// How long another process's lock is waited for.
inline constexpr int sqlite_patience_ms = 10'000;

}  // namespace zerobeat::detail
