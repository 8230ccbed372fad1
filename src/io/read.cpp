#include <tbb/concurrent_queue.h>
#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <utility>
#include <zerobeat/base/text.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/source_name.hpp>
#include <zerobeat/io/write.hpp>

#include "base/names.hpp"
#include "io/judge/assembly.hpp"
#include "io/judge/column_format.hpp"
#include "io/judge/notation.hpp"
#include "io/judge/take_rows.hpp"
#include "io/source/open_source.hpp"

namespace zerobeat {

namespace {

using namespace detail;

/// Chunks do not depend on the number of threads, so that neither does anything read from them.
constexpr std::size_t usual_chunk_bytes = std::size_t{1} << 17;

/// Where a chunk that would start at `target` starts: after the next newline. Of a stream, once
/// that has arrived.
std::size_t chunk_start(const SourceText& source, std::size_t target) {
  std::size_t looked_at = target - 1;
  for (;;) {
    const std::string_view text = source.until(target + 1);
    if (target >= text.size()) return text.size();
    const std::size_t newline = text.find('\n', looked_at);
    if (newline != std::string_view::npos) return newline + 1;
    if (source.is_whole()) return source.all().size();
    looked_at = text.size();
    target = text.size() + (std::size_t{1} << 20);
  }
}

/// A stretch of one part's text on its way through the pipeline, or a batch of its rows.
struct Work {
  std::size_t part = 0;
  std::size_t begin = 0, end = 0;
  bool first = false;  ///< of its part
  RowBatch batch{};
  Chunk chunk{};
};

/// One pass over the records. Chunks are read in parallel on the belief that each starts a
/// record; the one before knows where it really ended, and where that differs, the chunk is read
/// again from there.
class Pass {
 public:
  Pass(const OpenSource& source, const FoundLayout& found, const MissingWords& missing_words,
       std::size_t chunk_bytes, Assembly& assembly)
      : source_(source),
        found_(found),
        missing_words_(missing_words),
        chunk_bytes_(chunk_bytes),
        assembly_(assembly) {
    for (std::size_t i = 0; i < source.parts.size(); ++i) layouts_.push_back(found.of_part(i));
  }

  void run() {
    run_all();
    assembly_.take_texts();
  }

 private:
  void run_all() {
    const int threads = tbb::this_task_arena::max_concurrency();
    if (threads == 1 || is_small()) {
      for (Work work; next(work);) {
        parse(work);
        append(work);
      }
      return;
    }
    // Chunks that were appended lend their memory to later ones.
    tbb::concurrent_queue<std::shared_ptr<Work>> spare;
    using tbb::filter_mode;
    const auto take_next = [&](tbb::flow_control& control) {
      std::shared_ptr<Work> work;
      if (!spare.try_pop(work)) work = std::make_shared<Work>();
      if (!next(*work)) control.stop();
      return work;
    };
    const auto parse_one = [&](std::shared_ptr<Work> work) {
      parse(*work);
      return work;
    };
    const auto append_one = [&](std::shared_ptr<Work> work) {
      append(*work);
      spare.push(std::move(work));
    };
    tbb::parallel_pipeline(
        static_cast<std::size_t>(2 * threads),
        tbb::make_filter<void, std::shared_ptr<Work>>(filter_mode::serial_in_order, take_next) &
            tbb::make_filter<std::shared_ptr<Work>, std::shared_ptr<Work>>(filter_mode::parallel,
                                                                           parse_one) &
            tbb::make_filter<std::shared_ptr<Work>, void>(filter_mode::serial_in_order,
                                                          append_one));
  }

  bool is_small() const {
    const Part& part = source_.parts[0];
    return source_.parts.size() == 1 && !part.rows && !part.text.stream &&
           part.text.text.size() < 2 * chunk_bytes_;
  }

