#include "io/database/read_postgresql.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cstring>
#include <zerobeat/base/text.hpp>

#include "io/database/chosen_table.hpp"
#include "io/database/postgres_handle.hpp"
#include "io/database/table_types.hpp"
#include "io/judge/asked_columns.hpp"
#include "io/source/stream.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Numbers as the server sends them: the highest byte first.
template <typename T>
T big_endian(const char* at) {
  std::make_unsigned_t<T> value = 0;
  for (std::size_t i = 0; i < sizeof(T); ++i) {
    value = static_cast<std::make_unsigned_t<T>>(value << 8 | static_cast<unsigned char>(at[i]));
  }
  return static_cast<T>(value);
}

/// A numeric as decimal text: digits to the base 10,000, a weight, a sign, decimals.
std::string numeric_text(std::string_view bytes) {
  if (bytes.size() < 8) return "";
  const auto word = [&](std::size_t i) { return big_endian<std::uint16_t>(bytes.data() + 2 * i); };
  const int digits = word(0);
  const int weight = static_cast<std::int16_t>(word(1));
  const unsigned sign = word(2);
  const int decimals = word(3) & 0x3fff;
  if (sign == 0xc000) return "NaN";
  if (sign == 0xd000) return "inf";
  if (sign == 0xf000) return "-inf";
  if (bytes.size() < 8 + 2 * static_cast<std::size_t>(digits)) return "";
  const auto group = [&](int i) {
    return i >= 0 && i < digits ? word(static_cast<std::size_t>(4 + i)) : std::uint16_t{0};
  };
  std::string out = sign == 0x4000 ? "-" : "";
  if (weight < 0) {
    out += '0';
  } else {
    for (int i = 0; i <= weight; ++i) {
      out += i == 0 ? fmt::format("{}", group(i)) : fmt::format("{:04}", group(i));
    }
  }
  if (decimals == 0) return out;
  std::string fraction;
  for (int i = weight + 1; static_cast<int>(fraction.size()) < decimals; ++i) {
    fraction += fmt::format("{:04}", group(i));
  }
  return out + '.' + fraction.substr(0, static_cast<std::size_t>(decimals));
}

std::string uuid_text(std::string_view bytes) {
  std::string out;
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    if (i == 4 || i == 6 || i == 8 || i == 10) out += '-';
    out += fmt::format("{:02x}", static_cast<unsigned char>(bytes[i]));
  }
  return out;
}

/// A clock, microseconds since midnight.
std::string clock_text(std::int64_t us) {
  std::string out = fmt::format("{:02}:{:02}:{:02}", us / 3'600'000'000, us / 60'000'000 % 60,
                                us / 1'000'000 % 60);
  if (us % 1'000'000 != 0) out += fmt::format(".{:06}", us % 1'000'000);
  return out;
}

class PostgresRows {
 public:
  PostgresRows(const std::string& address, const ReadOptions& options)
      : address_(address), name_(without_password(address)) {
    check_table_or_query(options);
    std::string why;
    connection_ = connect_postgres(address, why);
    if (connection_ == nullptr) fail_input("{}: can't be reached: {}", name_, why);
    run("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY");
    query_ = options.query;
    if (query_.empty()) query_ = "SELECT * FROM " + quoted(chosen_table(name_, tables(), options));
    while (!query_.empty() &&
           std::string_view("; \t\r\n").find(query_.back()) != std::string_view::npos) {
      query_.pop_back();
    }
    describe(options);
    stream_ = std::make_unique<Stream>(
        name_, [this] { return copy_out(); }, std::size_t{1} << 40);
    read_head();
  }

  PostgresRows(const PostgresRows&) = delete;
  PostgresRows& operator=(const PostgresRows&) = delete;
  ~PostgresRows() {
    if (message_ != nullptr) libpq().PQfreemem(message_);
  }

  const std::vector<RowColumn>& columns() const { return columns_; }

  void rewind() {
    at_ = first_;
    row_ = 0;
  }

