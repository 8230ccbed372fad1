#include "io/parquet/read_parquet.hpp"

#include <fmt/format.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <optional>
#include <utility>
#include <vector>
#include <zerobeat/base/text.hpp>

#include "base/parallel.hpp"
#include "io/parquet/column_reader.hpp"
#include "io/parquet/parquet_columns.hpp"
#include "io/parquet/parquet_file.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// The largest value that a chunk's statistics tell; nothing when they do not.
std::optional<std::uint64_t> largest_of(const parquet::ColumnChunk& chunk) {
  if (!chunk.__isset.meta_data || !chunk.meta_data.__isset.statistics) return std::nullopt;
  const auto& statistics = chunk.meta_data.statistics;
  if (!statistics.__isset.max_value || statistics.max_value.size() != 8) return std::nullopt;
  return little_endian<std::uint64_t>(statistics.max_value.data());
}

class ParquetRows {
 public:
  ParquetRows(const SourceText& text, const ReadOptions& options)
      : text_(text), file_(text_), columns_(columns_of(file_.metadata(), text_.name, options)) {
    std::erase_if(columns_, [](const ParquetColumn& column) { return !column.is_read; });
    for (ParquetColumn& column : columns_) {
      if (column.kind == CellKind::wide_unsigned && is_wide(column)) {
        column.column.type = RowType::text;
      }
    }
    readers_.reserve(columns_.size());
    for (const ParquetColumn& column : columns_) readers_.emplace_back(file_, column);
    badly_encoded_.resize(columns_.size());
  }

  std::vector<RowColumn> columns() const {
    std::vector<RowColumn> columns;
    for (const ParquetColumn& column : columns_) columns.push_back(column.column);
    return columns;
  }

  void rewind() {
    next_group_ = 0;
    rows_left_ = 0;
    began_ = false;
  }

  void next(RowBatch& out) {
    if (!std::exchange(began_, true)) {
      for (ColumnReader& reader : readers_) reader.forget_counts();
    }
    out.clear(columns_.size());
    if (rows_left_ == 0 && !begin_group(out.passed_rows)) return;
    const std::size_t rows = std::min(rows_left_, batch_rows);
    out.rows = rows;
    rows_left_ -= rows;
    const bool ends = rows_left_ == 0;
    // A thread that waits here must not begin work of the pipeline that waits for this batch.
    tbb::this_task_arena::isolate([&] {
      detail::parallel_for(std::size_t{0}, readers_.size(), [&](std::size_t i) {
        if (out.is_wanted(i)) {
          readers_[i].next(rows, out.columns[i], badly_encoded_[i]);
        } else {
          readers_[i].pass(rows);
        }
        if (ends) readers_[i].end();
      });
    });
    for (auto& bad : badly_encoded_) {
      out.badly_encoded.insert(out.badly_encoded.end(), bad.begin(), bad.end());
      bad.clear();
    }
    std::ranges::sort(out.badly_encoded);
    out.badly_encoded.erase(std::unique(out.badly_encoded.begin(), out.badly_encoded.end()),
                            out.badly_encoded.end());
  }

  /// Row groups whose instants all lie outside of `range` are passed over from now on; with
  /// `at_end` those after the last that does not. One that may have missing times is not.
  void want(std::size_t column, const TimeRange& range, bool at_end) {
    if (columns_[column].kind != CellKind::time ||
        columns_[column].column.type != RowType::instant) {
      return;
    }
    time_column_ = column;
    range_ = range;
    first_passed_ = 0;
    if (!at_end) return;
    const auto& groups = file_.metadata().row_groups;
    for (std::size_t group = 0; group < groups.size(); ++group) {
      if (groups[group].num_rows > 0 && !lies_outside(group)) first_passed_ = group + 1;
    }
  }

