#include "io/write/write_text.hpp"

#include <fmt/format.h>

#include <zerobeat/base/text.hpp>

#include "base/aligned.hpp"

namespace zerobeat::inline v1::detail {

void write_text(const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
  // Cells with their quotes off: what is shown is not read back.
  constexpr CellShape plain{',', true};
  const auto columns = cells_of(table, options, zone, plain);
  std::vector<CellWriter> writers(columns.begin(), columns.end());
  NumberCells numbers(options.digits.value_or(6));
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
        char number[longest_number];
        const char* const end =
            column.valid(row) ? numbers.write(number, column.numbers()[row]) : number;
        cells.emplace_back(static_cast<const char*>(number), end);
        continue;
      }
      std::string cell(columns[c].longest(), '\0');
      cell.resize(static_cast<std::size_t>(writers[c].write(cell.data(), row) - cell.data()));
      cells.push_back(std::move(cell));
    }
  }
  std::vector<bool> right;
  for (const Column& column : table.columns()) right.push_back(column.is_numeric());
  output.write(options.width > 0 ? fitted(rows, right, options.width) : aligned(rows, right));
}

}  // namespace zerobeat::detail
