#include "io/text/split_delimited.hpp"

#include <algorithm>
#include <cstring>
#include <optional>
#include <zerobeat/base/text.hpp>

#include "io/text/record_splitter.hpp"

namespace zerobeat::inline v1::detail {

namespace {

void reject(Chunk& chunk, std::uint64_t line, std::size_t byte, std::size_t length, Reason reason) {
  ++chunk.records;
  chunk.faults.push_back({line, byte, length, -1, reason});
}

/// Whether a line that is not plainly good is a record to be read. Blank lines and comments are
/// none, and what has another number of cells is rejected.
[[gnu::noinline]] bool judge_line(const Stretch& stretch, std::uint32_t from, std::uint32_t newline,
                                  std::uint32_t number, bool regular, bool check_encoding) {
  const Layout& layout = stretch.layout;
  const std::string_view line =
      without_return(stretch.text.substr(stretch.begin + from, newline - from));
  if (is_blank(line, layout.delimiter)) return false;
  if (layout.comment && line.front() == *layout.comment) return false;
  const bool encoded = !check_encoding || is_utf8(line);
  if (encoded && regular) return true;
  reject(stretch.chunk, number, stretch.begin + from, line.size(),
         encoded ? Reason::field_count : Reason::bad_encoding);
  return false;
}

/// Walks from record to record where quotes may stand. What lies within the stretch is stepped
/// through by the scan's places; a record that reaches past it goes the plain way.
class QuotedWalk {
 public:
  QuotedWalk(const Stretch& stretch, const Scan& scan, SpanCells& cells)
      : text_(stretch.text),
        begin_(stretch.begin),
        end_(stretch.end),
        is_whole_(stretch.is_whole),
        layout_(stretch.layout),
        chunk_(stretch.chunk),
        cells_(cells),
        places_(scan.places()),
        check_encoding_(scan.has_high),
        splitter_{text_, layout_.delimiter, layout_.quote, &chunk_.unquoted} {}

  void walk() {
    std::size_t at = begin_;
    while (at < end_) {
      if (passes_over_line(at)) continue;
      SpanCells::Span* const spans = cells_.next();
      Found found;
      if (layout_.runs || !step(at, spans, found)) {
        found = {};
        split(at, spans, found);
        if (!is_whole_ && splitter_.looked_at >= text_.size()) {
          chunk_.cut = true;
          break;
        }
      }
      keep(at, found);
      line_ += found.lines;
      at = found.next;
    }
    chunk_.lines = line_;
    chunk_.end = at;
  }

 private:
  /// What was found of one record.
  struct Found {
    std::size_t next = 0;     ///< the byte after it, its line's end included
    std::size_t raw_end = 0;  ///< without
    std::size_t cells = 0;
    std::uint64_t lines = 0;
    bool broken = false;
  };

  bool passes_over_line(std::size_t& at) {
    const char first = text_[at];
    const bool comment = layout_.comment && first == *layout_.comment;
    if (!comment && static_cast<unsigned char>(first) > ' ') return false;
    const std::size_t newline = std::min(text_.find('\n', at), text_.size());
    if (!comment) {
      const std::string_view line = without_return(text_.substr(at, newline - at));
      if (!is_blank(line, layout_.runs ? ' ' : layout_.delimiter)) return false;
    }
    ++line_;
    at = std::min(newline + 1, text_.size());
    return true;
  }

  /// The first place at or after a byte of the stretch.
  void seek(std::size_t byte) {
    const auto from = static_cast<std::uint32_t>(byte - begin_);
    while (next_place_ < places_.size() && places_[next_place_] < from) ++next_place_;
  }

  void put(SpanCells::Span* spans, Found& found, std::string_view text, std::size_t raw,
           std::size_t raw_size) const {
    if (found.cells < layout_.cells) {
      spans[found.cells] = {text.data(), static_cast<std::uint32_t>(text.size()),
                            static_cast<std::uint32_t>(raw_size),
                            static_cast<std::uint32_t>(raw - begin_)};
    }
    ++found.cells;
  }

