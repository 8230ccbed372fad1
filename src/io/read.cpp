#include <sys/mman.h>
#include <tbb/concurrent_queue.h>
#include <tbb/parallel_pipeline.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <bit>
#include <filesystem>
#include <map>
#include <utility>
#include <zerobeat/io/read.hpp>

#include "io/chunk.hpp"
#include "io/layout.hpp"
#include "io/source_text.hpp"

namespace zerobeat {

namespace {

using namespace detail;

/// Chunks do not depend on the number of threads, so that neither does anything read from them.
constexpr std::size_t chunk_bytes = std::size_t{1} << 19;

/// A validity bitmap that grows at its end; none until something is missing.
class GrowingValidity {
 public:
  void append(std::size_t rows, std::span<const std::uint32_t> missing) {
    if (!missing.empty() || !bits_.empty()) {
      const std::size_t words = (size_ + rows + 63) / 64;
      while (bits_.size() < words) bits_.push_back(~std::uint64_t{0});
      for (const std::uint32_t row : missing) {
        const std::size_t at = size_ + row;
        bits_[at / 64] &= ~(std::uint64_t{1} << (at % 64));
      }
    }
    size_ += rows;
  }

  Validity take() { return bits_.empty() ? Validity() : Validity(std::move(bits_), size_); }

 private:
  Buffer<std::uint64_t> bits_;
  std::size_t size_ = 0;
};

/// One value column as it is put together from the chunks.
struct WholeColumn {
  Buffer<std::uint64_t> numbers;
  bool whole = true;
  Buffer<std::int32_t> codes;
  Interner<std::string> texts;
  GrowingValidity validity;
  std::int64_t filled_cells = 0;
  std::int64_t numeric_cells = 0;
};

std::uint64_t as_double_bits(std::uint64_t integer_bits) {
  return std::bit_cast<std::uint64_t>(
      static_cast<double>(std::bit_cast<std::int64_t>(integer_bits)));
}

/// Appends codes of a chunk's texts as codes of the whole's.
void append_codes(const Interner<std::string_view>& texts, const Buffer<std::int32_t>& codes,
                  Interner<std::string>& whole_texts, Buffer<std::int32_t>& whole_codes) {
  std::vector<std::int32_t> number;
  number.reserve(texts.texts().size() + 1);
  for (const auto text : texts.texts()) number.push_back(whole_texts.number_of(text));
  if (number.empty()) number.push_back(0);
  const std::size_t from = whole_codes.size();
  whole_codes.resize(from + codes.size());
  for (std::size_t i = 0; i < codes.size(); ++i) {
    whole_codes[from + i] = number[static_cast<std::size_t>(codes[i])];
  }
}

/// All chunks of one pass, put together in order.
class Assembly {
 public:
  Assembly(const SourceText& source, const FoundLayout& found, const ReadOptions& options)
      : source_(source), layout_(found.layout), options_(options), line_(found.data_line) {
    columns_.resize(layout_.values.size());
    account.source = source.name;
    account.columns = found.fault_columns;
    account.owner = source.owner;
    account.text = source.text;
  }

  void append(Chunk& chunk) {
    if (account.records == 0) reserve(chunk);
    const std::uint64_t first_row = times.size();
    for (Places::Run& run : chunk.runs) run.line += line_;
    places.add(chunk.begin, chunk.offsets.span(), chunk.runs);
    for (Fault& fault : chunk.faults) {
      fault.line += line_;
      ++account.by_reason[static_cast<std::size_t>(fault.reason)];
      account.faults.push_back(fault);
    }
    for (const Undecided& record : chunk.undecided) {
      undecided.push_back({first_row + record.row, record.later_by});
    }
    account.records += chunk.records;
    account.kept += static_cast<std::int64_t>(chunk.times.size());
    account.records_with_unreadable += chunk.records_with_unreadable;
    if (chunk.first_cut_line != 0 && first_cut_line == 0) {
      first_cut_line = chunk.first_cut_line - 1 + line_;
    }
    counts.digits_cut += chunk.counts.digits_cut;
    counts.with_offset += chunk.counts.with_offset;
    counts.without_offset += chunk.counts.without_offset;
    counts.only_day_first += chunk.counts.only_day_first;
    counts.only_month_first += chunk.counts.only_month_first;
    counts.either_order += chunk.counts.either_order;

    times.append(chunk.times.span());
    if (layout_.key_cell) append_codes(chunk.key_texts, chunk.keys, key_texts, keys);
    for (std::size_t i = 0; i < columns_.size(); ++i) append_column(i, chunk);
    line_ += chunk.lines;
    // In large stretches: each release has every other processor look up.
    constexpr std::size_t stretch = std::size_t{1} << 24;
    if (chunk.end - released_ >= stretch) {
      source_.release(released_, chunk.end);
      released_ = chunk.end;
    }
    if (options_.bytes_read != nullptr) *options_.bytes_read = chunk.end;
  }

