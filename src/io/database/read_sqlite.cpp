#include "io/database/read_sqlite.hpp"

#include <fmt/format.h>

#include <bit>
#include <zerobeat/base/text.hpp>

#include "io/database/chosen_table.hpp"
#include "io/database/sqlite_handle.hpp"
#include "io/database/table_types.hpp"
#include "io/judge/asked_columns.hpp"
#include "io/text/split_delimited.hpp"

namespace zerobeat::inline v1::detail {

namespace {

class SqliteRows {
 public:
  SqliteRows(const SourceText& text, const ReadOptions& options) : text_(text) {
    check_table_or_query(options);
    open();
    run("BEGIN");
    const std::string query =
        options.query.empty()
            ? "SELECT * FROM " + sql_name(chosen_table(text.name, tables(), options))
            : options.query;
    statement_ = prepare(query);
    if (sqlite3_stmt_readonly(statement_.get()) == 0) {
      fail_usage("‹query› {}: would change the database; it is only read", shown(query, 200));
    }
    const int count = sqlite3_column_count(statement_.get());
    if (count == 0) fail_usage("‹query› {}: gives no columns", shown(query, 200));
    std::vector<std::string> names;
    for (int c = 0; c < count; ++c) {
      const std::string name = sqlite3_column_name(statement_.get(), c);
      names.push_back(name);
      const bool read = is_asked_for(name, options) || options.time.empty();
      if (!read) continue;
      columns_.push_back({name, RowType::mixed, false});
      places_.push_back(c);
    }
    check_unique(names, text.name);
  }

  const std::vector<RowColumn>& columns() const { return columns_; }

  void rewind() {
    sqlite3_reset(statement_.get());
    done_ = false;
    row_ = 0;
  }

  void next(RowBatch& out) {
    out.clear(columns_.size());
    for (auto& cells : out.columns) {
      cells.bits.resize(batch_rows);
      cells.texts.resize(batch_rows);
      cells.types.resize(batch_rows);
    }
    // A statement that is done would begin again.
    while (out.rows < batch_rows && !done_) {
      const int result = sqlite3_step(statement_.get());
      done_ = result == SQLITE_DONE;
      if (done_) break;
      if (result != SQLITE_ROW) fail();
      take_row(out);
      ++out.rows;
      ++row_;
    }
  }

 private:
  [[noreturn]] void fail() const {
    const std::string row = row_ > 0 ? fmt::format("row {}: ", row_ + 1) : "";
    fail_input("{}: {}{}", text_.name, row, sqlite_told(database_.get()));
  }

  void open() {
    sqlite3* database = nullptr;
    int result = SQLITE_OK;
    if (text_.mapped) {
      result = sqlite3_open_v2(text_.name.c_str(), &database, SQLITE_OPEN_READONLY, nullptr);
      database_.reset(database);
    } else {
      // What was packed is read from memory.
      result = sqlite3_open_v2(":memory:", &database, SQLITE_OPEN_READWRITE, nullptr);
      database_.reset(database);
      const std::string_view bytes = text_.all();
      if (result == SQLITE_OK) {
        auto* const data = reinterpret_cast<unsigned char*>(const_cast<char*>(bytes.data()));
        const auto size = static_cast<sqlite3_int64>(bytes.size());
        result =
            sqlite3_deserialize(database, "main", data, size, size, SQLITE_DESERIALIZE_READONLY);
      }
    }
    if (result != SQLITE_OK) fail();
    sqlite3_busy_timeout(database, sqlite_patience_ms);
  }

  void run(const char* sql) {
    if (sqlite3_exec(database_.get(), sql, nullptr, nullptr, nullptr) != SQLITE_OK) fail();
  }

  SqliteStatement prepare(const std::string& sql) {
    sqlite3_stmt* statement = nullptr;
    const char* rest = nullptr;
    const int result = sqlite3_prepare_v2(database_.get(), sql.c_str(),
                                          static_cast<int>(sql.size()) + 1, &statement, &rest);
    SqliteStatement prepared(statement);
    const int code = sqlite3_errcode(database_.get());
    if (result != SQLITE_OK && code == SQLITE_ERROR) {
      fail_usage("{}: {}; the query is: {}", text_.name, sqlite3_errmsg(database_.get()),
                 shown(sql, 400));
    }
    if (result != SQLITE_OK) fail();
    const std::string_view after(rest);
    if (prepared == nullptr || after.find_first_not_of(" \t\r\n;") != std::string_view::npos) {
      fail_usage("‹query› {}: is not one statement", shown(sql, 400));
    }
    return prepared;
  }

  std::vector<std::string> tables() {
    const auto statement = prepare(
        "SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE "
        "'sqlite\\_%' ESCAPE '\\' ORDER BY name");
    std::vector<std::string> names;
    int result = SQLITE_ROW;
    while ((result = sqlite3_step(statement.get())) == SQLITE_ROW) {
      names.emplace_back(reinterpret_cast<const char*>(sqlite3_column_text(statement.get(), 0)));
    }
    if (result != SQLITE_DONE) fail();
    return names;
  }

  void take_row(RowBatch& out) {
    sqlite3_stmt* const statement = statement_.get();
    const std::size_t row = out.rows;
    for (std::size_t i = 0; i < places_.size(); ++i) {
      RowBatch::Cells& cells = out.columns[i];
      const int c = places_[i];
      switch (sqlite3_column_type(statement, c)) {
        case SQLITE_INTEGER:
          cells.types[row] = RowType::integer;
          cells.bits[row] = static_cast<std::uint64_t>(sqlite3_column_int64(statement, c));
          break;
        case SQLITE_FLOAT:
          cells.types[row] = RowType::number;
          cells.bits[row] = std::bit_cast<std::uint64_t>(sqlite3_column_double(statement, c));
          break;
        case SQLITE_TEXT: {
          const auto* const text = reinterpret_cast<const char*>(sqlite3_column_text(statement, c));
          const auto size = static_cast<std::size_t>(sqlite3_column_bytes(statement, c));
          cells.types[row] = RowType::text;
          cells.texts[row] = out.keep({text, size});
          if (!is_utf8(cells.texts[row])) out.note_bad_encoding(row);
          break;
        }
        case SQLITE_BLOB:
          fail_input(
              "{}: row {}: column \"{}\" holds a BLOB, which is no reading; leave it out: "
              "‹columns›, or ‹query›",
              text_.name, row_ + 1, shown(columns_[i].name));
        default:
          cells.types[row] = RowType::text;
          cells.missing.push_back(static_cast<std::uint32_t>(row));
      }
    }
  }

  SourceText text_;
  SqliteDatabase database_;
  SqliteStatement statement_;
  std::vector<RowColumn> columns_;
  std::vector<int> places_;  // of the statement's columns
  std::uint64_t row_ = 0;
  bool done_ = false;
};

}  // namespace

bool begins_as_sqlite(std::string_view head) {
  return head.starts_with(std::string_view("SQLite format 3\0", 16));
}

std::shared_ptr<RowSource> open_sqlite(const SourceText& text, const ReadOptions& options) {
  return row_source_of(std::make_shared<SqliteRows>(text, options));
}

}  // namespace zerobeat::detail
