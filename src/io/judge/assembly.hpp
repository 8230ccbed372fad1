/// Putting chunks together: the columns, places and account of a whole source, from what was read
/// of its chunks, in order.

#pragma once

#include <algorithm>
#include <bit>
#include <memory>
#include <optional>
#include <type_traits>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>

#include "io/source/part.hpp"
#include "io/source/read_task.hpp"
#include "io/text/chunk.hpp"
#include "io/text/layout.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

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

  /// Empty again after it.
  Validity take() {
    const std::size_t size = std::exchange(size_, 0);
    if (bits_.empty()) return {};
    return {std::exchange(bits_, {}), size};
  }

 private:
  Buffer<std::uint64_t> bits_;
  std::size_t size_ = 0;
};

inline std::uint64_t as_double_bits(std::uint64_t integer_bits) {
  return std::bit_cast<std::uint64_t>(
      static_cast<double>(std::bit_cast<std::int64_t>(integer_bits)));
}

/// Appends codes of a chunk's texts as codes of the whole's.
inline void append_codes(const Interner<std::string_view>& texts, const Buffer<std::int32_t>& codes,
                         Interner<std::string>& whole_texts, Buffer<std::int32_t>& whole_codes) {
  const auto& own = texts.texts();
  thread_local std::vector<std::int32_t> number;
  thread_local std::vector<std::uint64_t> hashes;
  number.clear();
  hashes.clear();
  for (const auto text : own) hashes.push_back(hash_of(text));
  constexpr std::size_t ahead = 16;
  for (std::size_t i = 0; i < own.size(); ++i) {
    if (i + ahead < own.size()) whole_texts.prefetch(hashes[i + ahead]);
    number.push_back(whole_texts.number_of(own[i], hashes[i]));
  }
  if (number.empty()) number.push_back(0);
  const std::size_t from = whole_codes.size();
  whole_codes.resize(from + codes.size());
  for (std::size_t i = 0; i < codes.size(); ++i) {
    whole_codes[from + i] = number[static_cast<std::size_t>(codes[i])];
  }
}

/// All chunks of one pass over a source, put together in order, part by part.
class Assembly {
 public:
  Assembly(const OpenSource& source, const FoundLayout& found, const ReadTask& options)
      : source_(source), layout_(found.layout), options_(options) {
    columns_.resize(layout_.values.size());
    account.source = source.name;
    account.is_pattern = source.is_pattern;
    account.columns = found.fault_columns;
    for (const Part& part : source.parts) {
      SourcePart& source_part = account.parts.emplace_back();
      source_part.name = part.name;
      source_part.owner = part.text.owner;
      source_part.text = part.text.text;
      source_part.file_byte = part.file_byte;
      bytes_total_ += part.text.text.size();
    }
    further_names.resize(source.parts.size());
  }

  /// What comes next is of this part, whose records begin at a line.
  void begin_part(std::size_t part, std::uint64_t line, std::size_t data_begin) {
    if (part != part_) {
      const SourceText& before = source_.parts[part_].text;
      if (!before.stream) before.release(released_, before.text.size());
    }
    part_ = part;
    line_ = line;
    released_ = data_begin;
  }

  /// Rows that make no difference were passed over: they are records, and stay.
  void pass_over(std::size_t part, std::size_t rows) {
    const auto count = static_cast<std::int64_t>(rows);
    account.records += count;
    account.kept += count;
    account.parts[part].records += count;
    account.parts[part].kept += count;
    passed_over += count;
    line_ += rows;
  }

  /// From now on rows are taken while there come more. `as_numbers` are the columns that are
  /// numbers although none is there yet.
  void go_by_stretches(const std::vector<bool>& as_numbers) {
    by_stretches_ = true;
    for (std::size_t i = 0; i < as_numbers.size(); ++i) columns_[i].whole = !as_numbers[i];
  }

