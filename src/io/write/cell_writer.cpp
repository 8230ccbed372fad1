#include "io/write/cell_writer.hpp"

#include <fmt/format.h>
#include <tbb/concurrent_queue.h>
#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <cstdlib>
#include <memory>
#include <stdexcept>
#include <utility>
#include <zerobeat/base/text.hpp>

#include "base/parallel.hpp"
#include "table/key_column.hpp"

namespace zerobeat::inline v1::detail {

void append_cell(Text& out, std::string_view text, const CellShape& shape) {
  if (!shape.quotes) {
    if (text.find_first_of("\t\r\n") == std::string_view::npos) return append(out, text);
    fail_output("\"{}\" holds a tab or a line's end, which tsv can't; write csv", shown(text));
  }
  if (text.find_first_of(",\"\r\n") == std::string_view::npos) return append(out, text);
  out.push_back('"');
  for (const char c : text) {
    if (c == '"') out.push_back('"');
    out.push_back(c);
  }
  out.push_back('"');
}

double NumberCells::rounded(double number) const {
  if (!std::isfinite(number)) return number;
  return std::strtod(fmt::format("{:.{}e}", number, *digits_ - 1).c_str(), nullptr);
}

char* TimeCells::write_other(char* out, Instant t) const {
  std::string text;
  Text cell;
  if (axis_.is_instants()) {
    append_time(text, t, form_, digits_, zone_, origin_);
    append_cell(cell, text, shape_);
  } else {
    append_elapsed(text, t, *axis_.elapsed);
    append(cell, text);
  }
  if (cell.size() > longest()) throw std::logic_error("a time's text is longer than its form");
  return std::copy(cell.begin(), cell.end(), out);
}

int digits_for(std::span<const Instant> times, const Validity& validity) {
  int digits = 0;
  for (std::size_t i = 0; i < times.size() && digits < 9; ++i) {
    const std::int64_t n = nanoseconds_of(times[i]);
    // Mostly no more than the ones before need.
    if (digits == 3 ? n % 1'000'000 == 0 : digits == 6 ? n % 1'000 == 0 : n % 1'000'000'000 == 0) {
      continue;
    }
    if (validity[i]) digits = std::max(digits, digits_needed(times[i]));
  }
  return digits;
}

void ReadyTexts::add(std::string_view text) {
  texts_.resize(ends_.back());
  texts_ += text;
  ends_.push_back(texts_.size());
  texts_.append(block, ' ');
  longest_ = std::max(longest_, text.size());
}

CellColumn::CellColumn(const Column& column, const WriteOptions& options, const Zone* zone,
                       Instant origin, const CellShape& shape)
    : column_(column), digits_(options.digits) {
  if (column.type() == Column::Type::time) {
    times_.emplace(options, zone, digits_for(column.times(), column.validity()), origin, shape);
    longest_ = times_->longest();
  }
  if (column.type() != Column::Type::text) return;
  for (const auto& text : column.dictionary()) {
    Text cell;
    append_cell(cell, text, shape);
    texts_.add({cell.data(), cell.size()});
  }
  longest_ = texts_.longest();
}

/// The names of a timeline's columns in the order in which they are written.
std::vector<std::string> names_of(const Timeline& timeline, const WriteOptions& options) {
  if (!timeline.axis().is_instants()) {
    const char* const option = options.local                                     ? "‹local›"
                               : options.precision != Precision::automatic       ? "‹precision›"
                               : options.time_as.kind != TimeForm::Kind::rfc3339 ? "‹time_as›"
                                                                                 : nullptr;
    if (option != nullptr) need_instants(timeline.axis(), option);
  }
  std::vector<std::string> names{
      options.time_as.kind == TimeForm::Kind::elapsed ? "elapsed_s" : timeline.time_name()};
  for (const auto& name : timeline.key_names()) names.push_back(name);
  for (const auto& name : timeline.values().names()) names.push_back(name);
  for (std::size_t i = 1; i < names.size(); ++i) {
    if (names[i] == names[0]) {
      fail_usage("two columns would be named \"{}\": the time and another; {}", names[0],
                 names[0] == timeline.time_name() ? "rename one" : "leave out ‹time_as› elapsed");
    }
  }
  return names;
}

std::vector<CellColumn> cells_of(const Table& table, const WriteOptions& options, const Zone& zone,
                                 const CellShape& shape) {
  std::vector<CellColumn> columns;
  columns.reserve(table.columns().size());
  for (const Column& column : table.columns()) {
    columns.emplace_back(column, options, options.local ? &zone : nullptr, Instant{}, shape);
  }
  return columns;
}

/// A timeline as a table: its time and key are columns like the others.
Table table_of(const Timeline& timeline, const WriteOptions& options) {
  const auto names = names_of(timeline, options);
  Table table(timeline.rows());
  table.add(names[0], on_axis(timeline.time_column(), timeline.axis()));
  if (timeline.has_key()) {
    Buffer<std::int32_t> codes(timeline.rows());
    auto words = std::make_shared<Column::Dictionary>();
    for (const Strand& strand : timeline.strands()) {
      std::fill(codes.begin() + strand.begin, codes.begin() + strand.end,
                static_cast<std::int32_t>(words->size()));
      words->push_back(strand.key.value_or(""));
    }
    table.add(timeline.key_name(), Column::text(std::move(codes), std::move(words)));
  }
  for (std::size_t i = 0; i < timeline.values().columns().size(); ++i) {
    table.add(timeline.values().names()[i], timeline.values().columns()[i]);
  }
  return with_own_keys(table);
}

void write_blocks(std::size_t rows, Output& output,
                  const std::function<void(Text&, std::size_t, std::size_t)>& write) {
  constexpr std::size_t block_rows = 1 << 13;
  const auto threads = static_cast<std::size_t>(tbb::this_task_arena::max_concurrency());
  if (threads == 1 || rows <= block_rows) {
    Text text;
    for (std::size_t begin = 0; begin < rows && !output.reader_gone(); begin += block_rows) {
      write(text, begin, std::min(rows, begin + block_rows));
      put(output, text);
      check_stopped();
    }
    return;
  }
  // A text that was put out lends its memory to a later one.
  tbb::concurrent_queue<std::shared_ptr<Text>> spare;
  struct Block {
    std::size_t begin = 0;
    std::shared_ptr<Text> text{};
  };
  using tbb::filter_mode;
  std::size_t next = 0;
  const auto take_next = [&](tbb::flow_control& control) {
    Block block{next};
    if (next >= rows || output.reader_gone()) {
      control.stop();
      return block;
    }
    next += block_rows;
    if (!spare.try_pop(block.text)) block.text = std::make_shared<Text>();
    return block;
  };
  const auto write_one = [&](Block block) {
    write(*block.text, block.begin, std::min(rows, block.begin + block_rows));
    return block;
  };
  const auto put_one = [&](Block block) {
    put(output, *block.text);
    spare.push(std::move(block.text));
  };
  tbb::parallel_pipeline(2 * threads,
                         tbb::make_filter<void, Block>(filter_mode::serial_in_order, take_next) &
                             tbb::make_filter<Block, Block>(filter_mode::parallel, write_one) &
                             tbb::make_filter<Block, void>(filter_mode::serial_in_order, put_one));
  check_stopped();
}

}  // namespace zerobeat::detail
