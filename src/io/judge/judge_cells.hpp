/// Judging: cells read as times, keys, numbers and texts, column by column; each record with its
/// fate. One judge for every source of text, whatever split it.

#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <type_traits>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/timeline.hpp>

#include "io/judge/number_batch.hpp"
#include "io/judge/row_cells.hpp"
#include "io/judge/short_number.hpp"
#include "io/judge/take_rows.hpp"
#include "io/text/cell_table.hpp"
#include "io/text/chunk.hpp"
#include "time/read_by_layout.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

enum TextKind : std::uint8_t { other_text, missing_word, number_text };

/// A letter that starts neither a number nor a word for missing decides at once; with or without
/// those that true and false start with.
constexpr std::array<bool, 256> plain_letters(bool with_truth) {
  std::array<bool, 256> plain{};
  for (const char* c = "abcdefghjklmopqrstuvwxyz"; *c != '\0'; ++c) {
    if (!with_truth && (*c == 't' || *c == 'f')) continue;
    plain[static_cast<unsigned char>(*c)] = plain[static_cast<unsigned char>(*c - 32)] = true;
  }
  return plain;
}

/// Range and runs of a numeric column, while it is at hand.
inline void look_at(ChunkColumn& column) {
  if (column.whole) {
    column.seen.see(numbers_of<std::int64_t>(column), column.missing);
  } else {
    column.seen.see(numbers_of<double>(column), column.missing);
  }
}

inline Reason reason_of(TimeVerdict verdict) {
  switch (verdict) {
    case TimeVerdict::impossible:
      return Reason::impossible_time;
    case TimeVerdict::repeated:
      return Reason::repeated_time;
    case TimeVerdict::skipped:
      return Reason::skipped_time;
    case TimeVerdict::out_of_range:
      return Reason::out_of_range_time;
    default:
      return Reason::unreadable_time;
  }
}

/// Judges one chunk, whose records stand in `cells`. Those that a splitter rejected are among the
/// chunk's faults already.
template <typename Cells>
class CellJudge {
 public:
  /// The chunk's text begins at `base`; before it, `before` bytes can be looked at.
  CellJudge(Cells& cells, const char* base, std::size_t before, const Layout& layout,
            const MissingWords& missing_words, Chunk& chunk)
      : cells_(cells),
        base_(base),
        before_(before),
        layout_(layout),
        missing_words_(missing_words),
        chunk_(chunk),
        times_(layout.times),
        line_offset_(static_cast<std::uint64_t>(-1)) {}

  void judge() {
    if constexpr (has_types) {
      reject_badly_encoded(cells_, [&](std::size_t row) { reject(row, Reason::bad_encoding, -1); });
    }
    if (layout_.untimed) {
      number_records();
    } else {
      read_times();
    }
    if (!layout_.key_cells.empty()) read_keys();
    if constexpr (is_even) {
      if (cells_.lacks_rows()) return;
    }
    place_records();
    for (std::size_t i = 0; i < layout_.values.size(); ++i) {
      const ValueColumn& value = layout_.values[i];
      ChunkColumn& column = chunk_.columns[i];
      if (value.cell == absent_cell) {
        leave_missing(value, column);
      } else if (is_unwanted(value)) {
        continue;
      } else if (value.keep && value.known == ValueColumn::Known::time) {
        if constexpr (has_types) {
          take_times(cells_, value.cell, column,
                     [&](std::size_t row) { fail_reading(value, row); });
        }
      } else if (value.numeric) {
        read_numbers(value, column);
      } else if (value.keep) {
        take_texts(value, column);
      } else {
        judge_texts(value, column);
      }
    }
    if (layout_.judge) look_at_numbers();
    std::ranges::sort(unreadable_);
    chunk_.records_with_unreadable =
        std::unique(unreadable_.begin(), unreadable_.end()) - unreadable_.begin();
    std::ranges::stable_sort(chunk_.faults, {},
                             [](const Fault& f) { return std::pair(f.line, f.byte); });
    chunk_.counts = times_.counts();
    chunk_.counts.add(layout_counts_);
  }