  /// Steps through a record by the places. Returns false when it has what only the plain way
  /// reads: a doubled quote, one that does not close plainly, or a reach past the stretch.
  bool step(std::size_t at, SpanCells::Span* spans, Found& found) {
    const char* const base = text_.data();
    seek(at);
    std::size_t place = next_place_;
    for (;;) {
      if (base[at] == layout_.quote) {
        const std::size_t open = at;
        const void* const close_at =
            open + 1 < end_ ? std::memchr(base + open + 1, layout_.quote, end_ - open - 1)
                            : nullptr;
        if (close_at == nullptr) return false;
        const auto close = static_cast<std::size_t>(static_cast<const char*>(close_at) - base);
        if (close + 1 >= end_) return false;
        while (place < places_.size() && places_[place] < close - begin_) {
          found.lines += base[begin_ + places_[place]] == '\n';
          ++place;
        }
        if (place == places_.size() || begin_ + places_[place] != close + 1) return false;
        put(spans, found, {base + open + 1, close - open - 1}, open, close + 1 - open);
        found.raw_end = close + 1;
      } else {
        if (place == places_.size()) return false;
        const std::size_t stop = begin_ + places_[place];
        std::string_view inside(base + at, stop - at);
        if (base[stop] == '\n') inside = without_return(inside);
        put(spans, found, inside, at, inside.size());
        found.raw_end = at + inside.size();
      }
      const std::size_t stop = begin_ + places_[place];
      ++place;
      at = stop + 1;
      if (base[stop] == '\n') break;
      if (at >= end_) return false;
    }
    ++found.lines;
    found.next = at;
    next_place_ = place;
    return true;
  }

  /// The plain way.
  void split(std::size_t at, SpanCells::Span* spans, Found& found) {
    const auto take = [&](const Cell& cell) {
      put(spans, found, cell.text, cell.byte, cell.length);
    };
    found.broken = layout_.runs ? !split_runs(splitter_, at, found.next, found.raw_end, take)
                                : !splitter_.split(at, found.next, found.raw_end, take);
    found.lines = count_lines(at, found.next);
  }

  std::uint64_t count_lines(std::size_t from, std::size_t until) const {
    std::uint64_t lines = 0;
    for (std::size_t at = from; (at = text_.find('\n', at)) < until; ++at) ++lines;
    if (until == text_.size() && (until == from || text_[until - 1] != '\n')) ++lines;
    return lines;
  }

  void keep(std::size_t at, const Found& found) {
    constexpr std::size_t most = std::size_t{1} << 31;
    if (found.next - begin_ >= most) {
      fail_input("byte {}: a record of more than 2 GiB can't be read; does a quote not close?", at);
    }
    // A record may reach past the stretch, where nobody looked for bytes past ASCII.
    check_encoding_ |= found.next > end_;
    const std::size_t length = found.raw_end - at;
    const bool encoded = found.broken || !check_encoding_ || is_utf8(text_.substr(at, length));
    if (found.broken) {
      reject(chunk_, line_, at, length, Reason::broken_quote);
    } else if (!encoded) {
      reject(chunk_, line_, at, length, Reason::bad_encoding);
    } else if (found.cells != layout_.cells) {
      reject(chunk_, line_, at, length, Reason::field_count);
    } else {
      ++chunk_.records;
      cells_.add(static_cast<std::uint32_t>(line_), static_cast<std::uint32_t>(at - begin_),
                 static_cast<std::uint32_t>(length));
    }
  }

