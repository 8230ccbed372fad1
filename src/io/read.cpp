#include <tbb/concurrent_queue.h>
#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <utility>
#include <zerobeat/io/read.hpp>

#include "io/assembly.hpp"
#include "io/column_format.hpp"
#include "io/source_text.hpp"

namespace zerobeat {

namespace {

using namespace detail;

/// Chunks do not depend on the number of threads, so that neither does anything read from them.
constexpr std::size_t usual_chunk_bytes = std::size_t{1} << 17;

/// Where a chunk that would start at `target` starts: after the next newline.
std::size_t chunk_start(std::string_view text, std::size_t target) {
  if (target >= text.size()) return text.size();
  const std::size_t newline = text.find('\n', target - 1);
  return newline == std::string_view::npos ? text.size() : newline + 1;
}

/// One pass over the records. Chunks are read in parallel on the belief that each starts a
/// record; the one before knows where it really ended, and where that differs, the chunk is read
/// again from there.
void read_pass(const SourceText& source, const FoundLayout& found,
               const MissingWords& missing_words, std::size_t chunk_bytes, Assembly& assembly) {
  const std::string_view text = source.text;
  std::size_t next_begin = found.data_begin;
  std::size_t true_end = found.data_begin;

  struct Work {
    std::size_t begin = 0, end = 0;
    Chunk chunk;
  };
  const auto next = [&](Work& work) {
    if (next_begin >= text.size()) return false;
    work.begin = next_begin;
    next_begin = work.end = chunk_start(text, next_begin + chunk_bytes);
    if (work.end - work.begin >= (std::size_t{1} << 32) - 64) {
      fail_input("{}: byte {}: a line of more than 4 GiB can't be read", source.name, work.begin);
    }
    return true;
  };
  const auto parse = [&](Work& work) {
    read_chunk(text, work.begin, work.end, found.layout, missing_words, work.chunk);
  };
  const auto append = [&](Work& work) {
    if (true_end >= work.end) return;  // inside a record that started before
    if (true_end != work.begin) {
      read_chunk(text, true_end, work.end, found.layout, missing_words, work.chunk);
    }
    true_end = work.chunk.end;
    assembly.append(work.chunk);
  };

  const int threads = tbb::this_task_arena::max_concurrency();
  if (threads == 1 || text.size() < 2 * chunk_bytes) {
    for (Work work; next(work);) {
      parse(work);
      append(work);
    }
    return;
  }
  // Chunks that were appended lend their memory to later ones.
  tbb::concurrent_queue<std::shared_ptr<Work>> spare;
  using tbb::filter_mode;
  tbb::parallel_pipeline(
      static_cast<std::size_t>(2 * threads),
      tbb::make_filter<void, std::shared_ptr<Work>>(filter_mode::serial_in_order,
                                                    [&](tbb::flow_control& control) {
                                                      std::shared_ptr<Work> work;
                                                      if (!spare.try_pop(work))
                                                        work = std::make_shared<Work>();
                                                      if (!next(*work)) control.stop();
                                                      return work;
                                                    }) &
          tbb::make_filter<std::shared_ptr<Work>, std::shared_ptr<Work>>(
              filter_mode::parallel,
              [&](std::shared_ptr<Work> work) {
                parse(*work);
                return work;
              }) &
          tbb::make_filter<std::shared_ptr<Work>, void>(filter_mode::serial_in_order,
                                                        [&](std::shared_ptr<Work> work) {
                                                          append(*work);
                                                          spare.push(std::move(work));
                                                        }));
}

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

Records finish(Assembly& assembly, const SourceText& source, const FoundLayout& found,
               const ReadOptions& options) {
  SourceAccount account = std::move(assembly.account);
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
  records.name = source.name == "-" ? "stdin" : std::filesystem::path(source.name).stem().string();
  const auto& also = found.layout.times.also;
  records.time = {
      found.time_name, to_text(found.layout.times.format), also ? to_text(*also) : std::string(),
      options.zone,    axis_of(found.layout.times),        found.layout.time_fault_column};
  const std::size_t rows = assembly.times.size();
  records.times = Column::times(std::move(assembly.times).retyped<Instant>());
  if (found.layout.key_cell) {
    records.key_name = found.names[*found.layout.key_cell];
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
  account.record_length = [delimiter = found.layout.delimiter, quote = found.layout.quote,
                           text = account.text](std::uint64_t byte) {
    return raw_record_length(text, byte, delimiter, quote);
  };
  if (!rejected.empty()) {
    reject_in_account(account, *records.places, rejected, found.layout.time_fault_column);
    drop_rows(records, rejected);
  }

  if (options.untimed) {
    records.untimed = true;
    records.preamble = found.preamble;
  } else {
    records.findings = time_findings(assembly, found);
  }
  records.source = std::make_shared<const SourceAccount>(std::move(account));
  return records;
}

/// Where returns alone end lines, the same text with newlines in their places.
bool ends_lines_with_returns(std::string_view text) {
  constexpr std::size_t looked_at = std::size_t{1} << 20;
  const std::string_view head = text.substr(0, looked_at);
  return head.find('\n') == std::string_view::npos && head.find('\r') != std::string_view::npos;
}

SourceText with_newlines(const SourceText& source) {
  std::string text(source.text);
  std::ranges::replace(text, '\r', '\n');
  return source_of(std::move(text), source.name);
}

Records read_source(SourceText source, const ReadOptions& options) {
  if (ends_lines_with_returns(source.text)) {
    const auto returns = std::ranges::count(source.text, '\r');
    Records records = read_source(with_newlines(source), options);
    records.findings.push_back({"line-ends", static_cast<std::int64_t>(returns), 1,
                                "lines that end in returns alone; they were read so"});
    return records;
  }
  const MissingWords missing_words(options.missing);
  if (options.head_bytes != 0 && source.text.size() > options.head_bytes) {
    source.text = source.text.substr(0, source.text.find('\n', options.head_bytes));
  }
  if (options.bytes_total != nullptr) *options.bytes_total = source.text.size();
  FoundLayout found = find_layout(source, options, missing_words);
  int corrected_format = 0, corrected_order = 0;
  for (;;) {
    Assembly assembly(source, found, options);
    read_pass(source, found, missing_words,
              options.chunk_bytes != 0 ? options.chunk_bytes : usual_chunk_bytes, assembly);

    // The samples that the options show a format or an order for are few; the column decides.
    if (!options.untimed && !options.date_order && corrected_order < 2 &&
        correct_date_order(assembly, found)) {
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
    check_whole(source);
    return finish(assembly, source, found, options);
  }
}

}  // namespace

Source::Source(const std::string& path)
    : path_(path), text_(std::make_shared<const SourceText>(open_source(path))) {}

std::size_t Source::bytes() const {
  return static_cast<const SourceText*>(text_.get())->text.size();
}

Records read_records(const Source& source, const ReadOptions& options) {
  return read_source(*static_cast<const SourceText*>(source.text_.get()), options);
}

Records read_records(const std::string& path, const ReadOptions& options) {
  return read_source(open_source(path), options);
}

Records read_csv(const std::string& path, const ReadOptions& options) {
  ReadOptions csv = options;
  csv.from = InputFormat::csv;
  return read_source(open_source(path), csv);
}

Records read_text(std::string text, const ReadOptions& options, const std::string& name) {
  return read_source(source_of(std::move(text), name), options);
}

}  // namespace zerobeat