 private:
  void reject(std::size_t row, Reason reason, std::int32_t column) {
    const RawSpan raw = cells_.raw_record(row);
    chunk_.faults.push_back(
        {cells_.line(row), chunk_.begin + raw.from, raw.length, column, reason});
  }

  bool is_unwanted(const ValueColumn& value) const {
    if constexpr (has_types) return is_passed_over(layout_, value, cells_.type(value.cell));
    return false;
  }

  /// Reads the times of records, and takes out those that have none.
  [[gnu::noinline]] void read_times() {
    chunk_.times.resize(cells_.size());
    std::int64_t* const times = chunk_.times.data();
    std::size_t kept = 0;
    const std::size_t count = cells_.size();
    const auto other = [&](std::size_t i) {
      if (!read_one_time(i, kept)) return;
      cells_.move(kept++, i, 1);
    };
    const bool one_cell = layout_.time_cells.size() == 1 && layout_.time_cells[0] != absent_cell;
    if constexpr (has_types) {
      if (one_cell && is_time(cells_.type(layout_.time_cells[0]))) {
        return take_record_times(
            cells_, layout_, chunk_.times, layout_counts_,
            [&](std::size_t row, Reason reason) { reject(row, reason, layout_.time_fault_column); },
            [&](std::size_t row, std::size_t at) { return read_one_time(row, at); });
      }
    }
    if (one_cell && has_layout(layout_.times) && !missing_words_.has_further()) {
      read_by_own_layout(
          layout_.times, count, layout_counts_, cells_.finder(layout_.time_cells[0]),
          [&](std::size_t from) {
            return [to = times + kept - from](std::size_t i, std::int64_t t) { to[i] = t; };
          },
          [&](std::size_t i, std::size_t n, bool has_offset) {
            note_offset(has_offset, cells_.line(i));
            cells_.move(kept, i, n);
            kept += n;
          },
          other);
    } else {
      for (std::size_t i = 0; i < count; ++i) other(i);
    }
    cells_.cut(kept);
    chunk_.times.resize(kept);
  }

  static constexpr bool has_types = std::is_same_v<Cells, RowCells>;
  static constexpr bool is_even = std::is_same_v<Cells, EvenCells>;
  /// The number of each record in the chunk, rejected ones counted.
  void number_records() {
    chunk_.times.resize(cells_.size());
    auto rejected = chunk_.faults.begin();
    std::int64_t before = 0;
    for (std::size_t i = 0; i < cells_.size(); ++i) {
      for (; rejected != chunk_.faults.end() && rejected->line < cells_.line(i); ++rejected) {
        ++before;
      }
      chunk_.times[i] = static_cast<std::int64_t>(i) + before;
    }
  }

  void note_offset(bool has_offset, std::uint64_t line) {
    FirstLines& first = chunk_.first_lines;
    std::uint64_t& at = has_offset ? first.with_offset : first.without_offset;
    if (at == 0 || at > line + 1) at = line + 1;
  }

  /// Reads the time of a record as the `kept`-th. Returns false, and rejects the record, when there
  /// is none.
  [[gnu::noinline]] bool read_one_time(std::size_t row, std::size_t kept) {
    const auto cell = [&](std::size_t c) { return cells_.text(row, c); };
    std::string_view text = layout_.time_cells.size() == 1
                                ? cell(layout_.time_cells[0])
                                : joined_time(layout_, missing_words_, cell, joined_);
    bool missing = text.empty();
    if (missing_words_.has_further()) missing |= missing_words_.holds(text);
    TimeReading reading;
    if (!missing) {
      const TimestampCounts& counts = times_.counts();
      const std::int64_t cut = counts.digits_cut, also = counts.by_also;
      const std::int64_t with_offset = counts.with_offset;
      reading = times_.read(text);
      FirstLines& first = chunk_.first_lines;
      const std::uint64_t line = cells_.line(row);
      if (counts.digits_cut != cut && first.cut == 0) first.cut = line + 1;
      if (counts.by_also != also && first.also == 0) first.also = line + 1;
      if (reading.verdict == TimeVerdict::ok || reading.verdict == TimeVerdict::undecided) {
        note_offset(counts.with_offset != with_offset, line);
        if (reading.verdict == TimeVerdict::undecided) {
          chunk_.undecided.push_back({kept, reading.later_by});
        }
        chunk_.times[kept] = nanoseconds_of(reading.instant);
        return true;
      }
      missing = reading.verdict == TimeVerdict::unreadable && missing_words_.holds(text);
    }
    reject(row, missing ? Reason::missing_time : reason_of(reading.verdict),
           layout_.time_fault_column);
    return false;
  }

