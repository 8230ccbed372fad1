/// Records split into cells, and not judged yet: what every splitter of text leaves for the judge.
///
/// Kinds of tables have the same calls. EvenCells is of delimited text without quotes whose lines
/// are all records of as many cells. PlainCells is of such text in which some lines are not: every
/// delimiter and every line's end is one. SpanCells is of everything else: each cell stands where
/// its splitter found it.

#pragma once

#include <cstdint>
#include <cstring>
#include <deque>
#include <string>
#include <string_view>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A cell that a source does not have.
inline constexpr std::size_t absent_cell = static_cast<std::size_t>(-1);

/// The raw text of a record or a cell, by its bytes after the chunk's first.
struct RawSpan {
  std::size_t from = 0;
  std::size_t length = 0;
};

/// Lines that all have as many cells as the header, one after the other. None can be taken out:
/// when one is, the table says so, and PlainCells is to be tried.
class EvenCells {
 public:
  /// Where the cells of one column stand.
  struct Finder {
    const char* base;
    const std::uint32_t*
        stops;          ///< the place after the first row's cell; the one before it ends it
    std::size_t cells;  ///< places from row to row
    bool has_return;    ///< one may stand before the line's end

    [[gnu::always_inline]] std::string_view operator()(std::size_t row) const {
      const std::uint32_t* const at = stops + row * cells;
      const std::uint32_t start = at[-1] + 1;
      std::uint32_t stop = *at;
      if (has_return && stop > start && base[stop - 1] == '\r') --stop;
      return {base + start, stop - start};
    }
  };

  EvenCells(const char* base, const std::uint32_t* places, std::size_t cells, std::size_t rows,
            bool has_return)
      : base_(base), places_(places), cells_(cells), rows_(rows), has_return_(has_return) {}

  std::size_t size() const { return rows_; }
  Finder finder(std::size_t cell) const {
    return {base_, places_ + cell, cells_, has_return_ && cell + 1 == cells_};
  }
  std::string_view text(std::size_t row, std::size_t cell) const {
    return cell == absent_cell ? std::string_view() : finder(cell)(row);
  }
  RawSpan raw_cell(std::size_t row, std::size_t cell) const {
    const std::string_view word = text(row, cell);
    return {static_cast<std::size_t>(word.data() - base_), word.size()};
  }
  std::uint64_t line(std::size_t row) const { return row; }
  std::uint32_t start(std::size_t row) const { return (places_ + row * cells_)[-1] + 1; }
  /// The raw record, without its line's end.
  RawSpan raw_record(std::size_t row) const {
    const RawSpan last = raw_cell(row, cells_ - 1);
    return {start(row), last.from + last.length - start(row)};
  }

  void move(std::size_t to, std::size_t from, std::size_t) { lacks_rows_ |= to != from; }
  void cut(std::size_t rows) { lacks_rows_ |= rows != rows_; }
  /// Whether a row was taken out, so that what is here is no longer right.
  bool lacks_rows() const { return lacks_rows_; }

 private:
  const char* base_;
  const std::uint32_t* places_;
  std::size_t cells_, rows_;
  bool has_return_;
  bool lacks_rows_ = false;
};

/// Lines that have as many cells as the header.
class PlainCells {
 public:
  struct Line {
    std::uint32_t place = 0;  ///< which of the scan's places ends its first cell
    std::uint32_t line = 0;   ///< its number in the chunk
  };

  /// Where the cells of one column stand.
  struct Finder {
    const char* base;
    const std::uint32_t* places;
    const Line* lines;
    std::uint32_t cell;
    bool last;

    [[gnu::always_inline]] std::string_view operator()(std::size_t row) const {
      const std::uint32_t* const at = places + lines[row].place + cell;
      const std::uint32_t start = at[-1] + 1;
      std::uint32_t stop = *at;
      if (last && stop > start && base[stop - 1] == '\r') --stop;
      return {base + start, stop - start};
    }
  };

  PlainCells(const char* base, std::size_t cells, Buffer<Line>& lines)
      : base_(base), cells_(cells), lines_(lines) {}
  /// The scan's, before whose first one lies another.
  void set_places(const std::uint32_t* places) { places_ = places; }

