#include "io/write/write_text.hpp"

#include <fmt/format.h>

#include <zerobeat/base/text.hpp>

#include "base/aligned.hpp"

namespace zerobeat::inline v1::detail {

void write_text(const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
  // Cells with their quotes off: what is shown is not read back.
  constexpr CellShape plain{',', true};
  const auto columns = writers_of(table, options, zone, plain);
  std::vector<std::vector<std::string>> rows{{}};
  for (const auto& name : table.names()) rows[0].push_back(shown(name));
  for (std::size_t row = 0; row < table.rows(); ++row) {
    auto& cells = rows.emplace_back();
    for (std::size_t c = 0; c < columns.size(); ++c) {
      const Column& column = table.columns()[c];
      if (column.type() == Column::Type::text) {
        cells.push_back(column.valid(row) ? shown(column.text(row)) : "");
        continue;
      }
      if ((options.width > 0 || options.digits) && column.type() == Column::Type::number) {
        Text number;
        if (column.valid(row))
          append_number(number, column.numbers()[row], options.digits.value_or(6));
        cells.push_back(fmt::to_string(number));
        continue;
      }
      Text cell;
      columns[c].write(cell, row);
      cells.push_back(fmt::to_string(cell));
    }
  }
  std::vector<bool> right;
  for (const Column& column : table.columns()) right.push_back(column.is_numeric());
  output.write(options.width > 0 ? fitted(rows, right, options.width) : aligned(rows, right));
}

}  // namespace zerobeat::detail
