#include "io/chunk.hpp"

#include "io/scan.hpp"

#include <bit>
#include <cstring>

namespace zerobeat::detail {

namespace {

enum TextKind : std::uint8_t { other_text, missing_word, number_text, boolean_text };

/// A cell: what it says, and where it stands.
struct Cell {
  std::string_view text;
  std::size_t byte = 0;  ///< of its raw text, quotes and all
  std::size_t length = 0;
};

bool is_blank(std::string_view line, char delimiter) {
  for (const char c : line) {
    if (c != ' ' && !(c == '\t' && delimiter != '\t')) return false;
  }
  return true;
}

std::string_view without_return(std::string_view line) {
  if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
  return line;
}

bool is_utf8(std::string_view text) {
  while (!text.empty()) {
    const std::size_t length = utf8_length(text);
    if (length == 0) return false;
    text.remove_prefix(length);
  }
  return true;
}

/// Splits one record that may have quotes. Returns false when a quoted field does not close.
struct Splitter {
  std::string_view text;
  char delimiter;
  char quote;
  std::deque<std::string>* unquoted;

  /// `end` becomes the byte after the record, its line's end included; `raw_end` without it.
  template <typename Put>
  bool split(std::size_t begin, std::size_t& end, std::size_t& raw_end, Put&& put) const {
    std::size_t at = begin;
    for (;;) {
      if (at < text.size() && quote != '\0' && text[at] == quote) {
        const std::size_t open = at;
        bool doubled = false;
        std::size_t close = open + 1;
        for (;;) {
          close = text.find(quote, close);
          if (close == std::string_view::npos) return broken(begin, end, raw_end);
          if (close + 1 < text.size() && text[close + 1] == quote) {
            doubled = true;
            close += 2;
            continue;
          }
          break;
        }
        at = close + 1;
        const std::string_view rest = text.substr(at, 2);
        const bool ends_line = rest.empty() || rest[0] == '\n' || rest == "\r\n" || rest == "\r";
        if (!ends_line && rest[0] != delimiter) return broken(begin, end, raw_end);
        std::string_view inside = text.substr(open + 1, close - open - 1);
        if (doubled) inside = undouble(inside);
        put(Cell{inside, open, at - open});
        if (ends_line) {
          raw_end = at;
          while (at < text.size() && text[at] == '\r') ++at;
          end = at < text.size() ? at + 1 : at;
          return true;
        }
        ++at;
        continue;
      }
      const std::size_t from = at;
      while (at < text.size() && text[at] != delimiter && text[at] != '\n') ++at;
      const bool ends_line = at == text.size() || text[at] == '\n';
      std::string_view inside = text.substr(from, at - from);
      if (ends_line) inside = without_return(inside);
      put(Cell{inside, from, inside.size()});
      if (ends_line) {
        raw_end = from + inside.size();
        end = at < text.size() ? at + 1 : at;
        return true;
      }
      ++at;
    }
  }

  bool broken(std::size_t begin, std::size_t& end, std::size_t& raw_end) const {
    const std::size_t newline = text.find('\n', begin);
    raw_end = newline == std::string_view::npos ? text.size() : newline;
    end = newline == std::string_view::npos ? text.size() : newline + 1;
    if (raw_end > begin && text[raw_end - 1] == '\r') --raw_end;
    return false;
  }

  std::string_view undouble(std::string_view inside) const {
    std::string out;
    for (std::size_t i = 0; i < inside.size(); ++i) {
      out += inside[i];
      if (inside[i] == quote) ++i;
    }
    return unquoted->emplace_back(std::move(out));
  }
};

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

  /// Without quotes, every delimiter and newline is one.
  void read_plain(std::size_t begin, std::size_t end, const Scan& scan) {
    const std::size_t cells = layout_.cells;
    const std::uint32_t* const places = scan.places.data();
    const std::size_t count = scan.places.size();
    const char* const base = text_.data() + begin;
    const std::size_t size = end - begin;
    std::size_t k = 0;     // the first place of the record
    std::size_t from = 0;  // the record's first byte, after `begin`
    while (from < size) {
      const std::uint32_t* own = places + k;
      bool plain = k + cells <= count && base[own[cells - 1]] == '\n';
      for (std::size_t i = 0; plain && i + 1 < cells; ++i) plain = base[own[i]] != '\n';
      const char first = base[from];
      const bool odd = static_cast<unsigned char>(first) <= ' ' || (layout_.comment && first == *layout_.comment);
      if (plain && !odd) {
        std::size_t last_end = own[cells - 1];
        if (last_end > from && base[last_end - 1] == '\r') --last_end;
        const auto cell = [&](std::size_t i) {
          const std::size_t start = i == 0 ? from : own[i - 1] + 1;
          const std::size_t stop = i + 1 == cells ? std::max(start, last_end) : own[i];
          return Cell{{base + start, stop - start}, begin + start, stop - start};
        };
        take_record(begin + from, last_end - from, cell);
        from = own[cells - 1] + 1;
        k += cells;
        ++chunk_.lines;
        continue;
      }
      read_odd_line(begin, size, from, k, places, count);
    }
    chunk_.end = begin + size;
  }

