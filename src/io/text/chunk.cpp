#include "io/text/chunk.hpp"

#include "io/judge/judge_cells.hpp"
#include "io/text/scan.hpp"
#include "io/text/split_delimited.hpp"
#include "io/text/split_json.hpp"

namespace zerobeat::inline v1::detail {

namespace {

void reserve(Chunk& chunk, const Layout& layout, std::size_t records) {
  chunk.columns.resize(layout.values.size());
  chunk.times.reserve(records);
  chunk.offsets.reserve(records);
  if (!layout.key_cells.empty()) chunk.keys.reserve(records);
  for (std::size_t i = 0; i < layout.values.size(); ++i) {
    if (!layout.values[i].keep) continue;
    if (layout.values[i].numeric) {
      chunk.columns[i].numbers.reserve(records);
    } else {
      chunk.columns[i].codes.reserve(records);
    }
  }
}

/// Reads a stretch of which every line is a record that is kept; false, and nothing is read, when
/// one is not.
bool read_evenly(const Stretch& stretch, Scan& scan, const MissingWords& missing_words) {
  auto cells = even_cells(stretch, scan);
  if (!cells) return false;
  Chunk& chunk = stretch.chunk;
  const char* const base = stretch.text.data() + stretch.begin;
  CellJudge(*cells, base, stretch.begin, stretch.layout, missing_words, chunk).judge();
  if (!cells->lacks_rows()) return true;
  chunk.clear();
  return false;
}

}  // namespace

void FirstLines::add(const FirstLines& other, std::uint64_t before, std::size_t part) {
  const auto take = [&](std::uint64_t& own, std::uint64_t line) {
    if (own == 0 && line != 0) own = part * part_bytes + line + before;
  };
  take(cut, other.cut);
  take(with_offset, other.with_offset);
  take(without_offset, other.without_offset);
  take(also, other.also);
}

void CellTally::add(const CellTally& next, std::int64_t rows_before) {
  filled_cells += next.filled_cells;
  numeric_cells += next.numeric_cells;
  empty_cells += next.empty_cells;
  boolean_cells += next.boolean_cells;
  if (first_other < 0 && next.first_other >= 0) first_other = rows_before + next.first_other;
  if (first_zero < 0 && next.first_zero >= 0) first_zero = rows_before + next.first_zero;
  zero_cells += next.zero_cells;
  if (first_wide < 0 && next.first_wide >= 0) first_wide = rows_before + next.first_wide;
  wide_cells += next.wide_cells;
  has_fraction |= next.has_fraction;
  if (first_word < 0 && next.first_word >= 0) {
    first_word = rows_before + next.first_word;
    word = next.word;
  }
  word_cells += next.word_cells;
  constexpr std::size_t most_others = 400;
  if (others.size() < most_others) {
    others.insert(others.end(), next.others.begin(), next.others.end());
  }
  seen.append(next.seen, rows_before);
}

void ChunkColumn::clear() {
  static_cast<CellTally&>(*this) = {};
  numbers.clear();
  whole = true;
  codes.clear();
  texts.clear();
  text_kinds.clear();
  missing.clear();
  last_zero_ = -1;
}

void ChunkColumn::count_zero(std::string_view text, std::int64_t row) {
  // Cells that were looked at many at a time are looked at again one by one.
  if (row <= last_zero_ || text.find_first_not_of("0123456789") != std::string_view::npos) return;
  last_zero_ = row;
  if (zero_cells++ == 0) first_zero = row;
}

void Chunk::clear() {
  lines = 0;
  records = records_with_unreadable = 0;
  times.clear();
  keys.clear();
  constexpr std::size_t many = std::size_t{1} << 17;
  if (!is_appended || key_texts.texts().size() > many) {
    key_texts.clear();
    key_numbers.clear();
  }
  is_appended = false;
  for (ChunkColumn& column : columns) column.clear();
  offsets.clear();
  runs.clear();
  faults.clear();
  undecided.clear();
  counts = {};
  first_lines = {};
  unquoted.clear();
  further_names.clear();
  cut = false;
}

void read_chunk(std::string_view text, bool is_whole, std::size_t begin, std::size_t end,
                const Layout& layout, const MissingWords& missing_words, Chunk& chunk) {
  chunk.clear();
  chunk.begin = begin;
  chunk.end = begin;
  if (begin >= end) return;
  const Stretch stretch{text, is_whole, begin, end, layout, chunk};
  const char* const base = text.data() + begin;
  thread_local SpanCells spans(1);
  spans.clear(layout.cells);
  if (layout.named) {
    reserve(chunk, layout, (end - begin) / (16 * layout.cells) + 1);
    split_json(stretch, spans);
    CellJudge(spans, base, begin, layout, missing_words, chunk).judge();
    return;
  }
  thread_local Scan scan;
  scan_text(text.substr(begin, end - begin), layout.delimiter, layout.quote, scan);
  reserve(chunk, layout, scan.places().size() / layout.cells + 1);
  if (scan.has_quote || layout.runs) {
    split_quoted(stretch, scan, spans);
    CellJudge(spans, base, begin, layout, missing_words, chunk).judge();
  } else if (!read_evenly(stretch, scan, missing_words)) {
    thread_local Buffer<PlainCells::Line> lines;
    PlainCells cells(base, layout.cells, lines);
    split_plain(stretch, scan, cells);
    CellJudge(cells, base, begin, layout, missing_words, chunk).judge();
  }
}

void judge_rows(const RowSource& source, const RowBatch& batch, std::uint64_t first_row,
                const Layout& layout, const MissingWords& missing_words, Chunk& chunk) {
  chunk.clear();
  chunk.begin = first_row;
  chunk.end = first_row + batch.rows;
  chunk.lines = batch.rows;
  chunk.records = static_cast<std::int64_t>(batch.rows);
  chunk.columns.resize(layout.values.size());
  RowCells cells(source, batch, chunk.unquoted);
  CellJudge(cells, nullptr, 0, layout, missing_words, chunk).judge();
}

}  // namespace zerobeat::detail