  void next(RowBatch& out) {
    out.clear(columns_.size());
    std::size_t c = 0;
    for (auto& cells : out.columns) {
      const bool text = columns_[c++].type == RowType::text;
      if (text) cells.texts.resize(batch_rows);
      if (!text) cells.bits.resize(batch_rows);
      if (columns_[c - 1].type == RowType::mixed) {
        cells.texts.resize(batch_rows);
        cells.types.assign(batch_rows, RowType::text);
      }
    }
    while (out.rows < batch_rows && take_row(out)) {
      ++out.rows;
      ++row_;
    }
  }

 private:
  /// What a column of the query is, and where its cells go.
  struct Field {
    unsigned type = 0;
    std::size_t column = absent;
  };
  static constexpr std::size_t absent = static_cast<std::size_t>(-1);

  [[noreturn]] void fail() const {
    fail_input("{}: {}", name_, postgres_message(connection_.get()));
  }
  [[noreturn]] void fail_bytes() const {
    fail_input("{}: row {}: the server sent what can't be understood", name_, row_ + 1);
  }

  void run(const char* sql) {
    const PostgresResult result(libpq().PQexec(connection_.get(), sql));
    if (libpq().PQresultStatus(result.get()) != PGRES_COMMAND_OK) fail();
  }

  /// A name that may have its schema before a dot.
  static std::string quoted(const std::string& table) {
    const std::size_t dot = table.find('.');
    if (dot == std::string::npos) return sql_name(table);
    return sql_name(table.substr(0, dot)) + "." + sql_name(table.substr(dot + 1));
  }

  /// The tables that are found by their names alone, and with their schema those that are not.
  std::vector<std::string> tables() {
    const PostgresResult result(libpq().PQexec(
        connection_.get(),
        "SELECT CASE WHEN pg_catalog.pg_table_is_visible(c.oid) THEN c.relname ELSE n.nspname || "
        "'.' || c.relname END FROM pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = "
        "c.relnamespace WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND n.nspname NOT IN "
        "('pg_catalog', 'information_schema') AND n.nspname NOT LIKE 'pg\\_%' ORDER BY 1"));
    if (libpq().PQresultStatus(result.get()) != PGRES_TUPLES_OK) fail();
    std::vector<std::string> names;
    for (int i = 0; i < libpq().PQntuples(result.get()); ++i) {
      names.emplace_back(libpq().PQgetvalue(result.get(), i, 0));
    }
    return names;
  }

  void describe(const ReadOptions& options) {
    const PostgresResult prepared(
        libpq().PQprepare(connection_.get(), "asked", query_.c_str(), 0, nullptr));
    if (libpq().PQresultStatus(prepared.get()) != PGRES_COMMAND_OK) {
      fail_usage("{}: {}; the query is: {}", name_, postgres_message(connection_.get()),
                 shown(query_, 400));
    }
    const PostgresResult about(libpq().PQdescribePrepared(connection_.get(), "asked"));
    if (libpq().PQresultStatus(about.get()) != PGRES_COMMAND_OK) fail();
    const int count = libpq().PQnfields(about.get());
    if (count == 0) fail_usage("‹query› {}: gives no columns", shown(query_, 200));
    std::vector<std::string> names;
    for (int c = 0; c < count; ++c) {
      const std::string name = libpq().PQfname(about.get(), c);
      names.push_back(name);
      Field field{libpq().PQftype(about.get(), c), absent};
      RowColumn column{name, RowType::text, false};
      const bool readable = find_type(field.type, column);
      const bool asked = is_asked_for(name, options);
      if (!readable && asked) {
        fail_input(
            "{}: column \"{}\" is of type {}, which is no reading; leave it out: ‹columns›, or "
            "‹query›",
            name_, shown(name), type_name(field.type));
      }
      if (readable && (asked || options.time.empty())) {
        field.column = columns_.size();
        columns_.push_back(column);
      }
      fields_.push_back(field);
    }
    check_unique(names, name_);
  }