  /// A line that is blank, a comment, the last one without a newline, or has another number of
  /// cells.
  void read_odd_line(std::size_t begin, std::size_t size, std::size_t& from, std::size_t& k,
                     const std::uint32_t* places, std::size_t count) {
    const std::size_t first = k;
    while (k < count && text_[begin + places[k]] != '\n') ++k;
    const std::size_t newline = k < count ? places[k] : size;
    const std::size_t found = k - first + 1;
    const std::string_view line = without_return(text_.substr(begin + from, newline - from));
    const bool passed_over = is_blank(line, layout_.delimiter) ||
                             (layout_.comment && line.front() == *layout_.comment);
    if (!passed_over) {
      const auto cell = [&](std::size_t i) {
        const std::size_t start = i == 0 ? from : places[first + i - 1] + 1;
        const std::size_t stop = i + 1 == found ? from + line.size() : places[first + i];
        return Cell{text_.substr(begin + start, stop - start), begin + start, stop - start};
      };
      if (found == layout_.cells) {
        take_record(begin + from, line.size(), cell);
      } else {
        ++chunk_.records;
        const bool encoded = !check_encoding_ || is_utf8(line);
        reject(begin + from, line.size(), encoded ? Reason::field_count : Reason::bad_encoding, -1);
      }
    }
    ++chunk_.lines;
    from = newline + 1;
    if (k < count) ++k;
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
      const std::int64_t cut_before = times_.counts().digits_cut;
      reading = times_.read(text);
      if (times_.counts().digits_cut != cut_before && chunk_.first_cut_line == 0) {
        chunk_.first_cut_line = chunk_.lines + 1;
      }
      if (reading.verdict == TimeVerdict::ok || reading.verdict == TimeVerdict::undecided) {
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
    if (!read_time(byte, length, cell, time)) return;
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
    bool missing = cell.text.empty() ||
                   (missing_words_.has_further() && missing_words_.holds(cell.text));
    if (!missing) {
      reading = read_number(cell.text, layout_.decimal_mark);
      if (reading.kind == NumberReading::Kind::unreadable) missing = missing_words_.holds(cell.text);
    }
    const bool readable = reading.kind != NumberReading::Kind::unreadable;
    column.filled_cells += !missing;
    column.numeric_cells += readable;
    if (!missing && !readable) {
      const bool truth = cell.text == "true" || cell.text == "false";
      column.boolean_cells += truth;
      chunk_.faults.push_back({chunk_.lines, cell.byte, cell.length, value.fault_column,
                               Reason::unreadable_reading});
    }
    if (value.keep) {
      if (reading.kind == NumberReading::Kind::number && column.whole) {
        column.whole = false;
        for (std::uint64_t& bits : column.numbers) {
          bits = std::bit_cast<std::uint64_t>(
              static_cast<double>(std::bit_cast<std::int64_t>(bits)));
        }
      }
      if (!readable) column.missing.push_back(row);
      const double number = reading.kind == NumberReading::Kind::integer
                                ? static_cast<double>(reading.integer)
                                : reading.number;
      column.numbers.push_back(column.whole ? std::bit_cast<std::uint64_t>(reading.integer)
                                            : std::bit_cast<std::uint64_t>(number));
    } else {
      column.whole &= reading.kind != NumberReading::Kind::number;
    }
    return missing || readable;
  }

  TextKind kind_of(std::string_view text) const {
    if (missing_words_.holds(text)) return missing_word;
    if (text == "true" || text == "false") return boolean_text;
    const auto kind = read_number(text, layout_.decimal_mark).kind;
    return kind == NumberReading::Kind::unreadable ? other_text : number_text;
  }

  void take_text(const ValueColumn& value, ChunkColumn& column, std::uint32_t row,
                 std::string_view text) {
    if (!value.keep) {
      // A letter that starts neither a number nor a word for missing decides at once.
      const auto letter = static_cast<unsigned char>((text.empty() ? ' ' : text[0]) | 0x20);
      const bool plain = letter >= 'a' && letter <= 'z' && letter != 'n' && letter != 'i' &&
                         letter != 't' && letter != 'f' && !missing_words_.has_further();
      const TextKind kind = plain ? other_text : kind_of(text);
      column.filled_cells += kind != missing_word;
      column.numeric_cells += kind == number_text;
      column.boolean_cells += kind == boolean_text;
      return;
    }
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
    column.boolean_cells += kind == boolean_text;
    column.codes.push_back(code);
  }

  std::string_view text_;
  const Layout& layout_;
  const MissingWords& missing_words_;
  Chunk& chunk_;
  TimestampReader times_;
  std::uint64_t line_offset_;
  bool check_encoding_ = false;
  std::string joined_;
};

}  // namespace

Chunk read_chunk(std::string_view text, std::size_t begin, std::size_t end, const Layout& layout,
                 const MissingWords& missing_words) {
  Chunk chunk;
  chunk.begin = begin;
  chunk.end = begin;
  if (begin < end) ChunkReader(text, layout, missing_words, chunk).read(begin, end);
  return chunk;
}

LooseRecord read_loose_record(std::string_view text, std::size_t begin, char delimiter,
                              char quote) {
  LooseRecord record;
  std::deque<std::string> unquoted;
  const Splitter splitter{text, delimiter, quote, &unquoted};
  std::size_t raw_end = 0;
  const bool whole = splitter.split(begin, record.end, raw_end, [&](const Cell& cell) {
    record.cells.emplace_back(cell.text);
  });
  record.broken = !whole;
  record.blank = is_blank(text.substr(begin, raw_end - begin), delimiter);
  return record;
}

std::size_t raw_record_length(std::string_view text, std::size_t begin, const Layout& layout) {
  std::deque<std::string> unquoted;
  const Splitter splitter{text, layout.delimiter, layout.quote, &unquoted};
  std::size_t end = 0, raw_end = 0;
  splitter.split(begin, end, raw_end, [](const Cell&) {});
  return raw_end - begin;
}

}  // namespace zerobeat::detail