  /// The next stretch. Each part begins one, for its lines count from its own first.
  bool next(Work& work) {
    for (;;) {
      if (next_part_ == source_.parts.size()) return false;
      const Part& part = source_.parts[next_part_];
      work.part = next_part_;
      work.first = next_is_first_;
      if (part.rows) {
        work.batch.passed_over = passed_over(next_part_);
        part.rows->next(work.batch);
        work.begin = next_begin_;
        work.end = next_begin_ += work.batch.rows;
        if (work.batch.rows == 0) {
          part.rows->rewind();
          begin_next_part();
          continue;
        }
        next_is_first_ = false;
        return true;
      }
      if (next_is_first_) next_begin_ = found_.parts[next_part_].shape.data_begin;
      if (part.text.until(next_begin_ + 1).size() <= next_begin_) {
        begin_next_part();
        continue;
      }
      work.begin = next_begin_;
      next_begin_ = work.end = chunk_start(part.text, next_begin_ + chunk_bytes_);
      next_is_first_ = false;
      if (work.end - work.begin >= (std::size_t{1} << 32) - 64) {
        fail_input("{}: byte {}: a line of more than 4 GiB can't be read", part.name, work.begin);
      }
      return true;
    }
  }

  /// The columns of a part's rows that are not looked at.
  std::vector<bool> passed_over(std::size_t part) const {
    const auto& columns = source_.parts[part].rows->columns;
    const Layout& layout = layouts_[part];
    std::vector<bool> unwanted(columns.size());
    for (const ValueColumn& value : layout.values) {
      if (value.cell == absent_cell) continue;
      unwanted[value.cell] = is_passed_over(layout, value, columns[value.cell].type);
    }
    for (const auto* cells : {&layout.time_cells, &layout.key_cells}) {
      for (const std::size_t cell : *cells) {
        if (cell != absent_cell) unwanted[cell] = false;
      }
    }
    return unwanted;
  }

  void begin_next_part() {
    ++next_part_;
    next_begin_ = 0;
    next_is_first_ = true;
  }

  void parse(Work& work) const {
    const Part& part = source_.parts[work.part];
    if (part.rows) {
      judge_rows(*part.rows, work.batch, work.begin, layouts_[work.part], missing_words_,
                 work.chunk);
    } else {
      read(work, work.begin, work.end);
    }
  }

  void read(Work& work, std::size_t begin, std::size_t until) const {
    const SourceText& text = source_.parts[work.part].text;
    const std::string_view arrived = text.until(until);
    // A stream that is whole by now may not have been when its text was taken.
    const bool is_whole = text.is_whole() && arrived.size() == text.all().size();
    read_chunk(arrived, is_whole, begin, work.end, layouts_[work.part], missing_words_, work.chunk);
  }

  void append(Work& work) {
    const FoundPart& found = found_.parts[work.part];
    if (work.first) {
      assembly_.begin_part(work.part, found.shape.data_line, found.shape.data_begin);
      true_end_ = work.begin;
    }
    if (source_.parts[work.part].rows) return assembly_.append(work.chunk);
    if (true_end_ >= work.end) return;  // inside a record that started before
    if (true_end_ != work.begin) read(work, true_end_, work.end);
    // A record that reaches past what had arrived is read again with more.
    for (std::size_t ahead = chunk_bytes_; work.chunk.cut; ahead *= 2) {
      read(work, true_end_, work.end + ahead);
    }
    true_end_ = work.chunk.end;
    assembly_.append(work.chunk);
  }