  /// Columns whose readings say that the belief about their type was wrong.
  bool correct_beliefs(Layout& layout) const {
    bool wrong = false;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      const bool numeric = columns_[i].numeric_cells * 10 >= columns_[i].filled_cells * 9;
      wrong |= numeric != layout.values[i].numeric;
      layout.values[i].numeric = numeric;
    }
    return wrong;
  }

  Column take_column(std::size_t i) {
    WholeColumn& column = columns_[i];
    Validity validity = column.validity.take();
    if (layout_.values[i].numeric) {
      if (column.whole && column.numeric_cells > 0) {
        return Column::integers(std::move(column.numbers).retyped<std::int64_t>(),
                                std::move(validity));
      }
      return Column::numbers(std::move(column.numbers).retyped<double>(), std::move(validity));
    }
    const auto& texts = column.texts.texts();
    const bool boolean = !texts.empty() && std::ranges::all_of(texts, [](const std::string& text) {
      return text == "true" || text == "false";
    });
    if (boolean) {
      Buffer<std::uint64_t> bits((column.codes.size() + 63) / 64, 0);
      for (std::size_t row = 0; row < column.codes.size(); ++row) {
        const bool truth = texts[static_cast<std::size_t>(column.codes[row])] == "true";
        bits[row / 64] |= std::uint64_t{truth} << (row % 64);
      }
      return Column::booleans(std::move(bits), column.codes.size(), std::move(validity));
    }
    return Column::text(std::move(column.codes),
                        std::make_shared<const Column::Dictionary>(column.texts.take_texts()),
                        std::move(validity));
  }

  struct Waiting {
    std::uint64_t row = 0;
    Nanoseconds later_by{0};
  };

  SourceAccount account;
  Buffer<std::int64_t> times;
  Buffer<std::int32_t> keys;
  Interner<std::string> key_texts;
  Places places;
  std::vector<Waiting> undecided;
  TimestampCounts counts;
  std::uint64_t first_cut_line = 0;

 private:
  /// Room for all records, judged by the first chunk. What is reserved and not used takes no
  /// memory.
  void reserve(const Chunk& chunk) {
    if (chunk.end == chunk.begin) return;
    const double share = static_cast<double>(source_.text.size() - chunk.begin) /
                         static_cast<double>(chunk.end - chunk.begin);
    const auto rows =
        static_cast<std::size_t>(1.05 * share * static_cast<double>(chunk.times.size())) + 1;
    times.reserve(rows);
    places.reserve(rows);
    if (layout_.key_cell) keys.reserve(rows);
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      if (!layout_.values[i].keep) continue;
      if (layout_.values[i].numeric) {
        columns_[i].numbers.reserve(rows);
      } else {
        columns_[i].codes.reserve(rows);
      }
    }
  }

  void append_column(std::size_t i, Chunk& chunk) {
    ChunkColumn& part = chunk.columns[i];
    WholeColumn& whole = columns_[i];
    whole.filled_cells += part.filled_cells;
    whole.numeric_cells += part.numeric_cells;
    if (!layout_.values[i].keep) return;
    whole.validity.append(chunk.times.size(), part.missing);
    if (!layout_.values[i].numeric) {
      append_codes(part.texts, part.codes, whole.texts, whole.codes);
      return;
    }
    // One fraction anywhere makes the whole column numbers.
    if (whole.whole && !part.whole) {
      for (std::uint64_t& bits : whole.numbers) bits = as_double_bits(bits);
      whole.whole = false;
    } else if (!whole.whole && part.whole) {
      for (std::uint64_t& bits : part.numbers) bits = as_double_bits(bits);
    }
    whole.numbers.append(part.numbers.span());
  }

