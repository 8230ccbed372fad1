/// Rows with types as the judge sees them: cells that have a text, and columns whose cells need
/// none.

#pragma once

#include <algorithm>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/judge/row_source.hpp"
#include "io/text/cell_table.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class RowCells {
 public:
  /// A row's place is its number in the source less that of the batch's first.
  /// Texts that have to be made are kept in `store`.
  RowCells(const RowSource& source, const RowBatch& batch, std::deque<std::string>& store)
      : source_(source), batch_(batch), store_(store) {
    rows_.resize(batch.rows);
    for (std::size_t i = 0; i < batch.rows; ++i) rows_[i] = static_cast<std::uint32_t>(i);
    texts_.resize(batch.columns.size());
  }

  struct Finder {
    const std::string_view* texts;
    const std::uint32_t* rows;
    std::string_view operator()(std::size_t row) const { return texts[rows[row]]; }
  };

  std::size_t size() const { return rows_.size(); }
  Finder finder(std::size_t cell) {
    return {cell == absent_cell ? nullptr : texts_of(cell).data(), rows_.data()};
  }
  std::string_view text(std::size_t row, std::size_t cell) {
    return cell == absent_cell ? std::string_view() : texts_of(cell)[rows_[row]];
  }
  RawSpan raw_cell(std::size_t row, std::size_t) const { return {rows_[row], 0}; }
  RawSpan raw_record(std::size_t row) const { return {rows_[row], 0}; }
  std::uint64_t line(std::size_t row) const { return rows_[row]; }
  std::uint32_t start(std::size_t row) const { return rows_[row]; }
  void move(std::size_t to, std::size_t from, std::size_t rows) {
    if (to != from) std::memmove(&rows_[to], &rows_[from], rows * sizeof(std::uint32_t));
  }
  void cut(std::size_t rows) { rows_.resize(rows); }

  RowType type(std::size_t cell) const { return source_.columns[cell].type; }
  std::uint64_t bits(std::size_t row, std::size_t cell) const {
    return batch_.columns[cell].bits[rows_[row]];
  }
  bool has_all_rows() const { return rows_.size() == batch_.rows; }
  /// The bits of all rows that are left.
  void copy_bits(std::size_t cell, std::uint64_t* out) const {
    const std::uint64_t* const bits = batch_.columns[cell].bits.data();
    if (has_all_rows()) {
      std::copy_n(bits, rows_.size(), out);
      return;
    }
    for (std::size_t row = 0; row < rows_.size(); ++row) out[row] = bits[rows_[row]];
  }

  /// Calls `each` with the kept rows, by their place now, that are in a list of the batch's.
  template <typename Each>
  void for_each_of(const std::vector<std::uint32_t>& listed, Each&& each) const {
    std::size_t at = 0;
    for (const std::uint32_t row : listed) {
      while (at < rows_.size() && rows_[at] < row) ++at;
      if (at < rows_.size() && rows_[at] == row) each(at);
    }
  }
  const RowBatch::Cells& cells(std::size_t cell) const { return batch_.columns[cell]; }
  std::span<const std::uint32_t> badly_encoded() const { return batch_.badly_encoded; }
  /// What a cell of a mixed column is.
  RowType type_of_cell(std::size_t row, std::size_t cell) const {
    return batch_.columns[cell].types[rows_[row]];
  }
  std::string_view own_text(std::size_t row, std::size_t cell) const {
    return batch_.columns[cell].texts[rows_[row]];
  }

 private:
  /// Made when they are first asked for.
  const std::vector<std::string_view>& texts_of(std::size_t cell) {
    const RowBatch::Cells& column_cells = batch_.columns[cell];
    const RowColumn& column = source_.columns[cell];
    if (column.type == RowType::text) return column_cells.texts;
    const bool mixed = column.type == RowType::mixed;
    std::vector<std::string_view>& texts = texts_[cell];
    if (!texts.empty() || batch_.rows == 0) return texts;
    texts.resize(batch_.rows);
    for (std::size_t row = 0; row < batch_.rows; ++row) {
      if (mixed && column_cells.types[row] == RowType::text) {
        texts[row] = column_cells.texts[row];
      } else {
        texts[row] = store_.emplace_back(cell_text(column, column_cells, row));
      }
    }
    for (const std::uint32_t row : column_cells.missing) texts[row] = {};
    return texts;
  }

  const RowSource& source_;
  const RowBatch& batch_;
  Buffer<std::uint32_t> rows_;
  std::vector<std::vector<std::string_view>> texts_;
  std::deque<std::string>& store_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
