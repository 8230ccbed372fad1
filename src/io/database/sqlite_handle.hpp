/// A connection to a SQLite database and its statements, let go of in the right order.

#pragma once

#include <fmt/format.h>
#include <sqlite3.h>

#include <algorithm>
#include <memory>
#include <string>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

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

/// What went wrong last, in words, and what to do about it where that is known.
inline std::string sqlite_told(sqlite3* database) {
  const std::string what = sqlite3_errmsg(database);
  switch (sqlite3_errcode(database) & 0xff) {
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
      return fmt::format(
          "{}: another program holds it, longer than {} s; try again when it is done", what,
          sqlite_patience_ms / 1000);
    case SQLITE_IOERR:
    case SQLITE_FULL:
      return what +
             "; is there room on the disk (and in TMPDIR), and no limit on the size of files?";
    case SQLITE_READONLY:
      return what + "; may the file and its folder be written to?";
    case SQLITE_NOTADB:
      return what + "; is it SQLite at all, and whole?";
    case SQLITE_CORRUPT:
      return what + "; the file is damaged; fetch it again";
    case SQLITE_NOMEM:
      return "there is not enough memory";
    default:
      if (what == "integer overflow")
        return what + "; of large integers total(x) is the sum, as a number";
      return what;
  }
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
