#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <optional>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/write.hpp>

#include "base/aligned.hpp"

namespace zerobeat {

namespace {

using Text = fmt::memory_buffer;

void append(Text& out, std::string_view text) {
  out.append(text.data(), text.data() + text.size());
}

/// How cells are told apart: csv quotes what holds a delimiter, tsv can't.
struct Shape {
  char delimiter = ',';
  bool quotes = true;
};
constexpr Shape csv{}, tsv{'\t', false};

void append_cell(Text& out, std::string_view text, const Shape& shape = csv) {
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

/// Writes times in the form that was asked for.
class TimeWriter {
 public:
  TimeWriter(const WriteOptions& options, const Zone* zone, int needed, Instant origin,
             const Shape& shape, const Axis& axis = {})
      : axis_(axis),
        form_(options.time_as),
        zone_(zone),
        digits_(digits_of(options.precision, needed)),
        origin_(origin),
        shape_(shape) {
    plain_ = form_.kind == TimeForm::Kind::rfc3339;
  }

  void write(Text& out, Instant t) const {
    if (!axis_.is_instants()) {
      std::string text;
      append_elapsed(text, t, *axis_.elapsed);
      return append(out, text);
    }
    if (plain_) {
      char text[longest_instant];
      const char* const end = write_instant(text, t, digits_, zone_);
      out.append(static_cast<const char*>(text), end);
      return;
    }
    std::string text;
    append_time(text, t, form_, digits_, zone_, origin_);
    append_cell(out, text, shape_);
  }

 private:
  Axis axis_;
  TimeForm form_;
  const Zone* zone_;
  int digits_ = 0;
  Instant origin_;
  Shape shape_;
  bool plain_ = true;
};

int digits_for(std::span<const Instant> times, const Validity& validity) {
  int digits = 0;
  for (std::size_t i = 0; i < times.size() && digits < 9; ++i) {
    if (validity[i]) digits = std::max(digits, digits_needed(times[i]));
  }
  return digits;
}

/// Writes the cells of one column.
class CellWriter {
 public:
  CellWriter(const Column& column, const WriteOptions& options, const Zone* zone, Instant origin,
             const Shape& shape)
      : column_(column) {
    if (column.type() == Column::Type::time) {
      times_.emplace(options, zone, digits_for(column.times(), column.validity()), origin, shape);
    }
    if (column.type() == Column::Type::text) {
      for (const auto& text : column.dictionary()) {
        Text cell;
        append_cell(cell, text, shape);
        cells_.push_back(fmt::to_string(cell));
      }
    }
  }

  void write(Text& out, std::size_t row) const {
    if (!column_.valid(row)) return;
    switch (column_.type()) {
      case Column::Type::number:
        if (!std::isnan(column_.numbers()[row])) {
          fmt::format_to(std::back_inserter(out), "{}", column_.numbers()[row]);
        }
        return;
      case Column::Type::integer:
        fmt::format_to(std::back_inserter(out), "{}", column_.integers()[row]);
        return;
      case Column::Type::boolean:
        return append(out, column_.boolean(row) ? "true" : "false");
      case Column::Type::time:
        return times_->write(out, column_.times()[row]);
      case Column::Type::text:
        return append(out, cells_[static_cast<std::size_t>(column_.codes()[row])]);
    }
  }

 private:
  const Column& column_;
  std::optional<TimeWriter> times_;
  std::vector<std::string> cells_;  // of the dictionary, quoted where needed
};

Instant first_time(const Timeline& timeline) {
  return timeline.rows() == 0 ? Instant{} : std::ranges::min(timeline.times());
}

/// Writes rows [begin, end) of a timeline.
class RowWriter {
 public:
  RowWriter(const Timeline& timeline, const WriteOptions& options, const Shape& shape)
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
      Text cell;
      append_cell(cell, strand.key.value_or(""), shape);
      keys_.push_back(fmt::to_string(cell));
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
  Shape shape_;
  TimeWriter times_;
  std::vector<CellWriter> columns_;
  std::vector<std::string> keys_;
};

/// The names of a timeline's columns in the order in which they are written.
std::vector<std::string> names_of(const Timeline& timeline, const WriteOptions& options) {
  if (!timeline.axis().is_instants()) {
    const char* const option = options.local                                     ? "--local"
                               : options.precision != Precision::automatic       ? "--precision"
                               : options.time_as.kind != TimeForm::Kind::rfc3339 ? "--time-as"
                                                                                 : nullptr;
    if (option != nullptr) need_instants(timeline.axis(), option);
  }
  std::vector<std::string> names{
      options.time_as.kind == TimeForm::Kind::elapsed ? "elapsed_s" : timeline.time_name()};
  if (timeline.has_key()) names.push_back(timeline.key_name());
  for (const auto& name : timeline.values().names()) names.push_back(name);
  for (std::size_t i = 1; i < names.size(); ++i) {
    if (names[i] == names[0]) {
      fail_usage("two columns would be named \"{}\": the time and another; {}", names[0],
                 names[0] == timeline.time_name() ? "rename one" : "leave out --time-as elapsed");
    }
  }
  return names;
}

void append_header(Text& out, const std::vector<std::string>& names, const Shape& shape) {
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (i > 0) out.push_back(shape.delimiter);
    append_cell(out, names[i], shape);
  }
  out.push_back('\n');
}

void put(Output& output, Text& text) {
  output.write({text.data(), text.size()});
  text.clear();
}

void write_delimited(const Timeline& timeline, Output& output, const WriteOptions& options,
                     const Shape& shape) {
  Text header;
  append_header(header, names_of(timeline, options), shape);
  put(output, header);

  // Blocks are formatted side by side and written in order, some at a time.
  const RowWriter writer(timeline, options, shape);
  constexpr std::size_t block_rows = 1 << 14, blocks_at_once = 8;
  std::vector<Text> texts(blocks_at_once);
  for (std::size_t from = 0; from < timeline.rows() && !output.reader_gone();
       from += block_rows * blocks_at_once) {
    tbb::parallel_for(std::size_t{0}, blocks_at_once, [&](std::size_t b) {
      const std::size_t begin = std::min(timeline.rows(), from + b * block_rows);
      const std::size_t end = std::min(timeline.rows(), begin + block_rows);
      if (begin < end) writer.write(texts[b], begin, end);
    });
    for (Text& text : texts) put(output, text);
  }
}

std::vector<CellWriter> writers_of(const Table& table, const WriteOptions& options,
                                   const Zone& zone, const Shape& shape) {
  std::vector<CellWriter> columns;
  columns.reserve(table.columns().size());
  for (const Column& column : table.columns()) {
    columns.emplace_back(column, options, options.local ? &zone : nullptr, Instant{}, shape);
  }
  return columns;
}

void write_delimited(const Table& table, Output& output, const WriteOptions& options,
                     const Zone& zone, const Shape& shape) {
  Text out;
  append_header(out, table.names(), shape);
  const auto columns = writers_of(table, options, zone, shape);
  constexpr std::size_t block = 1 << 20;
  for (std::size_t row = 0; row < table.rows() && !output.reader_gone(); ++row) {
    for (std::size_t c = 0; c < columns.size(); ++c) {
      if (c > 0) out.push_back(shape.delimiter);
      columns[c].write(out, row);
    }
    out.push_back('\n');
    if (out.size() > block) put(output, out);
  }
  put(output, out);
}

/// A table for people: columns under one another, numbers to the right. On a terminal numbers have
/// six digits.
void write_text(const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
  // Cells with their quotes off: what is shown is not read back.
  constexpr Shape plain{',', true};
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
      if (options.width > 0 && column.type() == Column::Type::number) {
        cells.push_back(column.valid(row) ? fmt::format("{:.6g}", column.numbers()[row]) : "");
        continue;
      }
      Text cell;
      columns[c].write(cell, row);
      cells.push_back(fmt::to_string(cell));
    }
  }
  std::vector<bool> right;
  for (const Column& column : table.columns()) right.push_back(column.is_numeric());
  output.write(options.width > 0 ? detail::fitted(rows, right, options.width)
                                 : detail::aligned(rows, right));
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
    table.add(names[1], Column::text(std::move(codes), std::move(words)));
  }
  for (std::size_t i = 0; i < timeline.values().columns().size(); ++i) {
    table.add(timeline.values().names()[i], timeline.values().columns()[i]);
  }
  return table;
}