  const OpenSource& source_;
  const FoundLayout& found_;
  const MissingWords& missing_words_;
  std::size_t chunk_bytes_;
  Assembly& assembly_;
  std::vector<Layout> layouts_;
  std::size_t next_part_ = 0;
  std::size_t next_begin_ = 0;
  bool next_is_first_ = true;
  std::size_t true_end_ = 0;
};

/// Which record of a repeated hour is the later one is told by the one step back among them:
/// where the clocks went back, and only there, a strand's local times do. With no step back, or
/// with several, the order does not decide. Returns, for each undecided record, whether it is
/// the later one, or nullopt.
std::vector<std::optional<bool>> decide_by_order(const Assembly& assembly, const Zone& zone) {
  std::vector<std::optional<bool>> later(assembly.undecided.size());
  std::map<std::pair<std::int32_t, std::int64_t>, std::vector<std::size_t>> groups;
  const auto time_of = [&](std::size_t i) { return assembly.times[assembly.undecided[i].row]; };
  for (std::size_t i = 0; i < assembly.undecided.size(); ++i) {
    const std::int32_t key = assembly.keys.empty() ? 0 : assembly.keys[assembly.undecided[i].row];
    const auto local = zone.local_of(instant_of(time_of(i)));
    const auto stretch = zone.stretch(std::chrono::floor<std::chrono::seconds>(local));
    groups[{key, stretch.from.time_since_epoch().count()}].push_back(i);
  }
  for (const auto& [id, members] : groups) {
    std::size_t steps_back = 0, first_later = 0;
    for (std::size_t n = 1; n < members.size(); ++n) {
      if (time_of(members[n]) < time_of(members[n - 1])) {
        ++steps_back;
        first_later = n;
      }
    }
    if (steps_back != 1) continue;
    for (std::size_t n = 0; n < members.size(); ++n) later[members[n]] = n >= first_later;
  }
  return later;
}

/// Takes rejected rows out of finished records.
void drop_rows(Records& records, const std::map<std::int64_t, Reason>& rejected) {
  std::vector<std::int64_t> kept;
  kept.reserve(records.size());
  for (std::size_t row = 0; row < records.size(); ++row) {
    if (!rejected.contains(static_cast<std::int64_t>(row))) {
      kept.push_back(static_cast<std::int64_t>(row));
    }
  }
  records.times = records.times.gather(kept);
  if (records.keys) records.keys = records.keys->gather(kept);
  records.values = records.values.gather(kept);
  records.places = std::make_shared<const Places>(records.places->kept(kept));
}

Axis axis_of(const TimestampOptions& times) {
  if (times.format.kind != TimeFormat::Kind::elapsed) return {};
  return {times.format.unit};
}

/// The raw text of rows and their cells, read again.
class RowTexts {
 public:
  RowTexts(std::shared_ptr<RowSource> rows, std::vector<std::string> names)
      : rows_(std::move(rows)), names_(std::move(names)) {}

  std::string text(std::uint64_t row, const std::string& column) {
    if (row < first_) begin();
    while (row >= first_ + batch_.rows) {
      first_ += batch_.rows;
      rows_->next(batch_);
      if (batch_.rows == 0) return {};
    }
    const auto own = static_cast<std::size_t>(row - first_);
    std::string all;
    for (std::size_t i = 0; i < names_.size(); ++i) {
      const std::string cell = cell_text(rows_->columns[i], batch_.columns[i], own);
      if (names_[i] == column) return cell;
      all += (i > 0 ? "," : "") + csv_cell(cell);
    }
    return all;
  }

 private:
  void begin() {
    rows_->rewind();
    first_ = 0;
    batch_.rows = 0;
  }