  /// A record's key: of several cells one text, with a mark between them that no text has. Empty
  /// when all of them are.
  std::string_view key_of(std::size_t row) {
    if (layout_.key_cells.size() == 1) return cells_.text(row, layout_.key_cells[0]);
    joined_.clear();
    bool any = false;
    for (std::size_t i = 0; i < layout_.key_cells.size(); ++i) {
      const std::string_view part = cells_.text(row, layout_.key_cells[i]);
      any |= !part.empty();
      if (part.find(key_mark) != std::string_view::npos) {
        fail_input("a key of several columns can't hold the byte 0x1F: \"{}\"", printable(part));
      }
      if (i > 0) joined_ += key_mark;
      joined_ += part;
    }
    return any ? std::string_view(joined_) : std::string_view();
  }

  void read_keys() {
    chunk_.keys.resize(cells_.size());
    std::size_t kept = 0;
    std::vector<std::int64_t> new_row;
    for (std::size_t i = 0; i < cells_.size(); ++i) {
      const std::string_view key = key_of(i);
      if (key.empty()) {
        if (new_row.empty()) {
          new_row.resize(cells_.size(), -1);
          for (std::size_t row = 0; row < i; ++row) new_row[row] = static_cast<std::int64_t>(row);
        }
        reject(i, Reason::missing_key, layout_.key_fault_column);
        continue;
      }
      if (!new_row.empty()) new_row[i] = static_cast<std::int64_t>(kept);
      chunk_.times[kept] = chunk_.times[i];
      chunk_.keys[kept] = chunk_.key_texts.number_of(key);
      cells_.move(kept++, i, 1);
    }
    cells_.cut(kept);
    chunk_.times.resize(kept);
    chunk_.keys.resize(kept);
    if (new_row.empty()) return;
    std::erase_if(chunk_.undecided, [&](const Undecided& u) { return new_row[u.row] < 0; });
    for (Undecided& u : chunk_.undecided) u.row = static_cast<std::uint64_t>(new_row[u.row]);
  }

  [[gnu::noinline]] void place_records() {
    const std::size_t rows = cells_.size();
    // A row's place is its number.
    if constexpr (has_types) {
      if (rows > 0 && cells_.has_all_rows()) {
        chunk_.runs.push_back({0, 0});
        return;
      }
    } else if (!layout_.lines_only) {
      chunk_.offsets.resize(rows);
      for (std::size_t row = 0; row < rows; ++row) chunk_.offsets[row] = cells_.start(row);
    }
    if constexpr (is_even) {
      if (rows > 0) chunk_.runs.push_back({0, 0});
      return;
    }
    for (std::size_t row = 0; row < rows; ++row) {
      const std::uint64_t line = cells_.line(row);
      if (line - row != line_offset_) {
        line_offset_ = line - row;
        chunk_.runs.push_back({row, line});
      }
    }
  }