  bool find_type(unsigned& type, RowColumn& column) {
    namespace t = postgres_type;
    switch (type) {
      case t::boolean:
        column.type = RowType::boolean;
        return true;
      case t::int2:
      case t::int4:
      case t::int8:
      case t::oid:
        column.type = RowType::integer;
        return true;
      case t::float4:
      case t::float8:
        column.type = RowType::number;
        return true;
      case t::numeric:
        column.type = RowType::mixed;
        return true;
      case t::timestamptz:
        column.type = RowType::instant;
        return true;
      case t::timestamp:
      case t::date:
        column.type = RowType::local;
        column.is_date = type == t::date;
        return true;
      case t::text:
      case t::varchar:
      case t::bpchar:
      case t::name:
      case t::time:
      case t::uuid:
        return true;
      default:
        // The words of an enumeration are sent as text.
        if (!is_enumeration(type)) return false;
        type = t::text;
        return true;
    }
  }

  PostgresResult ask(const char* sql, const std::string& value) {
    const char* const values[] = {value.c_str()};
    return PostgresResult(
        libpq().PQexecParams(connection_.get(), sql, 1, nullptr, values, nullptr, nullptr, 0));
  }

  bool is_enumeration(unsigned type) {
    const auto result =
        ask("SELECT 1 FROM pg_catalog.pg_type WHERE oid = $1::oid AND typtype = 'e'",
            fmt::to_string(type));
    return libpq().PQntuples(result.get()) > 0;
  }

  std::string type_name(unsigned type) {
    const auto result = ask("SELECT pg_catalog.format_type($1::oid, NULL)", fmt::to_string(type));
    return libpq().PQntuples(result.get()) > 0 ? libpq().PQgetvalue(result.get(), 0, 0)
                                               : fmt::to_string(type);
  }

  /// Has the server copy the rows out, message after message.
  Stream::Fill copy_out() {
    // A newline ends a comment at the query's end.
    const std::string sql = "COPY (" + query_ + "\n) TO STDOUT (FORMAT binary)";
    const PostgresResult result(libpq().PQexec(connection_.get(), sql.c_str()));
    if (libpq().PQresultStatus(result.get()) != PGRES_COPY_OUT) {
      fail_usage("{}: {}; the query is: {}", name_, postgres_message(connection_.get()),
                 shown(query_, 400));
    }
    return [this](std::span<char> out) { return receive(out); };
  }

  std::size_t receive(std::span<char> out) {
    std::size_t got = 0;
    while (got < out.size()) {
      if (left_.empty() && !next_message()) break;
      const std::size_t n = std::min(left_.size(), out.size() - got);
      std::memcpy(out.data() + got, left_.data(), n);
      left_.remove_prefix(n);
      got += n;
    }
    return got;
  }

  bool next_message() {
    if (copied_) return false;
    if (message_ != nullptr) libpq().PQfreemem(message_);
    message_ = nullptr;
    const int size = libpq().PQgetCopyData(connection_.get(), &message_, 0);
    if (size == -2) fail();
    if (size > 0) {
      left_ = {message_, static_cast<std::size_t>(size)};
      return true;
    }
    const PostgresResult end(libpq().PQgetResult(connection_.get()));
    if (libpq().PQresultStatus(end.get()) != PGRES_COMMAND_OK) fail();
    copied_ = true;
    return false;
  }

  /// So many bytes at the place that is read next.
  std::string_view bytes(std::size_t size) {
    if (text_.size() - at_ < size) text_ = stream_->until(at_ + size);
    if (text_.size() - at_ < size) fail_bytes();
    const std::string_view text = text_.substr(at_, size);
    at_ += size;
    return text;
  }

  void read_head() {
    constexpr std::string_view mark("PGCOPY\n\377\r\n\0", 11);
    if (bytes(mark.size()) != mark) fail_bytes();
    bytes(4);
    const auto extension = big_endian<std::uint32_t>(bytes(4).data());
    bytes(extension);
    first_ = at_;
  }

