/// Cells as text: what every sink of text writes in the same way.

#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/write.hpp>

#include "io/write/number_text.hpp"
#include "time/instant_text.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

using Text = fmt::memory_buffer;

inline void append(Text& out, std::string_view text) {
  out.append(text.data(), text.data() + text.size());
}

/// How cells are told apart: csv quotes what holds a delimiter, tsv can't.
struct CellShape {
  char delimiter = ',';
  bool quotes = true;
};
inline constexpr CellShape csv_shape{}, tsv_shape{'\t', false};

void append_cell(Text& out, std::string_view text, const CellShape& shape = csv_shape);

/// How numbers are written: in the shortest form that reads back the same, or with so many
/// significant digits. A NaN is nothing.
class NumberCells {
 public:
  explicit NumberCells(std::optional<int> digits = std::nullopt) : digits_(digits) {}

  /// `out` has room for longest_number characters.
  char* write(char* out, double number) {
    if (std::isnan(number)) return out;
    return text_.write(out, digits_ ? rounded(number) : number);
  }

 private:
  /// 12,345.6 to three digits is 12,300, which is written as short as it can be.
  [[nodiscard]] double rounded(double number) const;

  std::optional<int> digits_;
  NumberText text_{};
};

/// How times are written: in the form that was asked for. One thread; a copy for each other.
class TimeCells {
 public:
  TimeCells(const WriteOptions& options, const Zone* zone, int needed, Instant origin,
            const CellShape& shape, const Axis& axis = {})
      : axis_(axis),
        form_(options.time_as),
        zone_(zone),
        digits_(digits_of(options.precision, needed)),
        origin_(origin),
        shape_(shape),
        plain_(axis.is_instants() && form_.kind == TimeForm::Kind::rfc3339),
        text_(digits_, zone) {}

  /// The most characters of one.
  [[nodiscard]] std::size_t longest() const {
    // No conversion of a pattern gives more, and quotes at most double it.
    constexpr std::size_t longest_conversion = 64;
    return plain_ ? longest_instant : 2 * longest_conversion * (1 + form_.pattern.size());
  }

  /// `out` has room for longest() characters.
  char* write(char* out, Instant t) {
    if (plain_) [[likely]]
      return text_.write(out, t);
    return write_other(out, t);
  }

 private:
  char* write_other(char* out, Instant t) const;

  Axis axis_;
  TimeForm form_;
  const Zone* zone_;
  int digits_ = 0;
  Instant origin_;
  CellShape shape_;
  bool plain_;
  InstantText text_;
};

/// The digits of the second that the finest of some times needs: 0, 3, 6 or 9.
int digits_for(std::span<const Instant> times, const Validity& validity);

/// Texts that are written again and again, one after the other in memory.
class ReadyTexts {
 public:
  void add(std::string_view text);
  [[nodiscard]] std::size_t longest() const { return longest_ + block; }

  /// `out` has room for longest() characters.
  char* write(char* out, std::size_t i) const {
    const char* const from = texts_.data() + ends_[i];
    const std::size_t size = ends_[i + 1] - ends_[i];
    std::memcpy(out, from, block);
    if (size > block) [[unlikely]]
      std::memcpy(out, from, size);
    return out + size;
  }

 private:
  static constexpr std::size_t block = 16;  ///< so much lies behind the last one, too

  std::string texts_ = std::string(block, ' ');
  std::vector<std::size_t> ends_{0};
  std::size_t longest_ = 0;
};

/// What is written of one column, whichever thread does it.
class CellColumn {
 public:
  CellColumn(const Column& column, const WriteOptions& options, const Zone* zone, Instant origin,
             const CellShape& shape);

  [[nodiscard]] std::size_t longest() const { return longest_; }

 private:
  friend class CellWriter;

  const Column& column_;
  std::optional<int> digits_;
  std::optional<TimeCells> times_;
  ReadyTexts texts_;  // of the dictionary, quoted where needed
  std::size_t longest_ = longest_number;
};

/// Writes the cells of a column, one after the other. One thread.
class CellWriter {
 public:
  explicit CellWriter(const CellColumn& cells)
      : column_(&cells.column_),
        texts_(&cells.texts_),
        numbers_(cells.digits_),
        times_(cells.times_) {}

  /// `out` has room for the column's longest().
  char* write(char* out, std::size_t row) {
    if (!column_->valid(row)) return out;
    switch (column_->type()) {
      case Column::Type::number:
        return numbers_.write(out, column_->numbers()[row]);
      case Column::Type::integer:
        return write_integer(out, column_->integers()[row]);
      case Column::Type::boolean: {
        const std::string_view word = column_->boolean(row) ? "true" : "false";
        return std::copy(word.begin(), word.end(), out);
      }
      case Column::Type::time:
        return times_->write(out, column_->times()[row]);
      case Column::Type::text:
        return texts_->write(out, static_cast<std::size_t>(column_->codes()[row]));
    }
    return out;
  }

 private:
  const Column* column_;
  const ReadyTexts* texts_;
  NumberCells numbers_;
  std::optional<TimeCells> times_;
};

/// Room for `more` characters at a text's end. What is written there is kept by end_at().
inline char* room_in(Text& text, std::size_t more) {
  text.reserve(text.size() + more);
  return text.data() + text.size();
}
inline void end_at(Text& text, const char* end) {
  text.resize(static_cast<std::size_t>(end - text.data()));
}

/// What elapsed times are counted from.
inline Instant origin_of(const Timeline& timeline, const WriteOptions& options) {
  const bool counts = options.time_as.kind == TimeForm::Kind::elapsed && timeline.rows() > 0;
  return counts ? std::ranges::min(timeline.times()) : Instant{};
}

/// The names of a timeline's columns in the order in which they are written.
std::vector<std::string> names_of(const Timeline& timeline, const WriteOptions& options);

/// A timeline as a table: its time and key are columns like the others.
Table table_of(const Timeline& timeline, const WriteOptions& options);

std::vector<CellColumn> cells_of(const Table& table, const WriteOptions& options, const Zone& zone,
                                 const CellShape& shape);

/// Calls `write(text, begin, end)` for blocks of rows side by side, and puts the texts out in
/// order.
void write_blocks(std::size_t rows, Output& output,
                  const std::function<void(Text&, std::size_t, std::size_t)>& write);

inline void put(Output& output, Text& text) {
  output.write({text.data(), text.size()});
  text.clear();
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
