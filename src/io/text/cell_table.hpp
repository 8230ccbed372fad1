/// Records split into cells, and not judged yet: what every splitter of text leaves for the judge.
///
/// Two kinds of table have the same calls. PlainCells is of delimited text without quotes, where
/// every delimiter and every line's end is one. SpanCells is of everything else: each cell stands
/// where its splitter found it.

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
      const std::uint32_t at = lines[row].place + cell;
      const std::uint32_t start = at == 0 ? 0 : places[at - 1] + 1;
      std::uint32_t stop = places[at];
      if (last && stop > start && base[stop - 1] == '\r') --stop;
      return {base + start, stop - start};
    }
  };

  PlainCells(const char* base, std::size_t cells, Buffer<Line>& lines)
      : base_(base), cells_(cells), lines_(lines) {}
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
  std::uint32_t start(std::size_t row) const {
    const std::uint32_t place = lines_[row].place;
    return place == 0 ? 0 : places_[place - 1] + 1;
  }
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
