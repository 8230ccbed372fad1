#include "io/chunk.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cstring>

#include "io/record_splitter.hpp"
#include "io/scan.hpp"
#include "io/short_number.hpp"
#include "time/read_by_layout.hpp"

namespace zerobeat::detail {

namespace {

enum TextKind : std::uint8_t { other_text, missing_word, number_text };

bool is_utf8(std::string_view text) {
  while (!text.empty()) {
    const std::size_t length = utf8_length(text);
    if (length == 0) return false;
    text.remove_prefix(length);
  }
  return true;
}

/// Reads one chunk. The members are what every record needs.
class ChunkReader {
 public:
  ChunkReader(std::string_view text, const Layout& layout, const MissingWords& missing_words,
              Chunk& chunk)
      : text_(text),
        layout_(layout),
        missing_words_(missing_words),
        chunk_(chunk),
        times_(layout.times),
        line_offset_(static_cast<std::uint64_t>(-1)) {
    chunk_.columns.resize(layout.values.size());
  }

  void read(std::size_t begin, std::size_t end) {
    thread_local Scan scan;
    scan_text(text_.substr(begin, end - begin), layout_.delimiter, layout_.quote, scan);
    check_encoding_ = scan.has_high;
    reserve(scan.places.size() / layout_.cells + 1);
    if (scan.has_quote) {
      read_quoted(begin, end);
    } else {
      read_plain(begin, end, scan);
    }
    chunk_.counts = times_.counts();
    chunk_.counts.add(layout_counts_);
  }

 private:
  void reserve(std::size_t records) {
    chunk_.times.reserve(records);
    chunk_.offsets.reserve(records);
    if (layout_.key_cell) chunk_.keys.reserve(records);
    for (std::size_t i = 0; i < layout_.values.size(); ++i) {
      if (!layout_.values[i].keep) continue;
      if (layout_.values[i].numeric) {
        chunk_.columns[i].numbers.reserve(records);
      } else {
        chunk_.columns[i].codes.reserve(records);
      }
    }
  }

  /// A line of a chunk without quotes that has as many cells as the header.
  struct Line {
    std::uint32_t place = 0;  ///< which of the scan's places ends its first cell
    std::uint32_t line = 0;   ///< its number in the chunk
  };

  /// Where the cells of one column stand in the lines of a chunk.
  struct CellFinder {
    const char* base;
    const std::uint32_t* places;
    std::uint32_t cell;
    bool last;

    std::string_view operator()(const Line& line) const {
      const std::uint32_t at = line.place + cell;
      const std::uint32_t start = at == 0 ? 0 : places[at - 1] + 1;
      std::uint32_t stop = places[at];
      if (last && stop > start && base[stop - 1] == '\r') --stop;
      return {base + start, stop - start};
    }
  };

  CellFinder finder(std::size_t cell) const {
    return {base_, places_, static_cast<std::uint32_t>(cell), cell + 1 == layout_.cells};
  }
  std::string_view cell_text(const Line& line, std::size_t cell) const {
    return finder(cell)(line);
  }

  /// Without quotes, every delimiter and newline is one; so the lines are told first, then their
  /// times, then one column after the other.
  void read_plain(std::size_t begin, std::size_t end, Scan& scan) {
    thread_local Buffer<Line> own_lines;
    Buffer<Line>& lines = own_lines;
    base_ = text_.data() + begin;
    if (base_[end - begin - 1] != '\n') {
      scan.ends.push_back(static_cast<std::uint32_t>(scan.places.size()));
      scan.places.push_back(static_cast<std::uint32_t>(end - begin));
    }
    places_ = scan.places.data();
    find_lines(begin, scan.ends.span(), lines);
    if (layout_.untimed) {
      number_lines(lines);
    } else {
      read_times(begin, lines);
    }
    if (layout_.key_cell) read_keys(begin, lines);
    place_lines(lines);
    std::vector<std::uint32_t> unreadable;
    for (std::size_t i = 0; i < layout_.values.size(); ++i) {
      const ValueColumn& value = layout_.values[i];
      if (value.numeric) {
        read_numbers(value, chunk_.columns[i], begin, lines, unreadable);
      } else if (value.keep) {
        const CellFinder find = finder(value.cell);
        for (std::size_t row = 0; row < lines.size(); ++row) {
          take_text(value, chunk_.columns[i], static_cast<std::uint32_t>(row), find(lines[row]));
        }
      } else {
        judge_texts(value, chunk_.columns[i], lines);
      }
    }
    if (layout_.judge) judge_numbers();
    std::ranges::sort(unreadable);
    chunk_.records_with_unreadable =
        std::unique(unreadable.begin(), unreadable.end()) - unreadable.begin();
    std::ranges::stable_sort(chunk_.faults, {},
                             [](const Fault& f) { return std::pair(f.line, f.byte); });
    chunk_.lines = scan.ends.size();
    chunk_.end = end;
  }

