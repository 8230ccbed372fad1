#include <algorithm>
#include <filesystem>
#include <memory>
#include <utility>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/source_name.hpp>

#include "io/judge/assembly.hpp"
#include "io/judge/column_format.hpp"
#include "io/judge/finished.hpp"
#include "io/judge/pass.hpp"
#include "io/judge/path_columns.hpp"
#include "io/judge/stretches.hpp"
#include "io/source/open_source.hpp"
#include "io/text/cell_table.hpp"

namespace zerobeat::inline v1 {

namespace {

using namespace detail;

/// Of rows with types only the first batch.
std::shared_ptr<RowSource> head_of(std::shared_ptr<RowSource> rows) {
  auto head = std::make_shared<RowSource>(*rows);
  auto had = std::make_shared<bool>(false);
  head->next = [rows, had](RowBatch& batch) {
    if (*had) return batch.clear(rows->columns.size());
    *had = true;
    rows->next(batch);
  };
  head->rewind = [rows, had] {
    *had = false;
    rows->rewind();
  };
  return head;
}

/// Only the beginning of each part of the source, for a look: a later file may have columns that
/// the first has not.
void cut_to_head(OpenSource& source, std::size_t bytes) {
  constexpr std::size_t least = std::size_t{1} << 14;
  const std::size_t share = std::max(least, bytes / source.parts.size());
  for (Part& part : source.parts) {
    if (part.rows) {
      part.rows = head_of(part.rows);
      continue;
    }
    SourceText& text = part.text;
    const std::string_view head = text.until(share + 1);
    if (head.size() <= share) continue;
    const std::size_t newline = head.find('\n', share);
    text.text = newline == std::string_view::npos ? head : head.substr(0, newline);
    text.stream.reset();
    text.mapped = false;
  }
}

/// What is known so far of how a source is read: what its samples said, and each pass after them.
struct Known {
  FurtherNames further{};
  FoundLayout found{};
  int corrected_formats = 0, corrected_orders = 0;
};

/// Whether a pass showed that something was believed wrongly; `known` is mended then, and the
/// records are to be read again.
bool corrected(const Assembly& assembly, const OpenSource& source, const ReadTask& options,
               const MissingWords& missing_words, Known& known) {
  if (assembly.has_further_names() && options.head_bytes == 0) {
    known.further.resize(source.parts.size());
    for (std::size_t i = 0; i < known.further.size(); ++i) {
      const auto& names = assembly.further_names[i];
      known.further[i].insert(names.begin(), names.end());
    }
    known.found = find_layout(source, options, missing_words, known.further);
    return true;
  }
  // The samples that the options show a format or an order for are few; the column decides.
  constexpr int most_corrections = 2;
  FoundLayout& found = known.found;
  if (!options.untimed && !options.date_order && known.corrected_orders < most_corrections &&
      correct_date_order(assembly, found, options.go_on_ambiguous)) {
    ++known.corrected_orders;
    return true;
  }
  const bool one_format = found.format_found && !found.layout.times.also;
  if (!options.untimed && one_format && known.corrected_formats < most_corrections) {
    ++known.corrected_formats;
    if (correct_format(assembly, found, options, missing_words)) return true;
  }
  // What the whole column says of its type holds against what its samples said.
  return assembly.correct_beliefs(found.layout);
}

/// Tells the parts that have rows of which times they are wanted. Once: what is passed over has no
/// say in what a column is believed to be. Strands stand in the order in which they first appear,
/// so that of records with a key none before the last that are wanted can be passed over.
void want_time(const OpenSource& source, const FoundLayout& found, const ReadTask& task) {
  const bool keyed = !task.key.empty();
  for (std::size_t i = keyed ? source.parts.size() - 1 : 0; i < source.parts.size(); ++i) {
    const auto& rows = source.parts[i].rows;
    const auto cells = found.of_part(i).time_cells;
    if (rows && rows->want && cells.size() == 1 && cells[0] != absent_cell) {
      rows->want(cells[0], *task.wanted_time, keyed);
    }
  }
}

Records read_source(OpenSource source, const ReadTask& task) {
  const PathColumns path(source);
  const ReadTask options = path.empty() ? task : path.task_without(task);
  const MissingWords missing_words(options.missing);
  if (options.head_bytes != 0) cut_to_head(source, options.head_bytes);
  Known known;
  known.found = find_layout(source, options, missing_words, known.further);
  if (options.wanted_time) want_time(source, known.found, task);
  for (;;) {
    known.found.layout.lines_only = options.judge_only || options.lines_only;
    Assembly assembly(source, known.found, options);
    run_pass(source, known.found, missing_words, options.chunk_bytes, assembly);
    if (corrected(assembly, source, options, missing_words, known)) continue;
    for (const Part& part : source.parts) check_whole(part.text);
    if (path.empty()) return finished(assembly, source, known.found, options);
    path.join_keys(task, assembly, known.found);
    Records records = finished(assembly, source, known.found, options);
    path.add_to(task, records);
    return records;
  }
}

/// A source so small that stretches would bring nothing: of text, whose size is known.
bool is_small(const OpenSource& source) {
  constexpr std::size_t small = std::size_t{1} << 23;
  std::size_t size = 0;
  for (const Part& part : source.parts) {
    if (part.rows || part.text.stream) return false;
    size += part.text.text.size();
  }
  return size < small;
}

/// The names of the columns that are kept, without rows.
Records head_of_stretches(const OpenSource& source, const FoundLayout& found,
                          const ReadTask& task) {
  Records head = named_records(source, found, task);
  head.values = Table(0);
  for (const ValueColumn& value : found.layout.values) {
    if (value.keep) head.values.add(found.names[value.cell], Column());
  }
  head.source = std::make_shared<const SourceAccount>();
  return head;
}

std::optional<Records> read_source_in_stretches(OpenSource source, const ReadTask& task,
                                                const std::function<TakeRecords()>& begin) {
  if (!PathColumns(source).empty()) return std::nullopt;
  if (task.stretch_rows == 0 && is_small(source)) return std::nullopt;
  const MissingWords missing_words(task.missing);
  Known known;
  known.found = find_layout(source, task, missing_words, known.further);
  if (task.wanted_time) want_time(source, known.found, task);
  std::vector<bool> as_numbers;
  for (;;) {
    known.found.layout.lines_only = true;
    Assembly assembly(source, known.found, task);
    assembly.go_by_stretches(as_numbers);
    Stretching stretching(head_of_stretches(source, known.found, task), task.stretch_rows, begin());
    run_pass(source, known.found, missing_words, task.chunk_bytes, assembly, &stretching);
    if (!stretching.given_up()) stretching.finish(assembly);
    if (stretching.given_up()) {
      if (!stretching.took_for_whole(assembly)) return std::nullopt;
      as_numbers = assembly.with_fractions();
      continue;
    }
    if (corrected(assembly, source, task, missing_words, known)) {
      as_numbers.clear();
      continue;
    }
    for (const Part& part : source.parts) check_whole(part.text);
    Records records = finished(assembly, source, known.found, task);
    records.places = std::make_shared<const Places>();
    return records;
  }
}

}  // namespace

Source::Source(const std::string& path) : path_(path) {
  if (is_connection(path)) return;
  // What comes through a pipe comes once.
  std::error_code ignored;
  const auto about = std::filesystem::status(path, ignored);
  const bool once =
      path == "-" || (std::filesystem::exists(about) && !std::filesystem::is_regular_file(about) &&
                      !std::filesystem::is_directory(about));
  if (once) text_ = std::make_shared<const SourceText>(open_source(path));
}

const void* detail::open_text_of(const Source& source) { return source.text_.get(); }

namespace {

OpenSource opened(const Source& source, const ReadTask& task) {
  return open_parts(source.path(), task, static_cast<const SourceText*>(open_text_of(source)));
}

}  // namespace

Records detail::read_records(const Source& source, const ReadTask& task) {
  return read_source(opened(source, task), task);
}

std::optional<Records> detail::read_in_stretches(const Source& source, const ReadTask& task,
                                                 const std::function<TakeRecords()>& begin) {
  return read_source_in_stretches(opened(source, task), task, begin);
}

Records detail::read_text(std::string text, const ReadTask& task, const std::string& name) {
  return read_source(open_parts(source_of(std::move(text), name), task), task);
}

Records read_records(const Source& source, const ReadOptions& options) {
  return detail::read_records(source, ReadTask(options));
}

Records read_records(const std::string& path, const ReadOptions& options) {
  return read_records(Source(path), options);
}

Records read_csv(const std::string& path, const ReadOptions& options) {
  ReadOptions csv = options;
  csv.from = InputFormat::csv;
  return read_records(path, csv);
}

Records read_text(std::string text, const ReadOptions& options, const std::string& name) {
  return detail::read_text(std::move(text), ReadTask(options), name);
}

FormatName::FormatName(const char* name) : FormatName(std::string(name)) {}
FormatName::FormatName(const std::string& name) { from_text(name, format); }
void from_text(std::string_view text, FormatName& out) { from_text(text, out.format); }
std::string to_text(const FormatName& name) { return to_text(name.format); }

void from_text(std::string_view text, Delimiter& out) {
  if (text == "space") {
    out = Delimiter(' ');
    out.runs = true;
    return;
  }
  char mark = 0;
  from_text(text, mark);
  out = Delimiter(mark);
}

std::string to_text(const Delimiter& delimiter) {
  return delimiter.runs ? "space" : to_text(delimiter.mark);
}

}  // namespace zerobeat