  /// A column that this part of the source does not have.
  void leave_missing(const ValueColumn& value, ChunkColumn& column) {
    const auto rows = static_cast<std::uint32_t>(cells_.size());
    if (!value.numeric && !value.keep) {
      column.empty_cells += rows;
      for (std::uint32_t row = 0; row < rows; ++row) column.seen.missing_runs.add(row);
      return;
    }
    if (!value.keep && !layout_.judge) return;
    column.missing.resize(rows);
    for (std::uint32_t row = 0; row < rows; ++row) column.missing[row] = row;
    if (value.numeric) {
      column.numbers.resize(rows);
      std::fill(column.numbers.begin(), column.numbers.end(), std::uint64_t{0});
    } else {
      column.codes.resize(rows);
      std::fill(column.codes.begin(), column.codes.end(), 0);
    }
  }

  [[gnu::noinline]] void read_numbers(const ValueColumn& value, ChunkColumn& column) {
    if constexpr (has_types) {
      const RowType type = cells_.type(value.cell);
      const bool keep = value.keep || layout_.judge;
      if (type == RowType::integer || type == RowType::number) {
        return take_numbers(cells_, value.cell, keep, column);
      }
      if (type == RowType::mixed) {
        return take_mixed(
            cells_, value.cell, keep, column,
            [&](std::size_t row, std::string_view text) { take_number(value, column, row, text); });
      }
    }
    // Of rows nobody knows what lies before their texts.
    const bool short_ones =
        !has_types && layout_.numbers.decimal_mark == '.' && !missing_words_.has_further();
    const auto find = cells_.finder(value.cell);
    const bool keep = value.keep || layout_.judge;
    const std::size_t count = cells_.size();
    if (keep) column.numbers.resize(count);
    std::uint64_t* const numbers = column.numbers.data();
    std::int64_t read = 0;
    NumberBatches batches;
    std::size_t first_readable = 0;  // the first row with eight bytes before its cell's end
    if (before_ < 8 && !has_types) {
      while (first_readable < count && !reaches_back(find(first_readable))) ++first_readable;
    }
    for (std::size_t row = 0; row < count; ++row) {
      const bool readable_before = short_ones && row >= first_readable;
      if (readable_before && batches.available && row >= batches.next_try &&
          !column.may_be_wide()) {
        const std::size_t n =
            read_many(batches, find, column, row, count, keep ? numbers : nullptr);
        read += static_cast<std::int64_t>(n);
        row += n;
        if (row == count) break;
      }
      const std::string_view text = find(row);
      ShortNumber number;
      if (readable_before && read_short_number(text.data(), text.size(), number)) {
        ++read;
        if (number.whole && column.whole) {
          column.note_zero(text, row);
          if (keep) numbers[row] = static_cast<std::uint64_t>(number.integer);
          continue;
        }
        if (!number.whole) column.has_fraction = true;
        if (column.whole) make_numbers(column, row);
        if (keep) numbers[row] = std::bit_cast<std::uint64_t>(number.value());
        continue;
      }
      take_number(value, column, row, text);
    }
    column.filled_cells += read;
    column.numeric_cells += read;
  }

  /// Whether there are eight bytes before the cell's end. What was put together lies elsewhere, and
  /// has them.
  bool reaches_back(std::string_view text) const {
    return text.empty() || text.data() >= base_ - before_ + 8;
  }

  /// Short numbers, many in one call, and where to try it next.
  struct NumberBatches {
    const bool available = NumberBatch::is_available();
    NumberBatch batch{};
    std::size_t next_try = 0;
  };

  /// Reads the numbers of rows from `row` on, as long as they are short ones; returns how many.
  template <typename Finder>
  static std::size_t read_many(NumberBatches& batches, const Finder& find, ChunkColumn& column,
                               std::size_t row, std::size_t count, std::uint64_t* numbers) {
    if constexpr (is_even) {
      if (!find.has_return && numbers != nullptr) {
        const EvenNumbers even{find.base, find.stops + row * find.cells, find.cells, count - row};
        const std::size_t n =
            column.whole ? even.read_integers(numbers + row) : even.read_numbers(numbers + row);
        // Where there are few of them, trying costs little.
        batches.next_try = row + (n < 4 ? 8 : n);
        return n;
      }
    }
    return read_batches(batches, find, column, row, count, numbers);
  }