  std::string_view text_;
  std::size_t begin_, end_;
  bool is_whole_;
  const Layout& layout_;
  Chunk& chunk_;
  SpanCells& cells_;
  std::span<const std::uint32_t> places_;
  std::size_t next_place_ = 0;
  std::uint64_t line_ = 0;
  bool check_encoding_;
  Splitter splitter_;
};

/// A last line without an end ends with the stretch.
void end_last_line(const Stretch& stretch, Scan& scan) {
  if (stretch.text[stretch.end - 1] == '\n') return;
  const std::size_t size = stretch.end - stretch.begin;
  const auto places = scan.places();
  if (places.empty() || places.back() != size) scan.add(size, true);
}

}  // namespace

bool is_utf8(std::string_view text) {
  constexpr std::uint64_t high_bits = 0x8080808080808080;
  while (!text.empty()) {
    std::uint64_t eight = 0;
    if (text.size() >= sizeof eight) std::memcpy(&eight, text.data(), sizeof eight);
    if (text.size() >= sizeof eight && (eight & high_bits) == 0) {
      text.remove_prefix(sizeof eight);
      continue;
    }
    const std::size_t length = utf8_length(text);
    if (length == 0) return false;
    text.remove_prefix(length);
  }
  return true;
}

std::optional<EvenCells> even_cells(const Stretch& stretch, Scan& scan) {
  const Layout& layout = stretch.layout;
  const char* const base = stretch.text.data() + stretch.begin;
  end_last_line(stretch, scan);
  const std::size_t cells = layout.cells, rows = scan.lines();
  if (scan.has_high || rows * cells != scan.places().size()) return std::nullopt;
  const std::uint32_t* const places = scan.first_place();
  const int comment = layout.comment ? static_cast<unsigned char>(*layout.comment) : -1;
  bool even = true;
  for (std::size_t row = 0; row < rows; ++row) {
    const std::uint32_t* const line = places + row * cells;
    const int first = static_cast<unsigned char>(base[line[-1] + 1]);
    even &= first > ' ' && first != comment;
    // The last line may end without one.
    if (row + 1 < rows) even &= base[line[cells - 1]] == '\n';
  }
  if (!even) return std::nullopt;
  stretch.chunk.records += static_cast<std::int64_t>(rows);
  stretch.chunk.lines = rows;
  stretch.chunk.end = stretch.end;
  return EvenCells(base, places, cells, rows, scan.has_return);
}

void split_plain(const Stretch& stretch, Scan& scan, PlainCells& cells) {
  const Layout& layout = stretch.layout;
  const char* const base = stretch.text.data() + stretch.begin;
  end_last_line(stretch, scan);
  const std::uint32_t* const places = scan.first_place();
  cells.set_places(places);
  const auto in_header = static_cast<std::uint32_t>(layout.cells);
  const int comment = layout.comment ? static_cast<unsigned char>(*layout.comment) : -1;
  const bool check_all = scan.has_high;
  Buffer<PlainCells::Line>& lines = cells.lines();
  lines.resize(scan.lines());
  PlainCells::Line* const line = lines.data();
  std::size_t kept = 0;
  std::uint32_t place = 0;   // the first of the line
  std::uint32_t number = 0;  // of the line
  const auto count = static_cast<std::uint32_t>(scan.places().size());
  const auto size = static_cast<std::uint32_t>(stretch.end - stretch.begin);
  for (std::uint32_t at = 0; at < count; ++at) {
    if (places[at] < size && base[places[at]] != '\n') continue;
    const bool regular = at - place + 1 == in_header;
    const std::uint32_t from = (places + place)[-1] + 1;
    const int first = static_cast<unsigned char>(base[from]);
    const bool odd = first <= ' ' || first == comment || check_all;
    if ((regular && !odd) || judge_line(stretch, from, places[at], number, regular, check_all)) {
      line[kept++] = {place, number};
    }
    place = at + 1;
    ++number;
  }
  lines.resize(kept);
  stretch.chunk.records += static_cast<std::int64_t>(kept);
  stretch.chunk.lines = scan.lines();
  stretch.chunk.end = stretch.end;
}

void split_quoted(const Stretch& stretch, const Scan& scan, SpanCells& cells) {
  QuotedWalk(stretch, scan, cells).walk();
}

}  // namespace zerobeat::detail
