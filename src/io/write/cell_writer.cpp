#include "io/write/cell_writer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
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

void append_number(Text& out, double number, std::optional<int> digits) {
  if (std::isnan(number)) return;
  if (digits) {
    // Rounded, and then as short as it can be: 12,345.6 to three digits is 12300.
    const std::string rounded = fmt::format("{:.{}e}", number, *digits - 1);
    fmt::format_to(std::back_inserter(out), "{}", std::strtod(rounded.c_str(), nullptr));
  } else {
    fmt::format_to(std::back_inserter(out), "{}", number);
  }
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

std::vector<CellWriter> writers_of(const Table& table, const WriteOptions& options,
                                   const Zone& zone, const CellShape& shape) {
  std::vector<CellWriter> columns;
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
  constexpr std::size_t block_rows = 1 << 14, blocks_at_once = 8;
  std::vector<Text> texts(blocks_at_once);
  for (std::size_t from = 0; from < rows && !output.reader_gone();
       from += block_rows * blocks_at_once) {
    detail::parallel_for(std::size_t{0}, blocks_at_once, [&](std::size_t b) {
      const std::size_t begin = std::min(rows, from + b * block_rows);
      const std::size_t end = std::min(rows, begin + block_rows);
      if (begin < end) write(texts[b], begin, end);
    });
    for (Text& text : texts) put(output, text);
  }
}

}  // namespace zerobeat::detail