  std::vector<std::string> notes() const {
    std::vector<std::string> notes;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      const auto& name = columns_[i].column.name;
      if (const std::int64_t count = readers_[i].inexact(); count > 0) {
        notes.push_back(fmt::format(
            "{} decimals of column \"{}\" have more digits than a number holds; the nearest stand "
            "in their place",
            grouped(count), shown(name)));
      }
      if (columns_[i].kind == CellKind::wide_unsigned && columns_[i].column.type == RowType::text) {
        notes.push_back(fmt::format(
            "column \"{}\" is read as text: some of its integers are past 2^63 - 1", shown(name)));
      }
    }
    return notes;
  }

 private:
  /// Goes to the next row group that has rows which are wanted. Returns false at the end.
  bool begin_group(std::size_t& passed_rows) {
    const auto& groups = file_.metadata().row_groups;
    while (next_group_ < groups.size() &&
           (groups[next_group_].num_rows == 0 || lies_outside(next_group_))) {
      passed_rows += static_cast<std::size_t>(groups[next_group_].num_rows);
      ++next_group_;
    }
    if (next_group_ == groups.size()) return false;
    for (ColumnReader& reader : readers_) reader.begin(next_group_);
    rows_left_ = static_cast<std::size_t>(groups[next_group_].num_rows);
    ++next_group_;
    return true;
  }

  /// Whether all times of a row group are others than those that are wanted, as it says itself.
  bool lies_outside(std::size_t place) const {
    if (!range_ || place < first_passed_) return false;
    const parquet::RowGroup& group = file_.metadata().row_groups[place];
    const ParquetColumn& column = columns_[time_column_];
    if (column.leaf >= group.columns.size()) return false;
    const auto& about = group.columns[column.leaf].meta_data;
    if (!about.__isset.statistics) return false;
    const auto& statistics = about.statistics;
    const bool none_missing =
        column.deepest_level == 0 || (statistics.__isset.null_count && statistics.null_count == 0);
    if (!none_missing || statistics.min_value.size() != 8 || statistics.max_value.size() != 8) {
      return false;
    }
    const auto in_nanoseconds = [&](const std::string& bytes, std::int64_t& t) {
      return !__builtin_mul_overflow(little_endian<std::int64_t>(bytes.data()), column.unit, &t);
    };
    std::int64_t least = 0, most = 0;
    if (!in_nanoseconds(statistics.min_value, least) ||
        !in_nanoseconds(statistics.max_value, most) || least > most) {
      return false;
    }
    return instant_of(most) < range_->from || instant_of(least) >= range_->until;
  }

  /// Whether integers without a sign are past the range of those with one. What the statistics do
  /// not tell is read.
  bool is_wide(const ParquetColumn& column) const {
    const auto& groups = file_.metadata().row_groups;
    ColumnReader reader(file_, column);
    for (std::size_t group = 0; group < groups.size(); ++group) {
      if (column.leaf >= groups[group].columns.size()) continue;  // begin() will tell
      const auto largest = largest_of(groups[group].columns[column.leaf]);
      if (largest) {
        if (*largest >> 63 != 0) return true;
        continue;
      }
      reader.begin(group);
      auto left = static_cast<std::size_t>(groups[group].num_rows);
      for (RowBatch::Cells cells; left > 0; cells.clear()) {
        const std::size_t rows = std::min(left, batch_rows);
        std::vector<std::uint32_t> no_rows;
        reader.next(rows, cells, no_rows);
        left -= rows;
        if (std::ranges::any_of(cells.bits, [](std::uint64_t bits) { return bits >> 63 != 0; })) {
          return true;
        }
      }
    }
    return false;
  }

  SourceText text_;
  ParquetFile file_;
  std::vector<ParquetColumn> columns_;  // those that are read
  std::vector<ColumnReader> readers_;
  std::vector<std::vector<std::uint32_t>> badly_encoded_;  // rows of the batch, by column
  std::optional<TimeRange> range_;                         // of the times that are wanted
  std::size_t time_column_ = 0, first_passed_ = 0;
  std::size_t next_group_ = 0, rows_left_ = 0;
  bool began_ = false;
};

}  // namespace

bool begins_as_parquet(std::string_view head) {
  return head.starts_with(parquet_mark) || head.starts_with("PARE");
}

std::shared_ptr<RowSource> open_parquet(const SourceText& text, const ReadOptions& options) {
  auto rows = std::make_shared<ParquetRows>(text, options);
  auto source = row_source_of(rows);
  source->want = [rows](std::size_t column, const TimeRange& range, bool at_end) {
    rows->want(column, range, at_end);
  };
  source->notes = [rows] { return rows->notes(); };
  return source;
}

}  // namespace zerobeat::detail
