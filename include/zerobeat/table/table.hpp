/// Tables: named columns of one length.

#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/column.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Named columns, in order, with no two names alike. A value; copies share the columns, and what
/// was moved from is empty. Threads may read one at the same time; what it gives references to
/// lives as long as it does; of a table that nobody keeps it gives copies.
class Table {
 public:
  Table() = default;
  explicit Table(std::size_t rows) : rows_(rows) {}
  Table(const Table&) = default;
  Table& operator=(const Table&) = default;
  Table(Table&& other) noexcept
      : rows_(std::exchange(other.rows_, 0)),
        names_(std::exchange(other.names_, {})),
        columns_(std::exchange(other.columns_, {})),
        index_(std::exchange(other.index_, {})) {}
  Table& operator=(Table&& other) noexcept {
    rows_ = std::exchange(other.rows_, 0);
    names_ = std::exchange(other.names_, {});
    columns_ = std::exchange(other.columns_, {});
    index_ = std::exchange(other.index_, {});
    return *this;
  }
  ~Table() = default;

  [[nodiscard]] std::size_t rows() const { return rows_; }
  [[nodiscard]] const std::vector<std::string>& names() const& { return names_; }
  [[nodiscard]] const std::vector<Column>& columns() const& { return columns_; }
  [[nodiscard]] std::vector<std::string> names() const&& { return names_; }
  [[nodiscard]] std::vector<Column> columns() const&& { return columns_; }

  /// The place of a column, or nullopt.
  [[nodiscard]] std::optional<std::size_t> find(std::string_view name) const;
  /// The column of that name. Throws Error naming the nearest when there is none.
  [[nodiscard]] const Column& column(std::string_view name) const&;
  /// Of a table that nobody keeps, a copy, which shares the readings.
  [[nodiscard]] Column column(std::string_view name) const&& { return column(name); }
  /// The place of the column of that name. Throws Error naming the nearest when there is none.
  [[nodiscard]] std::size_t place(std::string_view name) const;

  /// Adds a column after the others. Throws Error when the name is taken or the length differs.
  void add(std::string name, Column column);
  /// Puts another column of the same length in a place.
  void replace(std::size_t place, Column column);

  /// The names of the numeric columns.
  [[nodiscard]] std::vector<std::string> numeric_names() const;
  /// `on` when it names columns, else all numeric ones. Throws Error when a named one is absent,
  /// or not numeric and `numeric_only`.
  std::vector<std::string> chosen(const std::vector<std::string>& on,
                                  bool numeric_only = true) const;

  /// Every column with row i taken from rows[i]; -1 is missing.
  [[nodiscard]] Table gather(std::span<const std::int64_t> rows) const;
  /// Every column with the rows of these stretches, one after the other.
  [[nodiscard]] Table gather(std::span<const RowStretch> stretches) const;

 private:
  std::size_t rows_ = 0;
  void add_to_index(std::size_t place);

  std::vector<std::string> names_{};
  std::vector<Column> columns_{};
  // Of many columns, where each name stands: place + 1 by the name's hash, open addressing.
  std::vector<std::uint32_t> index_{};
};

}  // namespace v1
}  // namespace zerobeat
