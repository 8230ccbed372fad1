#include "io/write/write_delimited.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace zerobeat::inline v1::detail {

namespace {

/// Writes rows [begin, end) of a timeline.
class RowWriter {
 public:
  RowWriter(const Timeline& timeline, const WriteOptions& options, const CellShape& shape)
      : timeline_(timeline),
        shape_(shape),
        times_(options, options.local ? &timeline.zone() : nullptr,
               digits_for(timeline.times(), timeline.time_column().validity()),
               first_time(timeline), shape, timeline.axis()) {
    for (const Column& column : timeline.values().columns()) {
      columns_.emplace_back(column, options, options.local ? &timeline.zone() : nullptr,
                            first_time(timeline), shape);
    }
    for (const Strand& strand : timeline.strands()) {
      Text cells;
      const auto parts = key_parts(strand.key.value_or(""));
      for (std::size_t i = 0; i < parts.size(); ++i) {
        if (i > 0) cells.push_back(shape.delimiter);
        append_cell(cells, parts[i], shape);
      }
      keys_.push_back(fmt::to_string(cells));
    }
  }

  void write(Text& out, std::size_t begin, std::size_t end) const {
    const auto strands = timeline_.strands();
    auto strand = std::ranges::upper_bound(strands, begin, {}, &Strand::end);
    for (std::size_t row = begin; row < end; ++row) {
      while (row >= strand->end) ++strand;
      times_.write(out, timeline_.times()[row]);
      if (timeline_.has_key()) {
        out.push_back(shape_.delimiter);
        append(out, keys_[static_cast<std::size_t>(strand - strands.begin())]);
      }
      for (const CellWriter& column : columns_) {
        out.push_back(shape_.delimiter);
        column.write(out, row);
      }
      out.push_back('\n');
    }
  }

 private:
  const Timeline& timeline_;
  CellShape shape_;
  TimeWriter times_;
  std::vector<CellWriter> columns_;
  std::vector<std::string> keys_;
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
  const auto columns = writers_of(table, options, zone, shape);
  put(output, out);
  write_blocks(table.rows(), output, [&](Text& text, std::size_t begin, std::size_t end) {
    for (std::size_t row = begin; row < end; ++row) {
      for (std::size_t c = 0; c < columns.size(); ++c) {
        if (c > 0) text.push_back(shape.delimiter);
        columns[c].write(text, row);
      }
      text.push_back('\n');
    }
  });
}

}  // namespace zerobeat::detail