  [[gnu::noinline]] void find_lines(std::size_t begin, std::span<const std::uint32_t> ends,
                                    Buffer<Line>& lines) {
    const auto cells = static_cast<std::uint32_t>(layout_.cells);
    const char* const base = base_;
    const std::uint32_t* const places = places_;
    const int comment = layout_.comment ? static_cast<unsigned char>(*layout_.comment) : -1;
    const bool check_all = check_encoding_;
    lines.resize(ends.size());
    Line* const line = lines.data();
    std::size_t kept = 0;
    std::uint32_t place = 0;  // the first of the line
    std::uint32_t from = 0;   // the line's first byte, after `begin`
    for (std::uint32_t number = 0; number < ends.size(); ++number) {
      const std::uint32_t end = ends[number];
      const bool regular = end - place + 1 == cells;
      const int first = static_cast<unsigned char>(base[from]);
      const bool odd = first <= ' ' || first == comment || check_all;
      if ((regular && !odd) || judge_line(begin, from, places[end], number, regular)) {
        line[kept++] = {place, number};
      }
      from = places[end] + 1;
      place = end + 1;
    }
    lines.resize(kept);
    chunk_.records += static_cast<std::int64_t>(kept);
  }

  /// Whether a line that is not plainly good is a record to be read. Blank lines and comments are
  /// none, and what has another number of cells is rejected.
  [[gnu::noinline]] bool judge_line(std::size_t begin, std::uint32_t from, std::uint32_t newline,
                                    std::uint32_t number, bool regular) {
    const std::string_view line = without_return({base_ + from, newline - from});
    if (is_blank(line, layout_.delimiter)) return false;
    if (layout_.comment && line.front() == *layout_.comment) return false;
    const bool encoded = !check_encoding_ || is_utf8(line);
    if (encoded && regular) return true;
    ++chunk_.records;
    chunk_.faults.push_back({number, begin + from, line.size(), -1,
                             encoded ? Reason::field_count : Reason::bad_encoding});
    return false;
  }

  std::uint32_t start_of(const Line& line) const {
    return line.place == 0 ? 0 : places_[line.place - 1] + 1;
  }

  /// The raw line, without its end.
  std::size_t line_length(const Line& line) const {
    const std::string_view last = cell_text(line, layout_.cells - 1);
    return static_cast<std::size_t>(last.data() + last.size() - (base_ + start_of(line)));
  }

  /// Reads the times of lines, and takes out those that have none.
  [[gnu::noinline]] void read_times(std::size_t begin, Buffer<Line>& lines) {
    chunk_.times.resize(lines.size());
    std::int64_t* const times = chunk_.times.data();
    Line* const line = lines.data();
    const CellFinder find = finder(layout_.time_cell);
    std::size_t kept = 0;
    const std::size_t count = lines.size();
    const auto other = [&](std::size_t i) {
      if (read_line_time(begin, line[i], kept)) line[kept++] = line[i];
    };
    if (has_layout(layout_.times) && !layout_.clock_cell && !missing_words_.has_further()) {
      read_by_own_layout(
          layout_.times, count, layout_counts_,
          [find, line](std::size_t i) { return find(line[i]); },
          [&](std::size_t from) {
            return [to = times + kept - from](std::size_t i, std::int64_t t) { to[i] = t; };
          },
          [&](std::size_t i, std::size_t n, bool has_offset) {
            note_offset(has_offset, line[i].line);
            if (kept != i) std::memmove(line + kept, line + i, n * sizeof(Line));
            kept += n;
          },
          other);
    } else {
      for (std::size_t i = 0; i < count; ++i) other(i);
    }
    lines.resize(kept);
    chunk_.times.resize(kept);
  }