  bool take_row(RowBatch& out) {
    const auto count = big_endian<std::int16_t>(bytes(2).data());
    if (count < 0) {
      at_ -= 2;  // stays at the end
      stream_->all();
      return false;
    }
    if (static_cast<std::size_t>(count) != fields_.size()) fail_bytes();
    for (const Field& field : fields_) {
      const auto size = big_endian<std::int32_t>(bytes(4).data());
      const std::string_view cell =
          size < 0 ? std::string_view() : bytes(static_cast<std::size_t>(size));
      if (field.column == absent) continue;
      RowBatch::Cells& cells = out.columns[field.column];
      if (size < 0) {
        cells.missing.push_back(static_cast<std::uint32_t>(out.rows));
        if (!cells.bits.empty()) cells.bits[out.rows] = 0;
        continue;
      }
      take_cell(field.type, cell, cells, out);
    }
    return true;
  }

  void need(std::string_view cell, std::size_t size) const {
    if (cell.size() != size) fail_bytes();
  }

  void take_cell(unsigned type, std::string_view cell, RowBatch::Cells& cells, RowBatch& out) {
    namespace t = postgres_type;
    const std::size_t row = out.rows;
    const auto whole = [&](std::int64_t value) {
      cells.bits[row] = static_cast<std::uint64_t>(value);
    };
    switch (type) {
      case t::boolean:
        need(cell, 1);
        return whole(cell[0] != 0);
      case t::int2:
        need(cell, 2);
        return whole(big_endian<std::int16_t>(cell.data()));
      case t::int4:
        need(cell, 4);
        return whole(big_endian<std::int32_t>(cell.data()));
      case t::oid:
        need(cell, 4);
        return whole(big_endian<std::uint32_t>(cell.data()));
      case t::int8:
        need(cell, 8);
        return whole(big_endian<std::int64_t>(cell.data()));
      case t::float4:
        need(cell, 4);
        cells.bits[row] = std::bit_cast<std::uint64_t>(
            static_cast<double>(std::bit_cast<float>(big_endian<std::uint32_t>(cell.data()))));
        return;
      case t::float8:
        need(cell, 8);
        cells.bits[row] = big_endian<std::uint64_t>(cell.data());
        return;
      case t::numeric:
        cells.texts[row] = out.keep(numeric_text(cell));
        return;
      case t::date:
        need(cell, 4);
        return take_days(big_endian<std::int32_t>(cell.data()), row, cells);
      case t::timestamp:
      case t::timestamptz:
        need(cell, 8);
        return take_time(big_endian<std::int64_t>(cell.data()), row, cells);
      case t::time:
        need(cell, 8);
        cells.texts[row] = out.keep(clock_text(big_endian<std::int64_t>(cell.data())));
        return;
      case t::uuid:
        cells.texts[row] = out.keep(uuid_text(cell));
        return;
      default:
        cells.texts[row] = cell;
    }
  }

  /// Days since 2000-01-01; the largest and the smallest stand for infinity.
  void take_days(std::int32_t days, std::size_t row, RowBatch::Cells& cells) const {
    std::int64_t us = 0;
    if (__builtin_mul_overflow(std::int64_t{days}, std::int64_t{86'400'000'000}, &us))
      us = INT64_MAX;
    take_time(us, row, cells);
  }

  void take_time(std::int64_t us, std::size_t row, RowBatch::Cells& cells) const {
    std::int64_t t = 0;
    const bool past = us == INT64_MAX || us == INT64_MIN ||
                      __builtin_add_overflow(us, postgres_epoch_us, &t) ||
                      __builtin_mul_overflow(t, std::int64_t{1000}, &t);
    cells.bits[row] = past ? 0 : static_cast<std::uint64_t>(t);
    if (past) cells.out_of_range.push_back(static_cast<std::uint32_t>(row));
  }

  std::string address_, name_, query_;
  PostgresConnection connection_;
  std::vector<Field> fields_;
  std::vector<RowColumn> columns_;
  std::unique_ptr<Stream> stream_;
  char* message_ = nullptr;
  bool copied_ = false;
  std::string_view left_;
  std::string_view text_;
  std::size_t at_ = 0, first_ = 0;
  std::uint64_t row_ = 0;
};

}  // namespace

std::shared_ptr<RowSource> open_postgresql(const std::string& address, const ReadOptions& options) {
  return row_source_of(std::make_shared<PostgresRows>(address, options));
}

}  // namespace zerobeat::detail
