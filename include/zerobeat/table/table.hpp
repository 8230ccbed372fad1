/// Tables: named columns of one length.

#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/table/column.hpp>

namespace zerobeat {

/// Named columns, in order, with no two names alike. A value; copies share the columns.
class Table {
 public:
  Table() = default;
  explicit Table(std::size_t rows) : rows_(rows) {}

  std::size_t rows() const { return rows_; }
  const std::vector<std::string>& names() const { return names_; }
  const std::vector<Column>& columns() const { return columns_; }

  /// The place of a column, or nullopt.
  std::optional<std::size_t> find(std::string_view name) const;
  /// The column of that name. Throws Error naming the nearest when there is none.
  const Column& column(std::string_view name) const;
  /// The place of the column of that name. Throws Error naming the nearest when there is none.
  std::size_t place(std::string_view name) const;

  /// Adds a column after the others. Throws Error when the name is taken or the length differs.
  void add(std::string name, Column column);
  /// Puts another column of the same length in a place.
  void replace(std::size_t place, Column column);

  /// The names of the numeric columns.
  std::vector<std::string> numeric_names() const;
  /// `on` when it names columns, else all numeric ones. Throws Error when a named one is absent,
  /// or not numeric and `numeric_only`.
  std::vector<std::string> chosen(const std::vector<std::string>& on,
                                  bool numeric_only = true) const;

  /// Every column with row i taken from rows[i]; -1 is missing.
  Table gather(std::span<const std::int64_t> rows) const;
  /// Every column with the rows of these stretches, one after the other.
  Table gather(std::span<const RowStretch> stretches) const;

 private:
  std::size_t rows_ = 0;
  void add_to_index(std::size_t place);

  std::vector<std::string> names_{};
  std::vector<Column> columns_{};
  // Of many columns, where each name stands: place + 1 by the name's hash, open addressing.
  std::vector<std::uint32_t> index_{};
};

}  // namespace zerobeat
