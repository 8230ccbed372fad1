/// Rows with types: what databases, Arrow files and grids give instead of text.

#pragma once

#include <algorithm>
#include <cstdint>
#include <deque>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/reach.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

enum class RowType : std::uint8_t {
  integer,
  number,
  boolean,
  text,
  instant,  ///< nanoseconds since 1970-01-01T00:00:00Z
  local,    ///< nanoseconds on a clock of no zone
  mixed,    ///< each cell an integer, a number or a text
};

struct RowColumn {
  std::string name{};
  RowType type = RowType::text;
  bool is_date = false;  ///< of a local column: days without a clock
};

/// Some rows, column by column. What it holds stays until it is filled again.
struct RowBatch {
  struct Cells {
    Buffer<std::uint64_t> bits;           ///< int64 or double of a row; 0 or 1 of a boolean
    std::vector<std::string_view> texts;  ///< of text and mixed
    std::vector<RowType> types;           ///< of mixed: each cell's
    std::vector<std::uint32_t> missing;   ///< rows, ascending
    /// Rows whose value can't be told as this type (a time past the range of instants), ascending.
    std::vector<std::uint32_t> out_of_range;
    std::vector<std::shared_ptr<const void>> owners;  ///< what keeps the texts, if need be

    void clear() {
      bits.clear();
      texts.clear();
      types.clear();
      missing.clear();
      out_of_range.clear();
      owners.clear();
    }
  };
  std::size_t rows = 0;
  std::size_t passed_rows = 0;  ///< that stand before these, and were passed over
  std::vector<Cells> columns;
  std::deque<std::string> store;             ///< texts that nothing else keeps
  std::vector<std::uint32_t> badly_encoded;  ///< rows with a text that is not UTF-8, ascending
  /// Columns that nobody will look at, which may be left empty. Whoever has the batch filled says
  /// so; none, unless said.
  std::vector<bool> passed_over;

  bool is_wanted(std::size_t column) const {
    return column >= passed_over.size() || !passed_over[column];
  }

  /// A text that stays until the batch is filled again.
  std::string_view keep(std::string_view text) {
    constexpr std::size_t block = std::size_t{1} << 16;
    if (store.empty() || store.back().capacity() - store.back().size() < text.size()) {
      store.emplace_back().reserve(std::max(block, text.size()));
    }
    std::string& last = store.back();
    last += text;
    return std::string_view(last).substr(last.size() - text.size());
  }
  void note_bad_encoding(std::size_t row) {
    if (!badly_encoded.empty() && badly_encoded.back() == row) return;
    badly_encoded.push_back(static_cast<std::uint32_t>(row));
  }

  void clear(std::size_t count) {
    rows = passed_rows = 0;
    badly_encoded.clear();
    columns.resize(count);
    for (Cells& cells : columns) cells.clear();
    store.clear();
  }
};

/// Rows, batch after batch. For one thread at a time.
struct RowSource {
  std::vector<RowColumn> columns{};
  /// Fills a batch with the next rows; none at the end. Throws Error of kind input.
  std::function<void(RowBatch&)> next{};
  /// Back to the first row: the same rows come again.
  std::function<void()> rewind{};
  /// Told of times outside of which rows of the column make no difference, before the first batch;
  /// may be empty, and need not pass any over. With `at_end`, only rows after the last that are
  /// wanted may be.
  std::function<void(std::size_t column, const TimeRange& range, bool at_end)> want{};
  /// What the source has to say of itself, for the account's notes, once all was read; may be
  /// empty.
  std::function<std::vector<std::string>()> notes{};
};

/// The source of a reader that has columns(), next() and rewind().
template <typename Rows>
std::shared_ptr<RowSource> row_source_of(std::shared_ptr<Rows> rows) {
  auto source = std::make_shared<RowSource>();
  source->columns = rows->columns();
  source->next = [rows](RowBatch& batch) { rows->next(batch); };
  source->rewind = [rows] { rows->rewind(); };
  return source;
}

inline constexpr std::size_t batch_rows = std::size_t{1} << 14;

/// A cell as text: numbers as they are written, times as RFC 3339. Empty when missing.
std::string cell_text(const RowColumn& column, const RowBatch::Cells& cells, std::size_t row);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