  std::shared_ptr<RowSource> rows_;
  std::vector<std::string> names_;
  RowBatch batch_;
  std::uint64_t first_ = static_cast<std::uint64_t>(-1);
};

/// Says where the raw text of records and rows is found.
void tell_raw_texts(SourceAccount& account, const OpenSource& source, const FoundLayout& found) {
  for (std::size_t i = 0; i < account.parts.size(); ++i) {
    SourcePart& source_part = account.parts[i];
    const Shape& shape = found.parts[i].shape;
    if (source.parts[i].rows) {
      auto texts = std::make_shared<RowTexts>(source.parts[i].rows, shape.names);
      source_part.row_text = [texts, columns = account.columns](std::uint64_t row,
                                                                std::int32_t column) {
        return texts->text(row, column < 0 ? "" : columns[static_cast<std::size_t>(column)]);
      };
      continue;
    }
    source_part.record_length = [text = source_part.text, named = shape.form.named,
                                 delimiter = shape.delimiter, quote = shape.quote,
                                 runs = shape.runs](std::uint64_t byte) -> std::uint64_t {
      if (!named) return raw_record_length(text, byte, delimiter, quote, runs);
      const std::string_view rest = text.substr(byte);
      return without_return(rest.substr(0, rest.find('\n'))).size();
    };
  }
}

/// Columns of texts that are nearly all numbers, or would be with other options.
std::vector<Finding> numeric_findings(const Assembly& assembly, const FoundLayout& found) {
  std::vector<Finding> findings;
  for (std::size_t i = 0; i < found.layout.values.size(); ++i) {
    const ValueColumn& value = found.layout.values[i];
    const WholeColumn& column = assembly.column(i);
    const std::int64_t others = column.filled_cells - column.numeric_cells;
    const std::string& name = found.names[value.cell];
    if (value.told == ValueColumn::Told::text_for_zeros) {
      findings.push_back(value.zeros);
      findings.back().message = fmt::format(
          "whole numbers of {} that begin with a 0, which a number would lose; it is read as text; "
          "to read it as numbers: --number {}",
          name, detail::quoted_where_needed(name, ",()"));
      continue;
    }
    if (value.numeric || value.known != ValueColumn::Known::nothing || column.others.empty() ||
        value.told != ValueColumn::Told::nothing) {
      continue;
    }
    const std::string example = shown(column.others[0]);
    const auto options = notation_of(column.others, found.layout.numbers);
    const bool nearly = column.numeric_cells * 2 >= column.filled_cells;
    if (!options && !nearly) continue;
    std::string message;
    if (options) {
      message = fmt::format(
          "cells of {} that are numbers in another notation, like \"{}\"; it is "
          "read as text; to read it as numbers: {}",
          name, example, *options);
    } else {
      message = fmt::format(
          "of {} cells of {} that are no numbers, like \"{}\"; it is read as "
          "text; what stands for missing is named with --missing",
          grouped(column.filled_cells), name, example);
    }
    const auto row = static_cast<std::size_t>(std::max<std::int64_t>(0, column.first_other));
    const bool known = row < assembly.places.size();
    const auto& parts = assembly.account.parts;
    findings.push_back(
        {"nearly-numeric", others, known ? assembly.places.line(row) : 0, std::move(message),
         known && parts.size() > 1 ? assembly.account.part_of(assembly.places.byte(row)).name
                                   : ""});
  }
  return findings;
}

/// A line of units under the header, which has no time and no number: it is rejected, and told.
std::vector<Finding> units_findings(const SourceAccount& account, const FoundLayout& found) {
  std::vector<Finding> findings;
  for (const Fault& fault : account.faults) {
    const std::size_t part = fault.byte / part_bytes;
    const Shape& shape = found.parts[part].shape;
    const bool under_header = fault.line == shape.data_line && shape.header_line < shape.data_line;
    if (!under_header || fault.reason != Reason::unreadable_time) continue;
    const std::string text = account.text_of(fault);
    const auto digits = std::ranges::count_if(text, [](char c) { return c >= '0' && c <= '9'; });
    if (digits * 4 > static_cast<std::ptrdiff_t>(text.size())) continue;
    findings.push_back(
        {"preamble", 1, fault.line,
         fmt::format(
             "line under the header that holds no record but units, it seems: \"{}\"; it is "
             "rejected; --tolerate 1 goes on all the same",
             shown(text)),
         account.parts.size() > 1 ? account.parts[part].name : ""});
  }
  return findings;
}

Records finish(Assembly& assembly, const OpenSource& source, const FoundLayout& found,
               const ReadOptions& options) {
  const auto numeric = numeric_findings(assembly, found);
  SourceAccount account = std::move(assembly.account);
  // Nobody should take such a column for text without being told.
  for (const Finding& finding : numeric) {
    account.notes.push_back(fmt::format("{} {}", grouped(finding.count), finding.message));
  }
  std::map<std::int64_t, Reason> rejected;
  const auto later = decide_by_order(assembly, options.zone);
  for (std::size_t i = 0; i < later.size(); ++i) {
    const auto [row, later_by] = assembly.undecided[i];
    if (!later[i]) {
      rejected[static_cast<std::int64_t>(row)] = Reason::repeated_time;
      continue;
    }
    std::int64_t& time = assembly.times[row];
    if (*later[i]) time += later_by.count();
    const auto& times = found.layout.times;
    const bool early = times.not_before && instant_of(time) < *times.not_before;
    const bool late = times.not_after && instant_of(time) > *times.not_after;
    if (early || late) rejected[static_cast<std::int64_t>(row)] = Reason::out_of_range_time;
  }

  Records records;
  records.name = source_stem(source.name);
  const auto& also = found.layout.times.also;
  records.time = {
      found.time_name, to_text(found.layout.times.format), also ? to_text(*also) : std::string(),
      options.zone,    axis_of(found.layout.times),        found.layout.time_fault_column};
  const std::size_t rows = assembly.times.size();
  records.times = Column::times(std::move(assembly.times).retyped<Instant>());
  if (!found.layout.key_cells.empty()) {
    records.key_name = found.key_name;
    records.keys =
        Column::text(std::move(assembly.keys),
                     std::make_shared<const Column::Dictionary>(assembly.key_texts.take_texts()));
  }
  records.values = Table(rows);
  for (std::size_t i = 0; i < found.layout.values.size(); ++i) {
    if (options.judge_only) {
      records.seen.push_back(assembly.take_seen(i, found.names[found.layout.values[i].cell], rows));
    }
    if (!found.layout.values[i].keep) continue;
    records.values.add(found.names[found.layout.values[i].cell], assembly.take_column(i));
  }
  records.places = std::make_shared<const Places>(std::move(assembly.places));
  account.rejected = account.records - account.kept;
  tell_raw_texts(account, source, found);
  if (!rejected.empty()) {
    reject_in_account(account, *records.places, rejected, found.layout.time_fault_column);
    drop_rows(records, rejected);
  }

  if (options.untimed) {
    records.untimed = true;
    records.preamble = found.parts[0].shape.preamble;
  } else {
    records.findings = time_findings(assembly, found);
  }
  records.findings.insert(records.findings.end(), numeric.begin(), numeric.end());
  const auto units = units_findings(account, found);
  records.findings.insert(records.findings.end(), units.begin(), units.end());
  records.findings.insert(records.findings.end(), found.findings.begin(), found.findings.end());
  records.source = std::make_shared<const SourceAccount>(std::move(account));
  return records;
}

/// Only the first part of the source, for a look.
void cut_to_head(OpenSource& source, std::size_t bytes) {
  source.parts.resize(1);
  SourceText& text = source.parts[0].text;
  if (const auto rows = source.parts[0].rows) {
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
    source.parts[0].rows = std::move(head);
    return;
  }
  const std::string_view head = text.until(bytes + 1);
  if (head.size() <= bytes) return;
  const std::size_t newline = head.find('\n', bytes);
  text.text = newline == std::string_view::npos ? head : head.substr(0, newline);
  text.stream.reset();
  text.mapped = false;
}

Records read_source(OpenSource source, const ReadOptions& options) {
  const MissingWords missing_words(options.missing);
  if (options.head_bytes != 0) cut_to_head(source, options.head_bytes);
  if (options.bytes_read != nullptr) *options.bytes_read = 0;
  if (options.bytes_total != nullptr) {
    std::size_t total = 0;
    for (const Part& part : source.parts) total += part.text.text.size();
    *options.bytes_total = total;
  }
  FurtherNames further;
  FoundLayout found = find_layout(source, options, missing_words, further);
  int corrected_format = 0, corrected_order = 0;
  for (;;) {
    Assembly assembly(source, found, options);
    Pass(source, found, missing_words,
         options.chunk_bytes != 0 ? options.chunk_bytes : usual_chunk_bytes, assembly)
        .run();

    if (assembly.has_further_names() && options.head_bytes == 0) {
      further.resize(source.parts.size());
      for (std::size_t i = 0; i < further.size(); ++i) {
        further[i].merge(assembly.further_names[i]);
      }
      found = find_layout(source, options, missing_words, further);
      continue;
    }
    // The samples that the options show a format or an order for are few; the column decides.
    if (!options.untimed && !options.date_order && corrected_order < 2 &&
        correct_date_order(assembly, found, options.go_on_ambiguous)) {
      ++corrected_order;
      continue;
    }
    if (!options.untimed && found.format_found && corrected_format < 2 &&
        !found.layout.times.also) {
      ++corrected_format;
      if (correct_format(assembly, found, options, missing_words)) continue;
    }
    // What the whole column says of its type holds against what its samples said.
    if (assembly.correct_beliefs(found.layout)) continue;
    for (const Part& part : source.parts) check_whole(part.text);
    return finish(assembly, source, found, options);
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

Records read_records(const Source& source, const ReadOptions& options) {
  const auto* const text = static_cast<const SourceText*>(source.text_.get());
  return read_source(open_parts(source.path_, options, text), options);
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
  return read_source(open_parts(source_of(std::move(text), name), options), options);
}

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