  const SourceText& source_;
  const Layout& layout_;
  const ReadOptions& options_;
  std::uint64_t line_;
  std::vector<WholeColumn> columns_;
  std::size_t released_ = 0;  // the source's memory is let go of up to here
};

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
               const MissingWords& missing_words, Assembly& assembly) {
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
    const bool early = times.earliest && instant_of(time) < *times.earliest;
    const bool late = times.latest && instant_of(time) > *times.latest;
    if (early || late) rejected[static_cast<std::int64_t>(row)] = Reason::out_of_range_time;
  }

  Records records;
  records.name = source.name == "-" ? "stdin" : std::filesystem::path(source.name).stem().string();
  records.time = {found.time_name, to_text(found.layout.times.format), options.zone,
                  found.layout.time_fault_column};
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
    if (!found.layout.values[i].keep) continue;
    records.values.add(found.names[found.layout.values[i].cell], assembly.take_column(i));
  }
  records.places = std::make_shared<const Places>(std::move(assembly.places));
  account.rejected = account.records - account.kept;
  account.record_length = [layout = found.layout, text = account.text](std::uint64_t byte) {
    return raw_record_length(text, byte, layout);
  };
  if (!rejected.empty()) {
    reject_in_account(account, *records.places, rejected, found.layout.time_fault_column);
    drop_rows(records, rejected);
  }

  if (assembly.counts.digits_cut > 0) {
    records.findings.push_back(
        {"digits-cut", assembly.counts.digits_cut, assembly.first_cut_line,
         "times with more than nine digits of the second; what was past the nanosecond is cut"});
  }
  if (assembly.counts.with_offset > 0 && assembly.counts.without_offset > 0) {
    records.findings.push_back(
        {"mixed-offsets", assembly.counts.without_offset, 0,
         fmt::format("times without an offset among {} with one; they were read in {}",
                     grouped(assembly.counts.with_offset), options.zone.name())});
  }
  records.source = std::make_shared<const SourceAccount>(std::move(account));
  return records;
}

/// Two samples whose day and month could stand either way round.
std::string ambiguous_examples(const FoundLayout& found) {
  std::string examples;
  int shown = 0;
  for (const auto& sample : found.time_samples) {
    TimestampReader reader({.format = found.layout.times.format});
    reader.read(sample);
    if (reader.counts().either_order == 0 || examples.find(sample) != std::string::npos) continue;
    examples += (shown == 0 ? "\"" : " and \"") + sample + "\"";
    if (++shown == 2) break;
  }
  return examples.empty() ? "every date" : examples;
}

/// Another format that reads more of the column than the one found from samples, judged by what
/// was rejected.
std::optional<TimeFormat> better_format(const Assembly& assembly, const FoundLayout& found) {
  const std::int64_t unreadable =
      assembly.account.by_reason[static_cast<std::size_t>(Reason::unreadable_time)];
  if (!found.format_found || unreadable * 2 < assembly.account.records) return std::nullopt;
  std::vector<std::string> texts;
  const std::size_t step = assembly.account.faults.size() / 500 + 1;
  for (std::size_t i = 0; i < assembly.account.faults.size(); i += step) {
    const Fault& fault = assembly.account.faults[i];
    if (fault.reason != Reason::unreadable_time) continue;
    const LooseRecord record = read_loose_record(assembly.account.text, fault.byte,
                                                 found.layout.delimiter, found.layout.quote);
    if (record.cells.size() != found.layout.cells) continue;
    std::string text = record.cells[found.layout.time_cell];
    if (found.layout.clock_cell) text += " " + record.cells[*found.layout.clock_cell];
    texts.push_back(text);
  }
  auto format = find_time_format(texts);
  if (format && *format == found.layout.times.format) return std::nullopt;
  return format;
}

Records read_source(SourceText source, const ReadOptions& options) {
  const MissingWords missing_words(options.missing);
  if (options.head_bytes != 0 && source.text.size() > options.head_bytes) {
    source.text = source.text.substr(0, source.text.find('\n', options.head_bytes));
  }
  if (options.bytes_total != nullptr) *options.bytes_total = source.text.size();
  FoundLayout found = find_layout(source, options, missing_words);
  bool tried_other_format = false, tried_other_order = false;
  for (;;) {
    Assembly assembly(source, found, options);
    read_pass(source, found, missing_words, assembly);

    TimeFormat& format = found.layout.times.format;
    const bool open_order = format.kind == TimeFormat::Kind::dated &&
                            format.order != DateOrder::ymd && !options.date_order;
    if (open_order) {
      const std::int64_t day_first = assembly.counts.only_day_first;
      const std::int64_t month_first = assembly.counts.only_month_first;
      if (day_first == month_first && assembly.counts.either_order > 0) {
        fail_input(
            "{}: column \"{}\": whether day or month comes first can't be told: {} read both "
            "ways; say --date-order dmy or --date-order mdy",
            source.name, found.time_name, ambiguous_examples(found));
      }
      const DateOrder proven = month_first > day_first ? DateOrder::mdy : DateOrder::dmy;
      if (proven != format.order && day_first != month_first && !tried_other_order) {
        format.order = proven;
        tried_other_order = true;
        continue;
      }
    }
    if (!tried_other_format) {
      tried_other_format = true;
      if (const auto better = better_format(assembly, found)) {
        format = *better;
        continue;
      }
    }
    // What the whole column says of its type holds against what its samples said.
    if (assembly.correct_beliefs(found.layout)) continue;
    return finish(assembly, source, found, options);
  }
}

}  // namespace

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