  template <typename Finder>
  static std::size_t read_batches(NumberBatches& batches, const Finder& find, ChunkColumn& column,
                                  std::size_t row, std::size_t count, std::uint64_t* numbers) {
    constexpr std::size_t first_size = 8;
    const bool whole = column.whole;
    const Finder cell = find;  // in registers
    std::array<std::uint64_t, NumberBatch::most> values;
    std::size_t at = row, wanted = first_size;
    while (at < count) {
      NumberBatch& batch = batches.batch;
      batch.clear();
      for (const std::size_t end = std::min(count, at + wanted); at + batch.size() < end;) {
        const std::string_view text = cell(at + batch.size());
        if (whole) column.note_zero(text, at + batch.size());
        if (!batch.add(text.data(), text.size())) break;
      }
      const std::size_t good = whole ? batch.read_integers(values) : batch.read_numbers(values);
      if (numbers != nullptr) std::copy_n(values.begin(), good, numbers + at);
      at += good;
      if (good < wanted) break;
      wanted = NumberBatch::most;
    }
    // Where there are few of them, trying costs little.
    batches.next_try = at - row >= first_size / 2 ? at : at + first_size;
    return at - row;
  }

  /// Range and runs of the numeric columns, while they are at hand.
  void look_at_numbers() {
    for (std::size_t i = 0; i < layout_.values.size(); ++i) {
      if (!layout_.values[i].numeric) continue;
      look_at(chunk_.columns[i]);
    }
  }

  void fail_reading(const ValueColumn& value, std::size_t row) {
    const RawSpan raw = cells_.raw_cell(row, value.cell);
    chunk_.faults.push_back({cells_.line(row), chunk_.begin + raw.from, raw.length,
                             value.fault_column, Reason::unreadable_reading});
    unreadable_.push_back(static_cast<std::uint32_t>(row));
  }

  /// Takes one cell as it may be: a number of any shape, missing, or unreadable.
  [[gnu::noinline]] void take_number(const ValueColumn& value, ChunkColumn& column, std::size_t row,
                                     std::string_view text) {
    NumberReading reading;
    bool missing = text.empty() || (missing_words_.has_further() && missing_words_.holds(text));
    if (!missing) {
      reading = read_number(text, layout_.numbers);
      if (reading.kind == NumberReading::Kind::unreadable) missing = missing_words_.holds(text);
    }
    const bool readable = reading.kind != NumberReading::Kind::unreadable;
    if (reading.kind == NumberReading::Kind::integer) column.note_zero(text, row);
    column.filled_cells += !missing;
    column.numeric_cells += readable;
    if (missing && !text.empty()) column.note_word(text, row);
    if (!missing && !readable) fail_reading(value, row);
    if (reading.kind == NumberReading::Kind::number) {
      column.note_number(reading.wide, row);
      if (column.whole) make_numbers(column, row);
    }
    if (value.keep || layout_.judge) {
      if (!readable) column.missing.push_back(static_cast<std::uint32_t>(row));
      const double number = reading.kind == NumberReading::Kind::integer
                                ? static_cast<double>(reading.integer)
                                : reading.number;
      column.numbers[row] = column.whole ? std::bit_cast<std::uint64_t>(reading.integer)
                                         : std::bit_cast<std::uint64_t>(number);
    }
  }

  TextKind kind_of(std::string_view text) const {
    if (missing_words_.holds(text)) return missing_word;
    const auto kind = read_number(text, layout_.numbers).kind;
    return kind == NumberReading::Kind::unreadable ? other_text : number_text;
  }

  [[gnu::noinline]] void judge_texts(const ValueColumn& value, ChunkColumn& column) {
    const std::size_t rows = cells_.size();
    if constexpr (is_even) {
      // Many that begin with a plain letter, other than those of true and false, at once.
      constexpr std::size_t many = 32;
      const auto find = cells_.finder(value.cell);
      std::size_t row = 0;
      for (; row + many <= rows; row += many) {
        const bool by_letter = column.first_other >= 0 && !missing_words_.has_further();
        if (!by_letter || !are_plain(find, row, many)) {
          judge_texts(value, column, row, many);
        } else {
          column.filled_cells += many;
        }
      }
      return judge_texts(value, column, row, rows - row);
    }
    judge_texts(value, column, 0, rows);
  }

