#include "io/write/write_sqlite.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <vector>
#include <zerobeat/base/text.hpp>

#include "io/database/sqlite_handle.hpp"
#include "io/database/table_types.hpp"
#include "io/write/cell_writer.hpp"

namespace zerobeat::inline v1::detail {

namespace {

class SqliteTable {
 public:
  SqliteTable(const std::string& path, const WriteOptions& options)
      : path_(path), options_(options), name_(table_name_of(path, options.into)) {
    const std::filesystem::path file(path);
    std::string target = path;
    std::error_code ignored;
    if (!std::filesystem::exists(file, ignored)) {
      const std::string folder = file.has_parent_path() ? file.parent_path().string() : ".";
      constexpr unsigned for_all = 0666;
      temporary_ = TemporaryName::in(folder, ".sqlite", for_all);
      target = temporary_.path();
    }
    sqlite3* database = nullptr;
    const int result = sqlite3_open_v2(target.c_str(), &database, SQLITE_OPEN_READWRITE, nullptr);
    database_.reset(database);
    if (result != SQLITE_OK) fail();
    sqlite3_busy_timeout(database, sqlite_patience_ms);
    // A file that appears only when it is whole needs no journal on the disk, and leaves none.
    if (!temporary_.path().empty()) run("PRAGMA journal_mode = MEMORY");
    run("BEGIN IMMEDIATE");
  }
  SqliteTable(const SqliteTable&) = delete;
  SqliteTable& operator=(const SqliteTable&) = delete;
  ~SqliteTable() {
    if (database_ != nullptr && !done_) {
      sqlite3_exec(database_.get(), "ROLLBACK", nullptr, nullptr, nullptr);
    }
  }

  void write(const Table& table, const Zone& zone) {
    prepare_table(table);
    const auto statement = prepare(insertion(table));
    const auto columns = cells_of(table, options_, zone, csv_shape);
    std::vector<CellWriter> cells(columns.begin(), columns.end());
    std::size_t longest = 0;
    for (const CellColumn& column : columns) longest = std::max(longest, column.longest());
    std::vector<char> room(longest);
    for (std::size_t row = 0; row < table.rows(); ++row) {
      for (std::size_t c = 0; c < table.columns().size(); ++c) {
        bind(statement.get(), static_cast<int>(c) + 1, table.columns()[c], row, cells[c],
             room.data());
      }
      if (sqlite3_step(statement.get()) != SQLITE_DONE) fail();
      sqlite3_reset(statement.get());
    }
  }

  void commit() {
    run("COMMIT");
    done_ = true;
    if (temporary_.path().empty()) return;
    database_.reset();
    const int file = ::open(temporary_.path().c_str(), O_RDONLY | O_CLOEXEC);
    if (file >= 0) {
      fsync(file);
      close(file);
    }
    if (link(temporary_.path().c_str(), path_.c_str()) != 0) {
      fail_output("{}: can't be put in its place: {}", shown(path_, 200), std::strerror(errno));
    }
    temporary_.remove();
  }

 private:
  [[noreturn]] void fail() const {
    fail_output("{}: {}", shown(path_, 200), sqlite_told(database_.get()));
  }

  void run(const std::string& sql) {
    if (sqlite3_exec(database_.get(), sql.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK) fail();
  }

  SqliteStatement prepare(const std::string& sql) {
    sqlite3_stmt* statement = nullptr;
    if (sqlite3_prepare_v2(database_.get(), sql.c_str(), -1, &statement, nullptr) != SQLITE_OK) {
      fail();
    }
    return SqliteStatement(statement);
  }

  /// The columns of the table that is there; none when it is not.
  std::vector<std::string> columns_there() {
    const auto statement = prepare("SELECT name FROM pragma_table_info(?)");
    sqlite3_bind_text(statement.get(), 1, name_.c_str(), -1, SQLITE_TRANSIENT);
    std::vector<std::string> names;
    while (sqlite3_step(statement.get()) == SQLITE_ROW) {
      names.emplace_back(reinterpret_cast<const char*>(sqlite3_column_text(statement.get(), 0)));
    }
    return names;
  }

  void prepare_table(const Table& table) {
    const auto before = before_rows(fmt::format("{}: table {}", shown(path_, 200), shown(name_)),
                                    columns_there(), table.names(), options_.if_exists);
    if (before == Before::nothing) return;
    if (before == Before::drop_and_make) run("DROP TABLE " + sql_name(name_));
    run(creation(sql_name(name_), table, type_of));
  }

  static std::string type_of(Column::Type type) {
    switch (type) {
      case Column::Type::number:
        return "REAL";
      case Column::Type::integer:
        return "INTEGER";
      case Column::Type::boolean:
        return "BOOLEAN";
      default:
        return "TEXT";
    }
  }

  std::string insertion(const Table& table) const {
    std::string sql = "INSERT INTO " + sql_name(name_) + " VALUES (";
    for (std::size_t c = 0; c < table.columns().size(); ++c) sql += c > 0 ? ",?" : "?";
    return sql + ")";
  }

  void bind(sqlite3_stmt* statement, int place, const Column& column, std::size_t row,
            CellWriter& cells, char* room) {
    int result = SQLITE_OK;
    if (!column.valid(row)) {
      result = sqlite3_bind_null(statement, place);
    } else {
      switch (column.type()) {
        case Column::Type::number:
          result = sqlite3_bind_double(statement, place, column.numbers()[row]);
          break;
        case Column::Type::integer:
          result = sqlite3_bind_int64(statement, place, column.integers()[row]);
          break;
        case Column::Type::boolean:
          result = sqlite3_bind_int(statement, place, column.boolean(row) ? 1 : 0);
          break;
        case Column::Type::text: {
          const auto& own = column.text(row);
          result = sqlite3_bind_text(statement, place, own.data(), static_cast<int>(own.size()),
                                     SQLITE_STATIC);
          break;
        }
        case Column::Type::time:
          result =
              sqlite3_bind_text(statement, place, room,
                                static_cast<int>(cells.write(room, row) - room), SQLITE_TRANSIENT);
      }
    }
    if (result != SQLITE_OK) fail();
  }

  std::string path_;
  WriteOptions options_;
  std::string name_;
  TemporaryName temporary_;
  SqliteDatabase database_;
  bool done_ = false;
};

}  // namespace

Store open_sqlite_store(const std::string& path, const WriteOptions& options) {
  auto table = std::make_shared<SqliteTable>(path, options);
  return {[table](const Table& rows, const Zone& zone) { table->write(rows, zone); },
          [table] { table->commit(); }, options};
}

}  // namespace zerobeat::detail
