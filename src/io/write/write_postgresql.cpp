#include "io/write/write_postgresql.hpp"

#include <fmt/format.h>

#include <bit>
#include <zerobeat/base/text.hpp>

#include "io/database/postgres_handle.hpp"
#include "io/database/table_types.hpp"

namespace zerobeat::inline v1::detail {

namespace {

class PostgresTable {
 public:
  PostgresTable(const std::string& address, const WriteOptions& options)
      : name_(without_password(address)), options_(options), table_(options.into) {
    if (table_.empty()) fail_usage("{}: say which table is written: ‹into› TABLE", name_);
    if (options.time_as.kind != TimeForm::Kind::rfc3339) {
      fail_usage("‹time_as› {}: times go into a database as such", to_text(options.time_as));
    }
    std::string why;
    connection_ = connect_postgres(address, why);
    if (connection_ == nullptr) fail_output("{}: can't be reached: {}", name_, why);
    run("BEGIN");
  }

  void write(const Table& table) {
    check_times(table);
    prepare_table(table);
    std::string sql = "COPY " + quoted() + " (";
    for (std::size_t c = 0; c < table.names().size(); ++c) {
      sql += (c > 0 ? ", " : "") + sql_name(table.names()[c]);
    }
    sql += ") FROM STDIN (FORMAT binary)";
    {
      const PostgresResult begun(libpq().PQexec(connection_.get(), sql.c_str()));
      if (libpq().PQresultStatus(begun.get()) != PGRES_COPY_IN) fail();
    }
    buffer_.assign("PGCOPY\n\377\r\n\0\0\0\0\0\0\0\0\0", 19);
    for (std::size_t row = 0; row < table.rows(); ++row) {
      put<std::int16_t>(static_cast<std::int16_t>(table.columns().size()));
      for (const Column& column : table.columns()) put_cell(column, row);
      if (buffer_.size() > (std::size_t{1} << 20)) send();
    }
    put<std::int16_t>(-1);
    send();
    if (libpq().PQputCopyEnd(connection_.get(), nullptr) != 1) fail();
    const PostgresResult done(libpq().PQgetResult(connection_.get()));
    if (libpq().PQresultStatus(done.get()) != PGRES_COMMAND_OK) fail();
    while (PostgresResult(libpq().PQgetResult(connection_.get())) != nullptr) {
    }
  }

  void commit() { run("COMMIT"); }

 private:
  [[noreturn]] void fail() const {
    fail_output("{}: {}", name_, postgres_message(connection_.get()));
  }

  void run(const std::string& sql) {
    const PostgresResult result(libpq().PQexec(connection_.get(), sql.c_str()));
    if (libpq().PQresultStatus(result.get()) != PGRES_COMMAND_OK) fail();
  }

  std::string quoted() const {
    const std::size_t dot = table_.find('.');
    if (dot == std::string::npos) return sql_name(table_);
    return sql_name(table_.substr(0, dot)) + "." + sql_name(table_.substr(dot + 1));
  }

  /// The database counts microseconds.
  void check_times(const Table& table) const {
    if (options_.precision != Precision::automatic && options_.precision != Precision::ns) return;
    for (std::size_t c = 0; c < table.columns().size(); ++c) {
      const Column& column = table.columns()[c];
      if (column.type() != Column::Type::time) continue;
      for (std::size_t row = 0; row < column.size(); ++row) {
        if (!column.valid(row) || nanoseconds_of(column.times()[row]) % 1000 == 0) continue;
        fail_usage(
            "{}: column \"{}\", row {}: PostgreSQL has times of microseconds, and this one has "
            "nanoseconds; cut them off: ‹precision› us",
            name_, shown(table.names()[c]), row + 1);
      }
    }
  }

  std::int64_t unit() const {
    switch (options_.precision) {
      case Precision::s:
        return 1'000'000'000;
      case Precision::ms:
        return 1'000'000;
      default:
        return 1'000;
    }
  }