  /// Whether each of some cells begins with a letter that says it is a text, and is not true or
  /// false. An empty one begins with what stands behind it.
  template <typename Finder>
  static bool are_plain(const Finder& find, std::size_t row, std::size_t rows) {
    static constexpr auto plain = plain_letters(false);
    bool all = true;
    for (std::size_t i = row; i < row + rows; ++i) {
      all &= plain[static_cast<unsigned char>(find.base[(find.stops + i * find.cells)[-1] + 1])];
    }
    return all;
  }

  void judge_texts(const ValueColumn& value, ChunkColumn& column, std::size_t from,
                   std::size_t count) {
    static constexpr auto plain = plain_letters(true);
    const auto find = cells_.finder(value.cell);
    const bool further = missing_words_.has_further();
    std::int64_t plain_cells = 0;
    for (std::size_t row = from; row < from + count; ++row) {
      const std::string_view text = find(row);
      if (!text.empty() && plain[static_cast<unsigned char>(text[0])] && !further) {
        ++plain_cells;
        if (column.first_other < 0) note_other(column, text, static_cast<std::int64_t>(row));
        if (text[0] == 't' || text[0] == 'f') column.boolean_cells += is_truth(text);
      } else {
        judge_text(column, text, static_cast<std::int64_t>(row));
      }
    }
    column.filled_cells += plain_cells;
  }

  static bool is_truth(std::string_view text) { return text == "true" || text == "false"; }

  void judge_text(ChunkColumn& column, std::string_view text, std::int64_t row) const {
    column.empty_cells += text.empty();
    if (text.empty()) column.seen.missing_runs.add(row);
    column.boolean_cells += is_truth(text);
    const TextKind kind = kind_of(text);
    column.filled_cells += kind != missing_word;
    column.numeric_cells += kind == number_text;
    if (kind == other_text) note_other(column, text, row);
  }

  /// A cell that is no number, of a column of texts: nearly all of them may be, or in a notation
  /// that an option reads.
  static void note_other(ChunkColumn& column, std::string_view text, std::int64_t row) {
    constexpr std::size_t most = 8, longest = 64;
    if (column.first_other < 0) column.first_other = row;
    if (column.others.size() < most && text.size() <= longest) column.others.emplace_back(text);
  }

  void take_texts(const ValueColumn& value, ChunkColumn& column) {
    const auto find = cells_.finder(value.cell);
    const std::size_t rows = cells_.size();
    column.codes.resize(rows);
    PlacedTexts placed(column.texts);
    for (std::size_t row = 0; row < rows; ++row) {
      const std::string_view text = find(row);
      if (text.empty()) {
        column.codes[row] = 0;
        column.missing.push_back(static_cast<std::uint32_t>(row));
        continue;
      }
      const std::int32_t code = has_types ? placed.number_of(text) : column.texts.number_of(text);
      if (static_cast<std::size_t>(code) == column.text_kinds.size()) {
        column.text_kinds.push_back(kind_of(text));
        if (column.text_kinds.back() == other_text) {
          note_other(column, text, static_cast<std::int64_t>(row));
        }
      }
      const std::uint8_t kind = column.text_kinds[static_cast<std::size_t>(code)];
      column.filled_cells += kind != missing_word;
      column.numeric_cells += kind == number_text;
      column.codes[row] = code;
    }
  }

  Cells& cells_;
  const char* base_;
  std::size_t before_;
  TimestampCounts layout_counts_;  // of times read by layout
  const Layout& layout_;
  const MissingWords& missing_words_;
  Chunk& chunk_;
  TimestampReader times_;
  std::uint64_t line_offset_;
  std::vector<std::uint32_t> unreadable_;
  std::string joined_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
