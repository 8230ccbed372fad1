#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <zerobeat/io/write.hpp>

namespace zerobeat {

namespace {

using Text = fmt::memory_buffer;

void append(Text& out, std::string_view text) {
  out.append(text.data(), text.data() + text.size());
}

void append_cell(Text& out, std::string_view text) {
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
  TimeWriter(const WriteOptions& options, const Zone* zone, int needed, Instant origin)
      : form_(options.time_as),
        zone_(zone),
        digits_(digits_of(options.precision, needed)),
        origin_(origin) {
    plain_ = form_.kind == TimeForm::Kind::rfc3339;
  }

  void write(Text& out, Instant t) const {
    if (plain_) {
      char text[longest_instant];
      const char* const end = write_instant(text, t, digits_, zone_);
      out.append(static_cast<const char*>(text), end);
      return;
    }
    std::string text;
    append_time(text, t, form_, digits_, zone_, origin_);
    append_cell(out, text);
  }

 private:
  TimeForm form_;
  const Zone* zone_;
  int digits_ = 0;
  Instant origin_;
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
  CellWriter(const Column& column, const WriteOptions& options, const Zone* zone, Instant origin)
      : column_(column) {
    if (column.type() == Column::Type::time) {
      times_.emplace(options, zone, digits_for(column.times(), column.validity()), origin);
    }
    if (column.type() == Column::Type::text) {
      for (const auto& text : column.dictionary()) cells_.push_back(csv_cell(text));
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
  RowWriter(const Timeline& timeline, const WriteOptions& options)
      : timeline_(timeline),
        times_(options, options.local ? &timeline.zone() : nullptr,
               digits_for(timeline.times(), timeline.time_column().validity()),
               first_time(timeline)) {
    for (const Column& column : timeline.values().columns()) {
      columns_.emplace_back(column, options, options.local ? &timeline.zone() : nullptr,
                            first_time(timeline));
    }
    for (const Strand& strand : timeline.strands()) {
      keys_.push_back(strand.key ? csv_cell(*strand.key) : std::string());
    }
  }

  void write(Text& out, std::size_t begin, std::size_t end) const {
    const auto strands = timeline_.strands();
    auto strand = std::ranges::upper_bound(strands, begin, {}, &Strand::end);
    for (std::size_t row = begin; row < end; ++row) {
      while (row >= strand->end) ++strand;
      times_.write(out, timeline_.times()[row]);
      if (timeline_.has_key()) {
        out.push_back(',');
        append(out, keys_[static_cast<std::size_t>(strand - strands.begin())]);
      }
      for (const CellWriter& column : columns_) {
        out.push_back(',');
        column.write(out, row);
      }
      out.push_back('\n');
    }
  }

 private:
  const Timeline& timeline_;
  TimeWriter times_;
  std::vector<CellWriter> columns_;
  std::vector<std::string> keys_;
};

void check_format(const WriteOptions& options) {
  if (options.to == OutputFormat::jsonl) fail_usage("jsonl can't be written yet; write csv");
}

}  // namespace

std::string csv_cell(std::string_view text) {
  Text out;
  append_cell(out, text);
  return fmt::to_string(out);
}

void write_csv(const Timeline& timeline, Output& output, const WriteOptions& options) {
  check_format(options);
  Text header;
  append_cell(header,
              options.time_as.kind == TimeForm::Kind::elapsed ? "elapsed_s" : timeline.time_name());
  if (timeline.has_key()) {
    header.push_back(',');
    append_cell(header, timeline.key_name());
  }
  for (const auto& name : timeline.values().names()) {
    header.push_back(',');
    append_cell(header, name);
  }
  header.push_back('\n');
  output.write({header.data(), header.size()});

  // Blocks are formatted side by side and written in order, some at a time.
  const RowWriter writer(timeline, options);
  constexpr std::size_t block_rows = 1 << 14, blocks_at_once = 8;
  std::vector<Text> texts(blocks_at_once);
  for (std::size_t from = 0; from < timeline.rows(); from += block_rows * blocks_at_once) {
    tbb::parallel_for(std::size_t{0}, blocks_at_once, [&](std::size_t b) {
      texts[b].clear();
      const std::size_t begin = std::min(timeline.rows(), from + b * block_rows);
      const std::size_t end = std::min(timeline.rows(), begin + block_rows);
      if (begin < end) writer.write(texts[b], begin, end);
    });
    for (const Text& text : texts) output.write({text.data(), text.size()});
  }
}

void write_csv(const Timeline& timeline, const std::string& path, const WriteOptions& options) {
  Output output(path);
  write_csv(timeline, output, options);
  output.commit();
}

void write_csv(const Table& table, Output& output, const WriteOptions& options, const Zone& zone) {
  check_format(options);
  Text out;
  for (std::size_t c = 0; c < table.names().size(); ++c) {
    if (c > 0) out.push_back(',');
    append_cell(out, table.names()[c]);
  }
  out.push_back('\n');
  std::vector<CellWriter> columns;
  for (const Column& column : table.columns()) {
    columns.emplace_back(column, options, options.local ? &zone : nullptr, Instant{});
  }
  for (std::size_t row = 0; row < table.rows(); ++row) {
    for (std::size_t c = 0; c < columns.size(); ++c) {
      if (c > 0) out.push_back(',');
      columns[c].write(out, row);
    }
    out.push_back('\n');
  }
  output.write({out.data(), out.size()});
}

void write_changes(std::span<const ClipChange> changes, Output& output) {
  int digits = 0;
  for (const ClipChange& change : changes) digits = std::max(digits, digits_needed(change.time));
  Text out;
  append(out, "time,key,column,before,after\n");
  for (const ClipChange& change : changes) {
    char text[longest_instant];
    append(out, {text, static_cast<std::size_t>(write_instant(text, change.time, digits) - text)});
    out.push_back(',');
    append_cell(out, change.key.value_or(""));
    out.push_back(',');
    append_cell(out, change.column);
    fmt::format_to(std::back_inserter(out), ",{},", change.before);
    if (change.after) fmt::format_to(std::back_inserter(out), "{}", *change.after);
    out.push_back('\n');
  }
  output.write({out.data(), out.size()});
}

}  // namespace zerobeat