  std::vector<std::string> columns_there() {
    const std::string name = quoted();
    const char* const values[] = {name.c_str()};
    const PostgresResult result(libpq().PQexecParams(
        connection_.get(),
        "SELECT attname FROM pg_catalog.pg_attribute WHERE attrelid = to_regclass($1) AND attnum > "
        "0 AND NOT attisdropped ORDER BY attnum",
        1, nullptr, values, nullptr, nullptr, 0));
    if (libpq().PQresultStatus(result.get()) != PGRES_TUPLES_OK) fail();
    std::vector<std::string> names;
    for (int i = 0; i < libpq().PQntuples(result.get()); ++i) {
      names.emplace_back(libpq().PQgetvalue(result.get(), i, 0));
    }
    return names;
  }

  void prepare_table(const Table& table) {
    const auto before = before_rows(fmt::format("{}: table {}", name_, shown(table_)),
                                    columns_there(), table.names(), options_.if_exists);
    if (before == Before::nothing) return;
    if (before == Before::drop_and_make) run("DROP TABLE " + quoted());
    run(creation(quoted(), table, type_of));
  }

  static std::string type_of(Column::Type type) {
    switch (type) {
      case Column::Type::number:
        return "double precision";
      case Column::Type::integer:
        return "bigint";
      case Column::Type::boolean:
        return "boolean";
      case Column::Type::text:
        return "text";
      default:
        return "timestamp with time zone";
    }
  }

  template <typename T>
  void put(T number) {
    auto value = static_cast<std::make_unsigned_t<T>>(number);
    char bytes[sizeof(T)];
    for (std::size_t i = sizeof(T); i-- > 0;) {
      bytes[i] = static_cast<char>(value & 0xff);
      if constexpr (sizeof(T) > 1) value = static_cast<std::make_unsigned_t<T>>(value >> 8);
    }
    buffer_.append(static_cast<const char*>(bytes), sizeof(T));
  }

  void put_cell(const Column& column, std::size_t row) {
    const bool nothing = !column.valid(row) || (column.type() == Column::Type::number &&
                                                column.numbers()[row] != column.numbers()[row]);
    if (nothing) return put<std::int32_t>(-1);
    switch (column.type()) {
      case Column::Type::number:
        put<std::int32_t>(8);
        return put<std::int64_t>(std::bit_cast<std::int64_t>(column.numbers()[row]));
      case Column::Type::integer:
        put<std::int32_t>(8);
        return put<std::int64_t>(column.integers()[row]);
      case Column::Type::boolean:
        put<std::int32_t>(1);
        buffer_.push_back(column.boolean(row) ? '\1' : '\0');
        return;
      case Column::Type::text: {
        const auto& text = column.text(row);
        put<std::int32_t>(static_cast<std::int32_t>(text.size()));
        buffer_ += text;
        return;
      }
      case Column::Type::time: {
        const std::int64_t t = nanoseconds_of(column.times()[row]);
        const std::int64_t own = unit();
        const std::int64_t cut = t - ((t % own) + own) % own;
        put<std::int32_t>(8);
        return put<std::int64_t>(cut / 1000 - postgres_epoch_us);
      }
    }
  }

  void send() {
    const int sent =
        libpq().PQputCopyData(connection_.get(), buffer_.data(), static_cast<int>(buffer_.size()));
    if (sent != 1) fail();
    buffer_.clear();
  }

  std::string name_;
  WriteOptions options_;
  std::string table_;
  PostgresConnection connection_;
  std::string buffer_;
};

}  // namespace

Store open_postgresql_store(const std::string& path, const WriteOptions& options) {
  auto table = std::make_shared<PostgresTable>(path, options);
  return {[table](const Table& rows, const Zone&) { table->write(rows); },
          [table] { table->commit(); }, options};
}

}  // namespace zerobeat::detail