  /// The number of each line's record in the chunk, rejected ones counted.
  void number_lines(const Buffer<Line>& lines) {
    chunk_.times.resize(lines.size());
    auto rejected = chunk_.faults.begin();
    std::int64_t before = 0;
    for (std::size_t i = 0; i < lines.size(); ++i) {
      for (; rejected != chunk_.faults.end() && rejected->line < lines[i].line; ++rejected) {
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

  [[gnu::noinline]] bool read_line_time(std::size_t begin, const Line& line, std::size_t row) {
    chunk_.lines = line.line;  // where the plain reader is
    TimeReading time;
    const auto cell = [&](std::size_t c) { return Cell{cell_text(line, c), 0, 0}; };
    if (!read_time(begin + start_of(line), line_length(line), cell, time)) return false;
    if (time.verdict == TimeVerdict::undecided) {
      chunk_.undecided.push_back({static_cast<std::uint32_t>(row), time.later_by});
    }
    chunk_.times[row] = nanoseconds_of(time.instant);
    return true;
  }

  void read_keys(std::size_t begin, Buffer<Line>& lines) {
    chunk_.keys.resize(lines.size());
    std::size_t kept = 0;
    std::vector<std::int64_t> new_row;
    for (std::size_t i = 0; i < lines.size(); ++i) {
      const Line line = lines[i];
      const std::string_view key = cell_text(line, *layout_.key_cell);
      if (key.empty()) {
        if (new_row.empty()) {
          new_row.resize(lines.size(), -1);
          for (std::size_t row = 0; row < i; ++row) new_row[row] = static_cast<std::int64_t>(row);
        }
        chunk_.faults.push_back({line.line, begin + start_of(line), line_length(line),
                                 layout_.key_fault_column, Reason::missing_key});
        continue;
      }
      if (!new_row.empty()) new_row[i] = static_cast<std::int64_t>(kept);
      chunk_.times[kept] = chunk_.times[i];
      chunk_.keys[kept] = chunk_.key_texts.number_of(key);
      lines[kept++] = line;
    }
    lines.resize(kept);
    chunk_.times.resize(kept);
    chunk_.keys.resize(kept);
    if (new_row.empty()) return;
    std::erase_if(chunk_.undecided, [&](const Undecided& u) { return new_row[u.row] < 0; });
    for (Undecided& u : chunk_.undecided) u.row = static_cast<std::uint32_t>(new_row[u.row]);
  }

  [[gnu::noinline]] void place_lines(const Buffer<Line>& lines) {
    chunk_.offsets.resize(lines.size());
    for (std::size_t row = 0; row < lines.size(); ++row) {
      chunk_.offsets[row] = start_of(lines[row]);
      if (lines[row].line - row != line_offset_) {
        line_offset_ = lines[row].line - row;
        chunk_.runs.push_back({row, lines[row].line});
      }
    }
  }

  [[gnu::noinline]] void read_numbers(const ValueColumn& value, ChunkColumn& column,
                                      std::size_t begin, const Buffer<Line>& lines,
                                      std::vector<std::uint32_t>& unreadable) {
    const bool short_ones = layout_.decimal_mark == '.' && !missing_words_.has_further();
    const CellFinder find = finder(value.cell);
    const bool keep = value.keep || layout_.judge;
    if (keep) column.numbers.resize(lines.size());
    std::uint64_t* const numbers = column.numbers.data();
    const char* const readable_from = text_.data() + 8;
    std::int64_t read = 0;
    const std::size_t count = lines.size();
    const Line* const line = lines.data();
    LikeLast like_last;
    std::size_t first_readable = 0;  // the first row with eight bytes before its cell's end
    while (first_readable < count && find(line[first_readable]).data() < readable_from) {
      ++first_readable;
    }
    for (std::size_t row = 0; row < count; ++row) {
      const bool readable_before = short_ones && row >= first_readable;
      if (readable_before && like_last.whole() == column.whole) {
        const std::size_t n =
            read_like_last(like_last, find, line, row, count, keep ? numbers : nullptr);
        read += static_cast<std::int64_t>(n);
        row += n;
        if (row == count) break;
      }
      const std::string_view text = find(line[row]);
      ShortNumber number;
      if (readable_before && read_short_number(text.data(), text.size(), number)) {
        ++read;
        like_last.expect(number);
        if (number.whole && column.whole) {
          if (keep) numbers[row] = static_cast<std::uint64_t>(number.integer);
          continue;
        }
        if (column.whole) make_numbers(column, row);
        if (keep) numbers[row] = std::bit_cast<std::uint64_t>(number.value());
        continue;
      }
      if (!read_line_number(value, column, begin, lines[row], row, text)) {
        unreadable.push_back(static_cast<std::uint32_t>(row));
      }
    }
    column.filled_cells += read;
    column.numeric_cells += read;
  }

  /// Reads the numbers of rows from `row` on, as long as they are like the last; returns how many.
  static std::size_t read_like_last(const LikeLast& like_last, const CellFinder& find,
                                    const Line* line, std::size_t row, std::size_t count,
                                    std::uint64_t* numbers) {
    const LikeLast like = like_last;  // in registers
    const CellFinder cell = find;
    std::size_t at = row;
    for (; at < count; ++at) {
      const std::string_view text = cell(line[at]);
      std::int64_t digits = 0;
      if (!like.read(text.data(), text.size(), digits)) break;
      if (numbers != nullptr) numbers[at] = static_cast<std::uint64_t>(digits);
    }
    // Divided all at once: a division waits for none of the others.
    if (numbers != nullptr && !like.whole()) {
      const double power = like.power();
      for (std::size_t i = row; i < at; ++i) {
        const auto digits = static_cast<std::int32_t>(numbers[i]);
        numbers[i] = std::bit_cast<std::uint64_t>(static_cast<double>(digits) / power);
      }
    }
    return at - row;
  }

  [[gnu::noinline]] bool read_line_number(const ValueColumn& value, ChunkColumn& column,
                                          std::size_t begin, const Line& line, std::size_t row,
                                          std::string_view text) {
    chunk_.lines = line.line;
    const Cell cell{text, begin + static_cast<std::size_t>(text.data() - base_), text.size()};
    return take_number(value, column, static_cast<std::uint32_t>(row), cell);
  }

  /// From the first fraction on, a column holds numbers; the integers before become some.
  static void make_numbers(ChunkColumn& column, std::size_t rows) {
    column.whole = false;
    for (std::size_t i = 0; i < std::min(rows, column.numbers.size()); ++i) {
      column.numbers[i] = std::bit_cast<std::uint64_t>(
          static_cast<double>(std::bit_cast<std::int64_t>(column.numbers[i])));
    }
  }

  void read_quoted(std::size_t begin, std::size_t end) {
    const Splitter splitter{text_, layout_.delimiter, layout_.quote, &chunk_.unquoted};
    std::vector<Cell> cells;
    std::size_t at = begin;
    while (at < end) {
      if (passes_over_line(at)) continue;
      cells.clear();
      std::size_t next = 0, raw_end = 0;
      const bool whole =
          splitter.split(at, next, raw_end, [&](const Cell& cell) { cells.push_back(cell); });
      const std::uint64_t lines = count_lines(at, next);
      // A record may reach past the chunk, where nobody looked for bytes past ASCII.
      check_encoding_ |= next > end;
      if (!whole) {
        ++chunk_.records;
        reject(at, raw_end - at, Reason::broken_quote, -1);
      } else if (cells.size() != layout_.cells) {
        ++chunk_.records;
        const bool encoded = !check_encoding_ || is_utf8(text_.substr(at, raw_end - at));
        reject(at, raw_end - at, encoded ? Reason::field_count : Reason::bad_encoding, -1);
      } else {
        take_record(at, raw_end - at, [&](std::size_t i) { return cells[i]; });
      }
      chunk_.lines += lines;
      at = next;
    }
    chunk_.end = at;
    if (layout_.judge) judge_numbers();
  }

  template <typename Number>
  static std::span<const Number> numbers_of(const ChunkColumn& column) {
    return {reinterpret_cast<const Number*>(column.numbers.data()), column.numbers.size()};
  }

  /// Range and runs of the numeric columns, while they are at hand.
  void judge_numbers() {
    for (std::size_t i = 0; i < layout_.values.size(); ++i) {
      if (!layout_.values[i].numeric) continue;
      ChunkColumn& column = chunk_.columns[i];
      if (column.whole) {
        column.seen.see(numbers_of<std::int64_t>(column), column.missing);
      } else {
        column.seen.see(numbers_of<double>(column), column.missing);
      }
    }
  }

  bool passes_over_line(std::size_t& at) {
    const char first = text_[at];
    const bool comment = layout_.comment && first == *layout_.comment;
    if (!comment && static_cast<unsigned char>(first) > ' ') return false;
    const std::size_t newline = std::min(text_.find('\n', at), text_.size());
    if (!comment) {
      const std::string_view line = without_return(text_.substr(at, newline - at));
      if (!is_blank(line, layout_.delimiter)) return false;
    }
    ++chunk_.lines;
    at = std::min(newline + 1, text_.size());
    return true;
  }

  std::uint64_t count_lines(std::size_t from, std::size_t until) const {
    std::uint64_t lines = 0;
    for (std::size_t at = from; (at = text_.find('\n', at)) < until; ++at) ++lines;
    if (until == text_.size() && (until == from || text_[until - 1] != '\n')) ++lines;
    return lines;
  }

  void reject(std::size_t byte, std::size_t length, Reason reason, std::int32_t column) {
    chunk_.faults.push_back({chunk_.lines, byte, length, column, reason});
  }

  Reason reason_of(TimeVerdict verdict) const {
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

  /// Reads the record's time. Returns false, and rejects it, when there is none.
  template <typename CellAt>
  bool read_time(std::size_t byte, std::size_t length, const CellAt& cell, TimeReading& reading) {
    std::string_view text = cell(layout_.time_cell).text;
    bool missing = false;
    if (layout_.clock_cell) {
      const std::string_view clock = cell(*layout_.clock_cell).text;
      missing = missing_words_.holds(text) || missing_words_.holds(clock);
      joined_.assign(text);
      joined_ += ' ';
      joined_ += clock;
      text = joined_;
    } else if (missing_words_.has_further()) {
      missing = missing_words_.holds(text);
    }
    if (!missing) {
      const TimestampCounts& counts = times_.counts();
      const std::int64_t cut = counts.digits_cut, also = counts.by_also;
      const std::int64_t with_offset = counts.with_offset;
      reading = times_.read(text);
      FirstLines& first = chunk_.first_lines;
      if (counts.digits_cut != cut && first.cut == 0) first.cut = chunk_.lines + 1;
      if (counts.by_also != also && first.also == 0) first.also = chunk_.lines + 1;
      if (reading.verdict == TimeVerdict::ok || reading.verdict == TimeVerdict::undecided) {
        note_offset(counts.with_offset != with_offset, chunk_.lines);
        return true;
      }
      missing = reading.verdict == TimeVerdict::unreadable && missing_words_.holds(text);
    }
    reject(byte, length, missing ? Reason::missing_time : reason_of(reading.verdict),
           layout_.time_fault_column);
    return false;
  }

  template <typename CellAt>
  void take_record(std::size_t byte, std::size_t length, const CellAt& cell) {
    ++chunk_.records;
    if (check_encoding_ && !is_utf8(text_.substr(byte, length))) {
      return reject(byte, length, Reason::bad_encoding, -1);
    }
    TimeReading time;
    if (layout_.untimed) {
      time = {instant_of(chunk_.records - 1), TimeVerdict::ok, Nanoseconds(0)};
    } else if (!read_time(byte, length, cell, time)) {
      return;
    }
    if (layout_.key_cell) {
      const std::string_view key = cell(*layout_.key_cell).text;
      if (key.empty()) return reject(byte, length, Reason::missing_key, layout_.key_fault_column);
      chunk_.keys.push_back(chunk_.key_texts.number_of(key));
    }

    const auto row = static_cast<std::uint32_t>(chunk_.times.size());
    chunk_.times.push_back(nanoseconds_of(time.instant));
    if (time.verdict == TimeVerdict::undecided) chunk_.undecided.push_back({row, time.later_by});
    chunk_.offsets.push_back(static_cast<std::uint32_t>(byte - chunk_.begin));
    if (chunk_.lines - row != line_offset_) {
      line_offset_ = chunk_.lines - row;
      chunk_.runs.push_back({row, chunk_.lines});
    }
    bool unreadable = false;
    for (std::size_t i = 0; i < layout_.values.size(); ++i) {
      const ValueColumn& value = layout_.values[i];
      if (value.numeric) {
        unreadable |= !take_number(value, chunk_.columns[i], row, cell(value.cell));
      } else {
        take_text(value, chunk_.columns[i], row, cell(value.cell).text);
      }
    }
    chunk_.records_with_unreadable += unreadable;
  }

  /// Returns false when the cell is not missing and not a number.
  bool take_number(const ValueColumn& value, ChunkColumn& column, std::uint32_t row,
                   const Cell& cell) {
    NumberReading reading;
    bool missing =
        cell.text.empty() || (missing_words_.has_further() && missing_words_.holds(cell.text));
    if (!missing) {
      reading = read_number(cell.text, layout_.decimal_mark);
      if (reading.kind == NumberReading::Kind::unreadable)
        missing = missing_words_.holds(cell.text);
    }
    const bool readable = reading.kind != NumberReading::Kind::unreadable;
    column.filled_cells += !missing;
    column.numeric_cells += readable;
    if (!missing && !readable) {
      chunk_.faults.push_back(
          {chunk_.lines, cell.byte, cell.length, value.fault_column, Reason::unreadable_reading});
    }
    if (reading.kind == NumberReading::Kind::number && column.whole) make_numbers(column, row);
    if (value.keep || layout_.judge) {
      if (!readable) column.missing.push_back(row);
      const double number = reading.kind == NumberReading::Kind::integer
                                ? static_cast<double>(reading.integer)
                                : reading.number;
      if (column.numbers.size() <= row) column.numbers.resize(row + 1);
      column.numbers[row] = column.whole ? std::bit_cast<std::uint64_t>(reading.integer)
                                         : std::bit_cast<std::uint64_t>(number);
    }
    return missing || readable;
  }

  TextKind kind_of(std::string_view text) const {
    if (missing_words_.holds(text)) return missing_word;
    const auto kind = read_number(text, layout_.decimal_mark).kind;
    return kind == NumberReading::Kind::unreadable ? other_text : number_text;
  }

  /// A letter that starts neither a number nor a word for missing decides at once.
  static constexpr std::array<bool, 256> plain_letters() {
    std::array<bool, 256> plain{};
    for (const char* c = "abcdefghjklmopqrstuvwxyz"; *c != '\0'; ++c) {
      plain[static_cast<unsigned char>(*c)] = plain[static_cast<unsigned char>(*c - 32)] = true;
    }
    return plain;
  }

  [[gnu::noinline]] void judge_texts(const ValueColumn& value, ChunkColumn& column,
                                     const Buffer<Line>& lines) {
    static constexpr auto plain = plain_letters();
    const CellFinder find = finder(value.cell);
    const bool further = missing_words_.has_further();
    const std::size_t rows = lines.size();
    const Line* const line = lines.data();
    std::int64_t plain_cells = 0;
    for (std::size_t row = 0; row < rows; ++row) {
      const std::string_view text = find(line[row]);
      if (!text.empty() && plain[static_cast<unsigned char>(text[0])] && !further) {
        ++plain_cells;
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
  }

  void take_text(const ValueColumn& value, ChunkColumn& column, std::uint32_t row,
                 std::string_view text) {
    if (!value.keep) return judge_text(column, text, row);
    if (text.empty()) {
      column.codes.push_back(0);
      column.missing.push_back(row);
      return;
    }
    const std::int32_t code = column.texts.number_of(text);
    if (static_cast<std::size_t>(code) == column.text_kinds.size()) {
      column.text_kinds.push_back(kind_of(text));
    }
    const std::uint8_t kind = column.text_kinds[static_cast<std::size_t>(code)];
    column.filled_cells += kind != missing_word;
    column.numeric_cells += kind == number_text;
    column.codes.push_back(code);
  }

  std::string_view text_;
  const char* base_ = nullptr;             // of the chunk
  const std::uint32_t* places_ = nullptr;  // of the scan
  TimestampCounts layout_counts_;          // of times read by layout
  const Layout& layout_;
  const MissingWords& missing_words_;
  Chunk& chunk_;
  TimestampReader times_;
  std::uint64_t line_offset_;
  bool check_encoding_ = false;
  std::string joined_;
};

}  // namespace

void FirstLines::add(const FirstLines& other, std::uint64_t before) {
  const auto take = [&](std::uint64_t& own, std::uint64_t line) {
    if (own == 0 && line != 0) own = line + before;
  };
  take(cut, other.cut);
  take(with_offset, other.with_offset);
  take(without_offset, other.without_offset);
  take(also, other.also);
}

void ChunkColumn::clear() {
  numbers.clear();
  whole = true;
  codes.clear();
  texts.clear();
  text_kinds.clear();
  missing.clear();
  filled_cells = numeric_cells = empty_cells = boolean_cells = 0;
  seen = {};
}

void Chunk::clear() {
  lines = 0;
  records = records_with_unreadable = 0;
  times.clear();
  keys.clear();
  key_texts.clear();
  for (ChunkColumn& column : columns) column.clear();
  offsets.clear();
  runs.clear();
  faults.clear();
  undecided.clear();
  counts = {};
  first_lines = {};
  unquoted.clear();
}

void read_chunk(std::string_view text, std::size_t begin, std::size_t end, const Layout& layout,
                const MissingWords& missing_words, Chunk& chunk) {
  chunk.clear();
  chunk.begin = begin;
  chunk.end = begin;
  if (begin < end) ChunkReader(text, layout, missing_words, chunk).read(begin, end);
}

}  // namespace zerobeat::detail