constexpr Sink all_sinks[] = {
    {"csv", ".csv",
     [](const Timeline& timeline, Output& output, const WriteOptions& options) {
       write_delimited(timeline, output, options, csv);
     },
     [](const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
       write_delimited(table, output, options, zone, csv);
     }},
    {"tsv", ".tsv .tab",
     [](const Timeline& timeline, Output& output, const WriteOptions& options) {
       write_delimited(timeline, output, options, tsv);
     },
     [](const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
       write_delimited(table, output, options, zone, tsv);
     }},
    {"text", ".txt",
     [](const Timeline& timeline, Output& output, const WriteOptions& options) {
       write_text(table_of(timeline, options), output, options, timeline.zone());
     },
     write_text},
};

std::string lower_case(std::string text) {
  for (char& c : text) c = c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return text;
}

}  // namespace

std::span<const Sink> sinks() { return all_sinks; }

std::string sink_words() {
  std::string words;
  for (std::size_t i = 0; i < std::size(all_sinks); ++i) {
    words += i == 0 ? "" : i + 1 == std::size(all_sinks) ? " or " : ", ";
    words += all_sinks[i].name;
  }
  return words;
}

const Sink& sink_for(const std::string& path, const WriteOptions& options) {
  if (options.to != "auto") {
    for (const Sink& sink : all_sinks) {
      if (sink.name == options.to) return sink;
    }
    std::vector<std::string> names{"auto"};
    for (const Sink& sink : all_sinks) names.emplace_back(sink.name);
    fail_usage("--to {}: there is no such format{}", shown(options.to),
               did_you_mean(options.to, names));
  }
  namespace fs = std::filesystem;
  const std::string ending = lower_case(fs::path(path).extension().string());
  std::error_code ignored;
  const fs::file_status about = fs::status(path, ignored);
  const bool device = fs::exists(about) && !fs::is_regular_file(about);
  if (path == "-" || ending.empty() || device) return all_sinks[0];
  std::string known;
  for (const Sink& sink : all_sinks) {
    if ((" " + std::string(sink.endings) + " ").find(" " + ending + " ") != std::string::npos) {
      return sink;
    }
    known += (known.empty() ? "" : ", ") + std::string(sink.endings);
  }
  fail_usage("{}: no format has the ending {}; there is {}, or say which it is: --to {}",
             shown(path), shown(ending), known, all_sinks[0].name);
}

std::string csv_cell(std::string_view text) {
  Text out;
  append_cell(out, text);
  return fmt::to_string(out);
}

void write(const Timeline& timeline, Output& output, const std::string& path,
           const WriteOptions& options) {
  sink_for(path, options).timeline(timeline, output, options);
}

void write(const Table& table, Output& output, const std::string& path, const WriteOptions& options,
           const Zone& zone) {
  sink_for(path, options).table(table, output, options, zone);
}

void write(const Timeline& timeline, const std::string& path, const WriteOptions& options) {
  const Sink& sink = sink_for(path, options);
  Output output(path);
  sink.timeline(timeline, output, options);
  output.commit();
}

void write_csv(const Timeline& timeline, Output& output, const WriteOptions& options) {
  write_delimited(timeline, output, options, csv);
}

void write_csv(const Timeline& timeline, const std::string& path, const WriteOptions& options) {
  Output output(path);
  write_csv(timeline, output, options);
  output.commit();
}

void write_csv(const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
  write_delimited(table, output, options, zone, csv);
}

}  // namespace zerobeat
