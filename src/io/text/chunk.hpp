/// Chunks: a stretch of delimited text, read record by record.
///
/// A chunk starts where a record is believed to start, and holds the records
/// that start before its end; the last of them may end past it. Whether the
/// belief was right is for the caller to see: the chunk before tells where it
/// really ended.

#pragma once

#include <algorithm>
#include <cstdint>
#include <deque>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "io/judge/cells.hpp"
#include "io/judge/interner.hpp"
#include "io/judge/row_source.hpp"
#include "io/judge/time_cells.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// How one value column is read.
struct ValueColumn {
  std::size_t cell = 0;  ///< its place in the record
  bool numeric = true;   ///< as believed
  /// Its type, where the source says it: numbers (or not), or times. Else the cells tell.
  enum class Known : std::uint8_t { nothing, type, time } known = Known::nothing;
  bool keep = true;  ///< its readings are wanted; else it is only judged
  /// What is settled whatever its cells hold: the user said so, or a number would lose digits.
  enum class Told : std::uint8_t { nothing, number, text, text_for_digits } told = Told::nothing;
  Finding digits{};  ///< what was found when it is text for its digits
  std::int32_t fault_column = -1;
};

/// How records are read.
struct Layout {
  bool named = false;  ///< every field has its name
  char delimiter = ',';
  bool runs = false;  ///< of spaces and tabs stand between cells
  char quote = '"';   ///< '\0': no quoting
  std::optional<char> comment;
  NumberShape numbers;
  std::size_t cells = 0;  ///< in a record
  std::vector<std::string> cell_names;
  std::vector<std::size_t> time_cells;  ///< one, or several that make the time
  TimeJoin time_join;                   ///< how several are put together
  bool judge = false;                   ///< the columns are judged here, and none is kept
  bool lines_only = false;              ///< of the records' places the bytes are not wanted
  bool untimed = false;                 ///< no cell is a time; times number the records
  std::vector<std::size_t> key_cells;   ///< one, or several that make the key
  std::int32_t time_fault_column = -1;
  std::int32_t key_fault_column = -1;
  std::vector<ValueColumn> values;
  TimestampOptions times;
};

/// What was counted and seen of the cells of one value column, in some rows.
struct CellTally {
  std::int64_t filled_cells = 0;      ///< that are not missing
  std::int64_t numeric_cells = 0;     ///< that read as numbers
  std::int64_t empty_cells = 0;       ///< of a text column that is judged
  std::int64_t boolean_cells = 0;     ///< of it: true or false
  std::int64_t first_other = -1;      ///< of a text column: the first row that is no number
  std::vector<std::string> others{};  ///< and some such cells
  std::int64_t zero_cells = 0;        ///< whole numbers that begin with a needless 0
  std::int64_t first_zero = -1;       ///< the first row of these
  std::int64_t wide_cells = 0;        ///< whole numbers past what int64 holds
  std::int64_t first_wide = -1;       ///< the first row of these
  bool has_fraction = false;          ///< some number is not whole
  std::int64_t word_cells = 0;        ///< words for missing
  std::int64_t first_word = -1;       ///< the first row of these
  std::string word{};                 ///< and what stands there
  ColumnSeen seen{};                  ///< of a column that is judged

  /// Notes a cell that holds a word for missing.
  void note_word(std::string_view text, std::size_t row) {
    if (word_cells++ > 0) return;
    constexpr std::size_t longest = 40;
    first_word = static_cast<std::int64_t>(row);
    word = text.substr(0, longest);
  }

  /// Whether all are whole, as far as seen, and some past what int64 holds.
  bool may_be_wide() const { return wide_cells > 0 && !has_fraction; }

  /// Adds that of the rows that follow, `rows_before` after the first of all.
  void add(const CellTally& next, std::int64_t rows_before);
};

/// The readings of one value column, as far as they were wanted, and their judgement: of a chunk,
/// whose texts stand in the source, or of all chunks so far, whose texts are held.
template <typename Text>
struct ColumnCells : CellTally {
  Buffer<std::uint64_t> numbers{};  ///< bits of int64 or double
  bool whole = true;                ///< `numbers` holds int64
  Buffer<std::int32_t> codes{};     ///< text: into `texts`
  Interner<Text> texts{};
};