  void append(Chunk& chunk) {
    if (times.empty() && source_.parts.size() == 1 && !by_stretches_) reserve(chunk);
    const std::uint64_t first_row = taken_ + times.size();
    const std::uint64_t part_begin = part_ * part_bytes;
    for (Places::Run& run : chunk.runs) run.line += line_;
    if (source_.parts[part_].rows) {
      places.add_rows(part_begin + chunk.begin, line_, chunk.times.size(), chunk.runs);
    } else if (layout_.lines_only) {
      places.add_lines(part_begin + chunk.begin, line_, chunk.times.size(), chunk.runs);
    } else {
      places.add(part_begin + chunk.begin, chunk.offsets.span(), chunk.runs);
    }
    for (Fault& fault : chunk.faults) {
      fault.line += line_;
      fault.byte += part_begin;
      ++account.by_reason[static_cast<std::size_t>(fault.reason)];
      if (account.faults.size() < options_.most_faults) account.faults.push_back(fault);
    }
    for (const Undecided& record : chunk.undecided) {
      undecided.push_back({first_row + record.row, record.later_by});
    }
    if (layout_.untimed) {
      for (std::int64_t& number : chunk.times) number += account.records;
    }
    account.records += chunk.records;
    account.kept += static_cast<std::int64_t>(chunk.times.size());
    account.parts[part_].records += chunk.records;
    account.parts[part_].kept += static_cast<std::int64_t>(chunk.times.size());
    account.records_with_unreadable += chunk.records_with_unreadable;
    first_lines.add(chunk.first_lines, line_, part_);
    counts.add(chunk.counts);
    further_names[part_].insert(chunk.further_names.begin(), chunk.further_names.end());

    times.append(chunk.times.span());
    if (!layout_.key_cells.empty()) append_keys(chunk);
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      append_column(i, chunk, static_cast<std::int64_t>(first_row));
    }
    chunk.is_appended = true;
    line_ += chunk.lines;
    // In large stretches: each release has every other processor look up.
    constexpr std::size_t stretch = std::size_t{1} << 24;
    if (chunk.end - released_ >= stretch) {
      source_.parts[part_].text.release(released_, chunk.end);
      released_ = chunk.end;
    }
    bytes_read_ += chunk.end - chunk.begin;
    if (options_.on_read) options_.on_read(bytes_read_, bytes_total_);
  }

  /// The texts of streams, which are whole now.
  void take_texts() {
    for (std::size_t i = 0; i < account.parts.size(); ++i) {
      if (source_.parts[i].text.stream) account.parts[i].text = source_.parts[i].text.all();
    }
  }

  /// Whether names of JSON lines turned up that were not known.
  bool has_further_names() const {
    return std::ranges::any_of(further_names, [](const auto& names) { return !names.empty(); });
  }

  /// Columns whose readings say that the belief about their type was wrong.
  bool correct_beliefs(Layout& layout) const {
    bool wrong = false;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      if (layout.values[i].known != ValueColumn::Known::nothing) continue;
      const bool is_passed_over =
          source_.parts[0].rows && !layout.values[i].keep && columns_[i].filled_cells == 0;
      if (is_passed_over) continue;
      if (layout.values[i].told != ValueColumn::Told::nothing) continue;
      bool numeric = columns_[i].numeric_cells * 10 >= columns_[i].filled_cells * 9;
      if (numeric && layout.values[i].numeric && (loses_zeros(i) || loses_digits(i))) {
        layout.values[i].told = ValueColumn::Told::text_for_digits;
        layout.values[i].digits =
            loses_zeros(i)
                ? finding_of("leading-zeros", columns_[i].zero_cells, columns_[i].first_zero)
                : finding_of("wide-integers", columns_[i].wide_cells, columns_[i].first_wide);
        numeric = false;
      }
      wrong |= numeric != layout.values[i].numeric;
      layout.values[i].numeric = numeric;
    }
    return wrong;
  }

  Column take_column(std::size_t i) {
    Growing& column = columns_[i];
    Validity validity = column.validity.take();
    if (layout_.values[i].known == ValueColumn::Known::time) {
      return Column::times(std::move(column.numbers).retyped<Instant>(), std::move(validity));
    }
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

  /// The rows that there are, as records with the names of `head`. The assembly holds none after
  /// it.
  Records take_rows(const Records& head) {
    Records records = head;
    const std::size_t rows = times.size();
    taken_ += rows;
    records.times = Column::times(std::exchange(times, {}).retyped<Instant>());
    if (!layout_.key_cells.empty()) {
      records.keys =
          Column::text(std::exchange(keys, {}), in_step(key_texts, key_dictionary_), Validity());
    }
    records.values = Table(rows);
    std::size_t at = 0;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      if (!layout_.values[i].keep) continue;
      records.values.add(head.values.names()[at++], rows_of(i));
    }
    return records;
  }

  /// Takes rows back: those of `records`, which were taken last, come before all that follow, for
  /// which there is room up to so many.
  void hold_back(const Records& records, std::span<const std::int64_t> rows, std::size_t room) {
    taken_ -= rows.size();
    const auto put = [&](auto& buffer, const auto& values) {
      buffer.reserve(room);
      buffer.resize(rows.size());
      for (std::size_t i = 0; i < rows.size(); ++i) {
        buffer[i] = std::bit_cast<std::remove_cvref_t<decltype(buffer[0])>>(
            values[static_cast<std::size_t>(rows[i])]);
      }
    };
    put(times, records.times.times());
    if (records.keys) put(keys, records.keys->codes());
    std::size_t at = 0;
    std::vector<std::uint32_t> missing;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      if (!layout_.values[i].keep) continue;
      const Column& column = records.values.columns()[at++];
      switch (column.type()) {
        case Column::Type::number:
          put(columns_[i].numbers, column.numbers());
          break;
        case Column::Type::integer:
          put(columns_[i].numbers, column.integers());
          break;
        case Column::Type::time:
          put(columns_[i].numbers, column.times());
          break;
        default:
          put(columns_[i].codes, column.codes());
      }
      missing.clear();
      for (std::size_t row = 0; row < rows.size() && !column.validity().all(); ++row) {
        if (!column.valid(static_cast<std::size_t>(rows[row]))) {
          missing.push_back(static_cast<std::uint32_t>(row));
        }
      }
      columns_[i].validity.append(rows.size(), missing);
    }
  }

  /// Columns that are kept and hold a number which is not whole.
  std::vector<bool> with_fractions() const {
    std::vector<bool> with;
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      with.push_back(layout_.values[i].keep && !columns_[i].whole);
    }
    return with;
  }

  /// What was seen of a column's cells.
  const CellTally& tally(std::size_t i) const { return columns_[i]; }

  /// What was seen of a column that was judged and not kept.
  ColumnSeen take_seen(std::size_t i, const std::string& name, std::size_t rows) {
    Growing& column = columns_[i];
    ColumnSeen seen = std::move(column.seen);
    seen.name = name;
    const bool is_time = layout_.values[i].known == ValueColumn::Known::time;
    if (!layout_.values[i].numeric) {
      const auto texts = static_cast<std::int64_t>(rows) - column.empty_cells;
      seen.type = texts > 0 && column.boolean_cells == texts ? Column::Type::boolean
                  : is_time                                  ? Column::Type::time
                                                             : Column::Type::text;
      seen.missing = column.empty_cells;
      seen.runs = {};
    } else if (column.whole && column.numeric_cells > 0) {
      seen.type = Column::Type::integer;
    } else {
      seen.type = Column::Type::number;
      seen.make_numbers();
    }
    return seen;
  }

  SourceAccount account;
  Buffer<std::int64_t> times;
  Buffer<std::int32_t> keys;
  Interner<std::string> key_texts;
  Places places;
  std::vector<Undecided> undecided;
  TimestampCounts counts;
  FirstLines first_lines;  // lines of the source, plus 1
  FurtherNames further_names;
  std::int64_t passed_over = 0;  // records of times that nobody wants

 private:
  using SharedTexts = std::shared_ptr<const Column::Dictionary>;

  /// A column as it is put together from the chunks.
  struct Growing : ColumnCells<std::string> {
    GrowingValidity validity{};
    SharedTexts dictionary{};  ///< of rows that were taken
  };

  /// The texts so far, shared; the same ones as long as none is added.
  static SharedTexts in_step(const Interner<std::string>& texts, SharedTexts& dictionary) {
    if (dictionary == nullptr || dictionary->size() != texts.texts().size()) {
      dictionary = std::make_shared<const Column::Dictionary>(texts.texts());
    }
    return dictionary;
  }

  /// A column of the rows that there are. Booleans stay texts, since others may yet come.
  Column rows_of(std::size_t i) {
    Growing& column = columns_[i];
    Validity validity = column.validity.take();
    if (layout_.values[i].known == ValueColumn::Known::time) {
      return Column::times(std::exchange(column.numbers, {}).retyped<Instant>(),
                           std::move(validity));
    }
    if (!layout_.values[i].numeric) {
      return Column::text(std::exchange(column.codes, {}), in_step(column.texts, column.dictionary),
                          std::move(validity));
    }
    if (column.whole && column.numeric_cells > 0) {
      return Column::integers(std::exchange(column.numbers, {}).retyped<std::int64_t>(),
                              std::move(validity));
    }
    return Column::numbers(std::exchange(column.numbers, {}).retyped<double>(),
                           std::move(validity));
  }

  /// Whole numbers, some of which begin with a needless 0: codes, more likely.
  bool loses_zeros(std::size_t i) const { return columns_[i].whole && columns_[i].zero_cells > 0; }

  /// Whole numbers, some of which int64 does not hold.
  bool loses_digits(std::size_t i) const { return columns_[i].may_be_wide(); }

  Finding finding_of(const char* kind, std::int64_t count, std::int64_t first) const {
    const auto row = static_cast<std::size_t>(first);
    const bool known = row < places.size();
    const std::string part =
        known && account.parts.size() > 1 ? account.part_of(places.byte(row)).name : "";
    return {kind, count, known ? places.line(row) : 0, "", part};
  }

  /// Room for all records, judged by the first chunk. What is reserved and not used takes no
  /// memory.
  void reserve(const Chunk& chunk) {
    const std::size_t size = source_.parts[0].text.text.size();
    if (chunk.end == chunk.begin || size <= chunk.begin) return;
    const double share =
        static_cast<double>(size - chunk.begin) / static_cast<double>(chunk.end - chunk.begin);
    const auto rows =
        static_cast<std::size_t>(1.05 * share * static_cast<double>(chunk.times.size())) + 1;
    times.reserve(rows);
    places.reserve(rows);
    if (!layout_.key_cells.empty()) keys.reserve(rows);
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      if (!layout_.values[i].keep) continue;
      if (layout_.values[i].numeric) {
        columns_[i].numbers.reserve(rows);
      } else {
        columns_[i].codes.reserve(rows);
      }
    }
  }

  /// Appends the keys of a chunk as those of the whole. Most of its texts were there before.
  void append_keys(Chunk& chunk) {
    std::vector<std::int32_t>& numbers = chunk.key_numbers;
    const auto& texts = chunk.key_texts.texts();
    for (std::size_t i = numbers.size(); i < texts.size(); ++i) {
      numbers.push_back(key_texts.number_of(texts[i]));
    }
    const std::size_t from = keys.size();
    keys.resize(from + chunk.keys.size());
    for (std::size_t i = 0; i < chunk.keys.size(); ++i) {
      keys[from + i] = numbers[static_cast<std::size_t>(chunk.keys[i])];
    }
  }

  void append_column(std::size_t i, Chunk& chunk, std::int64_t rows_before) {
    ChunkColumn& part = chunk.columns[i];
    Growing& whole = columns_[i];
    whole.add(part, rows_before);
    if (!layout_.values[i].keep) {
      whole.whole &= part.whole;
      return;
    }
    whole.validity.append(chunk.times.size(), part.missing);
    if (layout_.values[i].known == ValueColumn::Known::time) {
      whole.numbers.append(part.numbers.span());
      return;
    }
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

  const OpenSource& source_;
  const Layout& layout_;
  const ReadTask& options_;
  std::size_t bytes_read_ = 0, bytes_total_ = 0;
  std::size_t part_ = 0;
  std::uint64_t line_ = 1;
  std::vector<Growing> columns_;
  bool by_stretches_ = false;
  std::uint64_t taken_ = 0;  // rows that were taken, and not held back
  SharedTexts key_dictionary_{};
  std::size_t released_ = 0;  // the part's memory is let go of up to here
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
