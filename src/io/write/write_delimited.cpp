#include "io/write/write_delimited.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace zerobeat::inline v1::detail {

namespace {

std::vector<CellWriter> writers_of(const std::vector<CellColumn>& columns) {
  return {columns.begin(), columns.end()};
}

/// The most characters of the cells of a row, and of what stands between and behind them.
std::size_t longest_row(const std::vector<CellColumn>& columns) {
  std::size_t longest = 0;
  for (const CellColumn& column : columns) longest += column.longest() + 1;
  return longest + 1;
}

/// Writes the rows of a timeline.
class RowWriter {
 public:
  RowWriter(const Timeline& timeline, const WriteOptions& options, const CellShape& shape)
      : timeline_(timeline),
        delimiter_(shape.delimiter),
        times_(options, options.local ? &timeline.zone() : nullptr,
               digits_for(timeline.times(), timeline.time_column().validity()),
               origin_of(timeline, options), shape, timeline.axis()) {
    columns_.reserve(timeline.values().columns().size());
    for (const Column& column : timeline.values().columns()) {
      columns_.emplace_back(column, options, options.local ? &timeline.zone() : nullptr,
                            origin_of(timeline, options), shape);
    }
    for (const Strand& strand : timeline.strands()) {
      Text cells;
      const auto parts = key_parts(strand.key.value_or(""));
      for (std::size_t i = 0; i < parts.size(); ++i) {
        if (i > 0) cells.push_back(shape.delimiter);
        append_cell(cells, parts[i], shape);
      }
      keys_.add({cells.data(), cells.size()});
    }
    longest_ = times_.longest() + 1 + keys_.longest() + longest_row(columns_);
  }

  /// Writes rows [begin, end).
  void write(Text& text, std::size_t begin, std::size_t end) const {
    TimeCells times = times_;
    std::vector<CellWriter> columns = writers_of(columns_);
    const auto strands = timeline_.strands();
    auto strand = std::ranges::upper_bound(strands, begin, {}, &Strand::end);
    const bool keyed = timeline_.has_key();
    for (std::size_t row = begin; row < end; ++row) {
      while (row >= strand->end) ++strand;
      char* out = times.write(room_in(text, longest_), timeline_.times()[row]);
      if (keyed) {
        *out++ = delimiter_;
        out = keys_.write(out, static_cast<std::size_t>(strand - strands.begin()));
      }
      for (CellWriter& column : columns) {
        *out++ = delimiter_;
        out = column.write(out, row);
      }
      *out++ = '\n';
      end_at(text, out);
    }
  }

 private:
  const Timeline& timeline_;
  char delimiter_;
  TimeCells times_;
  std::vector<CellColumn> columns_;
  ReadyTexts keys_;
  std::size_t longest_ = 0;
};

void append_header(Text& out, const std::vector<std::string>& names, const CellShape& shape) {
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (i > 0) out.push_back(shape.delimiter);
    append_cell(out, names[i], shape);
  }
  out.push_back('\n');
}

}  // namespace

void write_delimited(const Timeline& timeline, Output& output, const WriteOptions& options,
                     const CellShape& shape) {
  Text header;
  append_header(header, names_of(timeline, options), shape);
  put(output, header);

  const RowWriter writer(timeline, options, shape);
  write_blocks(timeline.rows(), output, [&](Text& text, std::size_t begin, std::size_t end) {
    writer.write(text, begin, end);
  });
}

void write_delimited(const Table& table, Output& output, const WriteOptions& options,
                     const Zone& zone, const CellShape& shape) {
  Text out;
  append_header(out, table.names(), shape);
  const auto columns = cells_of(table, options, zone, shape);
  const std::size_t longest = longest_row(columns);
  put(output, out);
  write_blocks(table.rows(), output, [&](Text& text, std::size_t begin, std::size_t end) {
    std::vector<CellWriter> writers = writers_of(columns);
    for (std::size_t row = begin; row < end; ++row) {
      char* at = room_in(text, longest);
      for (CellWriter& writer : writers) {
        at = writer.write(at, row);
        *at++ = shape.delimiter;
      }
      // Behind the last one the line ends.
      at -= writers.empty() ? 0 : 1;
      *at++ = '\n';
      end_at(text, at);
    }
  });
}

}  // namespace zerobeat::detail