struct ChunkColumn : ColumnCells<std::string_view> {
  std::vector<std::uint8_t> text_kinds{};  ///< of each text: a TextKind
  std::vector<std::uint32_t> missing{};    ///< rows with no reading, ascending

  /// Notes a whole number that would lose its zeros: 08123, a code.
  [[gnu::always_inline]] void note_zero(std::string_view text, std::size_t row) {
    if (text.size() < 2 || text[0] != '0' || text[1] < '0' || text[1] > '9') [[likely]]
      return;
    count_zero(text, static_cast<std::int64_t>(row));
  }

  /// Notes a number that is not one of int64.
  void note_number(bool wide, std::size_t row) {
    if (!wide) {
      has_fraction = true;
    } else if (wide_cells++ == 0) {
      first_wide = static_cast<std::int64_t>(row);
    }
  }
  /// Empty again, its buffers' memory kept.
  void clear();

 private:
  void count_zero(std::string_view text, std::int64_t row);

  std::int64_t last_zero_ = -1;
};

template <typename Number>
std::span<const Number> numbers_of(const ChunkColumn& column) {
  return {reinterpret_cast<const Number*>(column.numbers.data()), column.numbers.size()};
}

/// From the first fraction on, a column holds numbers; the integers before become some.
inline void make_numbers(ChunkColumn& column, std::size_t rows) {
  column.whole = false;
  for (std::size_t i = 0; i < std::min(rows, column.numbers.size()); ++i) {
    column.numbers[i] = std::bit_cast<std::uint64_t>(
        static_cast<double>(std::bit_cast<std::int64_t>(column.numbers[i])));
  }
}

/// Where something was first seen: a line of the chunk, plus 1; 0 is nowhere. Of a whole source
/// with its part in the upper bits.
struct FirstLines {
  std::uint64_t cut = 0;  ///< a second of more than nine digits
  std::uint64_t with_offset = 0;
  std::uint64_t without_offset = 0;
  std::uint64_t also = 0;  ///< a time of the second format

  /// Those of `other`, `before` lines further on in a part, where there is none yet.
  void add(const FirstLines& other, std::uint64_t before, std::size_t part);
};

/// A record whose local time happens twice, for the order of the records to decide.
struct Undecided {
  std::uint64_t row = 0;  ///< of the chunk, or of the source
  Nanoseconds later_by{0};
};

struct Chunk {
  std::size_t begin = 0;    ///< byte where its first record starts
  std::size_t end = 0;      ///< byte after its last record
  std::uint64_t lines = 0;  ///< lines in it
  std::int64_t records = 0;
  Buffer<std::int64_t> times;
  Buffer<std::int32_t> keys;
  Interner<std::string> key_texts;        ///< those of chunks before that lay here, too
  std::vector<std::int32_t> key_numbers;  ///< what the whole source calls the first of them
  std::vector<ChunkColumn> columns;
  Buffer<std::uint32_t> offsets;  ///< of kept records, from `begin`, where they are wanted
  std::vector<Places::Run> runs;  ///< lines of kept records, from 0
  std::vector<Fault> faults;      ///< lines from 0
  std::vector<Undecided> undecided;
  TimestampCounts counts;
  FirstLines first_lines;
  std::int64_t records_with_unreadable = 0;
  std::set<std::string> further_names;  ///< of JSON lines, that the layout does not have
  bool is_appended = false;             ///< what it holds was put together with the others
  bool cut = false;  ///< it ends before a record that may reach past what has arrived
  std::deque<std::string> unquoted;  ///< cells whose quotes were taken out

  /// Empty again, its buffers' memory kept; and the keys' texts, which mostly come again, when it
  /// was appended.
  void clear();
};

/// Reads the records that start in [begin, end) of `text` into `chunk`, whose memory is used again.
/// When `text` is not all of the source, and a record may reach past it, the chunk ends before it.
void read_chunk(std::string_view text, bool is_whole, std::size_t begin, std::size_t end,
                const Layout& layout, const MissingWords& missing_words, Chunk& chunk);

/// Judges a batch of rows, the first of which is the source's `first_row`-th from 0.
void judge_rows(const RowSource& source, const RowBatch& batch, std::uint64_t first_row,
                const Layout& layout, const MissingWords& missing_words, Chunk& chunk);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
