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
constexpr std::size_t usual_chunk_bytes = std::size_t{1} << 17;

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
  std::int64_t empty_cells = 0;
  std::int64_t boolean_cells = 0;
  ColumnSeen seen;
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
    if (layout_.untimed) {
      for (std::int64_t& number : chunk.times) number += account.records;
    }
    account.records += chunk.records;
    account.kept += static_cast<std::int64_t>(chunk.times.size());
    account.records_with_unreadable += chunk.records_with_unreadable;
    first_lines.add(chunk.first_lines, line_);
    counts.add(chunk.counts);

    // Rows of a chunk are counted on from those before it.
    const auto rows_before = static_cast<std::int64_t>(times.size());
    times.append(chunk.times.span());
    if (layout_.judge) {
      for (std::size_t i = 0; i < columns_.size(); ++i) {
        append_seen(chunk.columns[i], columns_[i], rows_before);
      }
    }
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

  /// What was seen of a column that was judged and not kept.
  ColumnSeen take_seen(std::size_t i, const std::string& name, std::size_t rows) {
    WholeColumn& column = columns_[i];
    ColumnSeen seen = std::move(column.seen);
    seen.name = name;
    if (!layout_.values[i].numeric) {
      const auto texts = static_cast<std::int64_t>(rows) - column.empty_cells;
      seen.type =
          texts > 0 && column.boolean_cells == texts ? Column::Type::boolean : Column::Type::text;
      seen.missing = column.empty_cells;
      seen.runs = {};
    } else if (column.whole && column.numeric_cells > 0) {
      seen.type = Column::Type::integer;
    } else {
      seen.type = Column::Type::number;
      const auto as_number = [](std::int64_t whole) { return static_cast<double>(whole); };
      if (seen.min_whole) {
        seen.min =
            std::min(seen.min.value_or(as_number(*seen.min_whole)), as_number(*seen.min_whole));
        seen.max =
            std::max(seen.max.value_or(as_number(*seen.max_whole)), as_number(*seen.max_whole));
        seen.min_whole.reset();
        seen.max_whole.reset();
      }
    }
    return seen;
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
  FirstLines first_lines;  // lines of the source, plus 1

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

  void append_seen(const ChunkColumn& part, WholeColumn& whole, std::int64_t rows_so_far) {
    whole.empty_cells += part.empty_cells;
    whole.boolean_cells += part.boolean_cells;
    const auto least = [](auto& own, const auto& other) {
      if (other) own = own ? std::min(*own, *other) : *other;
    };
    const auto most = [](auto& own, const auto& other) {
      if (other) own = own ? std::max(*own, *other) : *other;
    };
    ColumnSeen& seen = whole.seen;
    seen.missing += part.seen.missing;
    least(seen.min, part.seen.min);
    most(seen.max, part.seen.max);
    least(seen.min_whole, part.seen.min_whole);
    most(seen.max_whole, part.seen.max_whole);
    whole.whole &= part.whole;
    seen.runs.append(part.seen.runs, rows_so_far);
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

/// What reading the times noticed.
void add_findings(const Assembly& assembly, const FoundLayout& found, Records& records) {
  const TimestampCounts& counts = assembly.counts;
  const TimestampOptions& times = found.layout.times;
  const auto note = [&](const char* kind, std::int64_t count, std::uint64_t line_plus_1,
                        std::string message) {
    const std::uint64_t line = line_plus_1 == 0 ? 0 : line_plus_1 - 1;
    records.findings.push_back({kind, count, line, std::move(message)});
  };
  const FirstLines& first = assembly.first_lines;
  if (counts.digits_cut > 0) {
    note("digits-cut", counts.digits_cut, first.cut,
         "times with more than nine digits of the second; what was past the nanosecond is cut");
  }
  const bool both_epochs = is_epoch(times.format.kind) && times.also && is_epoch(times.also->kind);
  if (times.also && counts.by_also > 0) {
    const std::int64_t others = assembly.account.kept - counts.by_also;
    note(both_epochs ? "mixed-units" : "mixed-formats", counts.by_also, first.also,
         fmt::format("times are {} among {} that are {}; each was read as what it is",
                     to_text(*times.also), grouped(others), to_text(times.format)));
  } else if (is_epoch(times.format.kind)) {
    const auto unit = decide_epoch_unit(counts, times.format.kind);
    const auto place = [](TimeFormat::Kind kind) {
      return static_cast<std::size_t>(kind) - static_cast<std::size_t>(TimeFormat::Kind::epoch_s);
    };
    std::int64_t odd = 0;
    for (const auto kind : {std::optional(unit.unit), unit.also}) {
      if (kind && *kind != times.format.kind) odd += counts.magnitudes[place(*kind)].count;
    }
    if (odd > 0) {
      note("mixed-units", odd, 0,
           fmt::format("times whose size speaks for another unit than {}, as which they were read; "
                       "see --time-format",
                       to_text(times.format)));
    }
  }
  if (counts.with_offset > 0 && counts.without_offset > 0 && !is_epoch(times.format.kind) &&
      !(times.also && is_epoch(times.also->kind))) {
    const bool fewer_without = counts.without_offset <= counts.with_offset;
    note("mixed-offsets", fewer_without ? counts.without_offset : counts.with_offset,
         fewer_without ? first.without_offset : first.with_offset,
         fewer_without
             ? fmt::format("times without an offset among {} with one; they were read in {}",
                           grouped(counts.with_offset), times.zone.name())
             : fmt::format("times with an offset among {} without; it holds against {}",
                           grouped(counts.without_offset), times.zone.name()));
  }
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
  const auto& also = found.layout.times.also;
  records.time = {found.time_name, to_text(found.layout.times.format),
                  also ? to_text(*also) : std::string(), options.zone,
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
    if (options.judge_only) {
      records.seen.push_back(assembly.take_seen(i, found.names[found.layout.values[i].cell], rows));
    }
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

  if (options.untimed) {
    records.untimed = true;
    records.preamble = found.preamble;
  } else {
    add_findings(assembly, found, records);
  }
  records.source = std::make_shared<const SourceAccount>(std::move(account));
  return records;
}

/// Two samples whose day and month could stand either way round.
std::string ambiguous_examples(const FoundLayout& found) {
  std::string examples;
  int shown = 0;
  for (const auto& sample : found.time_samples) {
    const TimestampOptions& times = found.layout.times;
    const bool by_also = times.format.kind != TimeFormat::Kind::dated && times.also;
    TimestampReader reader({.format = by_also ? *times.also : times.format});
    reader.read(sample);
    const auto& differ = reader.counts().differ;
    const bool either = differ[0] + differ[1] + differ[2] > 0;
    if (!either || examples.find("\"" + sample + "\"") != std::string::npos) continue;
    examples += (shown == 0 ? "\"" : " and \"") + sample + "\"";
    if (++shown == 2) break;
  }
  return examples.empty() ? "every date" : examples;
}

/// The texts of times that the format did not read, from all over the source.
std::vector<std::string> texts_not_read(const Assembly& assembly, const FoundLayout& found,
                                        const MissingWords& missing_words, std::int64_t& count) {
  const auto is_time_fault = [](const Fault& fault) {
    return fault.reason == Reason::unreadable_time || fault.reason == Reason::impossible_time ||
           fault.reason == Reason::out_of_range_time;
  };
  const auto& faults = assembly.account.faults;
  count = std::ranges::count_if(faults, is_time_fault);
  std::vector<std::string> texts;
  const std::int64_t step = count / 2000 + 1;
  std::int64_t n = 0;
  for (const Fault& fault : faults) {
    if (!is_time_fault(fault) || n++ % step != 0) continue;
    const LooseRecord record = read_loose_record(assembly.account.text, fault.byte,
                                                 found.layout.delimiter, found.layout.quote);
    if (record.cells.size() != found.layout.cells) continue;
    std::string text = record.cells[found.layout.time_cell];
    if (found.layout.clock_cell) text += " " + record.cells[*found.layout.clock_cell];
    if (!missing_words.holds(text)) texts.push_back(std::move(text));
  }
  return texts;
}

/// Judges the format by the whole column, after it was read as its samples had it. Returns true
/// when it was changed, and the column is to be read again.
bool correct_format(const Assembly& assembly, FoundLayout& found, const ReadOptions& options,
                    const MissingWords& missing_words) {
  TimestampOptions& times = found.layout.times;
  if (is_epoch(times.format.kind)) {
    const auto decision = decide_epoch_unit(assembly.counts, times.format.kind);
    if (decision.unit != times.format.kind || decision.also) {
      times.format = format_of(decision.unit);
      if (decision.also) times.also = format_of(*decision.also);
      return true;
    }
  }
  std::int64_t failed = 0;
  const auto texts = texts_not_read(assembly, found, missing_words, failed);
  // Of what was not read, what is a time in another format: the one that reads the most of it.
  std::vector<std::string> telling;
  auto other = find_time_format(texts);
  if (!other) {
    // Less than half of them; those that look like times may still be of one format.
    using Kind = TimeFormat::Kind;
    std::vector<TimeFormat> candidates{format_of(Kind::iso), format_of(Kind::named),
                                       format_of(Kind::compact)};
    for (const auto order : {DateOrder::dmy, DateOrder::mdy, DateOrder::ymd}) {
      candidates.push_back(format_of(Kind::dated, order));
    }
    for (const auto& text : texts) {
      const bool reads = std::ranges::any_of(candidates, [&](const TimeFormat& format) {
        TimestampReader reader({.format = format, .repeated = Repeated::earlier});
        return reader.read(text).verdict == TimeVerdict::ok && is_telling(text, format);
      });
      if (reads) telling.push_back(text);
    }
    other = find_time_format(telling);
  }
  if (!other || *other == times.format) return false;
  // Dates in another order are for correct_date_order to judge.
  const bool own_dated = times.format.kind == TimeFormat::Kind::dated;
  if (other->kind == TimeFormat::Kind::dated && (own_dated || options.date_order)) {
    if (own_dated) return false;
    other->order = *options.date_order;
  }
  std::int64_t reads = 0, telling_reads = 0;
  TimestampReader reader({.format = *other, .repeated = Repeated::earlier});
  for (const auto& text : texts) {
    if (reader.read(text).verdict != TimeVerdict::ok) continue;
    ++reads;
    telling_reads += is_telling(text, *other);
  }
  if (reads == 0) return false;
  const auto share = static_cast<double>(reads) / static_cast<double>(texts.size());
  const double of_other = share * static_cast<double>(failed);
  const auto of_own = static_cast<double>(assembly.account.kept);
  if (of_other > of_own) {
    const TimeFormat own = times.format;
    times.format = *other;
    if (of_own > 0) times.also = own;
    return true;
  }
  // One odd cell is no second format unless it can be nothing else.
  if (telling_reads * 10 < reads * 9) return false;
  if (other->kind == TimeFormat::Kind::dated && of_other * 10 < of_own + of_other) {
    const auto decision = decide_date_order(reader.counts(), other->order);
    if (decision.ambiguous) return false;
  }
  times.also = *other;
  return true;
}

/// Whether day, month and year were read in the right order, as the whole column proves it.
/// Returns true when not, and the column is to be read again; throws when it can't be told.
bool correct_date_order(const Assembly& assembly, FoundLayout& found, bool found_here) {
  TimestampOptions& times = found.layout.times;
  const bool first = times.format.kind == TimeFormat::Kind::dated;
  const bool second = times.also && times.also->kind == TimeFormat::Kind::dated;
  if (first == second) return false;  // none, or two orders that no date is of both
  TimeFormat& format = first ? times.format : *times.also;
  const auto decision = decide_date_order(assembly.counts, format.order);
  if (decision.ambiguous) {
    const bool year_too = assembly.counts.differ[1] + assembly.counts.differ[2] > 0;
    fail_input(
        "{}: column \"{}\": {} can't be told: {} read both ways; say --date-order dmy or "
        "--date-order mdy{}",
        assembly.account.source, found.time_name,
        year_too ? "which of day, month and year comes first" : "whether day or month comes first",
        ambiguous_examples(found), year_too ? " or --date-order ymd" : "");
  }
  if (decision.order != format.order) {
    format.order = decision.order;
    return true;
  }
  // Dates of the one order and of the other, and none that is of both.
  if (!first || times.also || !found_here || !decision.also) return false;
  times.also = format_of(TimeFormat::Kind::dated, *decision.also);
  return true;
}

Records read_source(SourceText source, const ReadOptions& options) {
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
        correct_date_order(assembly, found, found.format_found)) {
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