  std::size_t size() const { return lines_.size(); }
  Finder finder(std::size_t cell) const {
    return {base_, places_, lines_.data(), static_cast<std::uint32_t>(cell), cell + 1 == cells_};
  }
  std::string_view text(std::size_t row, std::size_t cell) const {
    return cell == absent_cell ? std::string_view() : finder(cell)(row);
  }
  RawSpan raw_cell(std::size_t row, std::size_t cell) const {
    const std::string_view word = text(row, cell);
    return {static_cast<std::size_t>(word.data() - base_), word.size()};
  }
  std::uint64_t line(std::size_t row) const { return lines_[row].line; }
  std::uint32_t start(std::size_t row) const { return (places_ + lines_[row].place)[-1] + 1; }
  /// The raw record, without its line's end.
  RawSpan raw_record(std::size_t row) const {
    const RawSpan last = raw_cell(row, cells_ - 1);
    return {start(row), last.from + last.length - start(row)};
  }

  /// Rows that are kept move up over those that are not.
  void move(std::size_t to, std::size_t from, std::size_t rows) {
    if (to != from) std::memmove(&lines_[to], &lines_[from], rows * sizeof(Line));
  }
  void cut(std::size_t rows) { lines_.resize(rows); }
  Buffer<Line>& lines() { return lines_; }

 private:
  const char* base_;
  const std::uint32_t* places_ = nullptr;
  std::size_t cells_;
  Buffer<Line>& lines_;
};

/// Records whose cells stand anywhere. What had to be put together (a doubled quote, an escape)
/// lies in a store of its own.
class SpanCells {
 public:
  struct Record {
    std::uint32_t line = 0;   ///< its number in the chunk
    std::uint32_t start = 0;  ///< bytes after the chunk's first
    std::uint32_t length = 0;
    std::uint32_t row = 0;  ///< where its cells are
  };
  struct Span {
    const char* text = nullptr;
    std::uint32_t size = 0;
    std::uint32_t raw_size = 0;
    std::uint32_t raw = 0;  ///< bytes after the chunk's first
  };
  struct Finder {
    const Span* spans;
    const Record* records;
    std::size_t cells, cell;

    [[gnu::always_inline]] std::string_view operator()(std::size_t row) const {
      const Span& span = spans[records[row].row * cells + cell];
      return {span.text, span.size};
    }
  };

  explicit SpanCells(std::size_t cells) : cells_(cells) {}

  void clear(std::size_t cells) {
    cells_ = cells;
    records_.clear();
    spans_.clear();
  }
  /// Room for the cells of one more record, which add() keeps.
  Span* next() {
    const std::size_t at = records_.size() * cells_;
    spans_.resize(at + cells_);
    return spans_.data() + at;
  }
  void add(std::uint32_t line, std::uint32_t start, std::uint32_t length) {
    records_.push_back({line, start, length, static_cast<std::uint32_t>(records_.size())});
  }

  std::size_t size() const { return records_.size(); }
  Finder finder(std::size_t cell) const { return {spans_.data(), records_.data(), cells_, cell}; }
  std::string_view text(std::size_t row, std::size_t cell) const {
    return cell == absent_cell ? std::string_view() : finder(cell)(row);
  }
  RawSpan raw_cell(std::size_t row, std::size_t cell) const {
    const Span& span = spans_[records_[row].row * cells_ + cell];
    return {span.raw, span.raw_size};
  }
  std::uint64_t line(std::size_t row) const { return records_[row].line; }
  std::uint32_t start(std::size_t row) const { return records_[row].start; }
  RawSpan raw_record(std::size_t row) const { return {records_[row].start, records_[row].length}; }
  void move(std::size_t to, std::size_t from, std::size_t rows) {
    if (to != from) std::memmove(&records_[to], &records_[from], rows * sizeof(Record));
  }
  void cut(std::size_t rows) { records_.resize(rows); }

 private:
  std::size_t cells_;
  Buffer<Record> records_;
  Buffer<Span> spans_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
