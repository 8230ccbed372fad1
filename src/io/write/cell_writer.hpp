/// Cells as text: what every sink of text writes in the same way.

#pragma once

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/write.hpp>

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

/// A number in the shortest form that reads back the same, or with so many significant digits.
void append_number(Text& out, double number, std::optional<int> digits);

/// Writes times in the form that was asked for.
class TimeWriter {
 public:
  TimeWriter(const WriteOptions& options, const Zone* zone, int needed, Instant origin,
             const CellShape& shape, const Axis& axis = {})
      : axis_(axis),
        form_(options.time_as),
        zone_(zone),
        digits_(digits_of(options.precision, needed)),
        origin_(origin),
        shape_(shape) {
    plain_ = form_.kind == TimeForm::Kind::rfc3339;
  }

  void write(Text& out, Instant t) const {
    if (!axis_.is_instants()) {
      std::string text;
      append_elapsed(text, t, *axis_.elapsed);
      return append(out, text);
    }
    if (plain_) {
      char text[longest_instant];
      const char* const end = write_instant(text, t, digits_, zone_);
      out.append(static_cast<const char*>(text), end);
      return;
    }
    std::string text;
    append_time(text, t, form_, digits_, zone_, origin_);
    append_cell(out, text, shape_);
  }

 private:
  Axis axis_;
  TimeForm form_;
  const Zone* zone_;
  int digits_ = 0;
  Instant origin_;
  CellShape shape_;
  bool plain_ = true;
};

inline int digits_for(std::span<const Instant> times, const Validity& validity) {
  int digits = 0;
  for (std::size_t i = 0; i < times.size() && digits < 9; ++i) {
    if (validity[i]) digits = std::max(digits, digits_needed(times[i]));
  }
  return digits;
}

/// Writes the cells of one column.
class CellWriter {
 public:
  CellWriter(const Column& column, const WriteOptions& options, const Zone* zone, Instant origin,
             const CellShape& shape)
      : column_(column), digits_(options.digits) {
    if (column.type() == Column::Type::time) {
      times_.emplace(options, zone, digits_for(column.times(), column.validity()), origin, shape);
    }
    if (column.type() == Column::Type::text) {
      for (const auto& text : column.dictionary()) {
        Text cell;
        append_cell(cell, text, shape);
        cells_.push_back(fmt::to_string(cell));
      }
    }
  }

  void write(Text& out, std::size_t row) const {
    if (!column_.valid(row)) return;
    switch (column_.type()) {
      case Column::Type::number:
        return append_number(out, column_.numbers()[row], digits_);
      case Column::Type::integer:
        fmt::format_to(std::back_inserter(out), "{}", column_.integers()[row]);
        return;
      case Column::Type::boolean:
        return append(out, column_.boolean(row) ? "true" : "false");
      case Column::Type::time:
        return times_->write(out, column_.times()[row]);
      case Column::Type::text:
        return append(out, cells_[static_cast<std::size_t>(column_.codes()[row])]);
    }
  }

 private:
  const Column& column_;
  std::optional<int> digits_;
  std::optional<TimeWriter> times_;
  std::vector<std::string> cells_;  // of the dictionary, quoted where needed
};

inline Instant first_time(const Timeline& timeline) {
  return timeline.rows() == 0 ? Instant{} : std::ranges::min(timeline.times());
}

/// The names of a timeline's columns in the order in which they are written.
std::vector<std::string> names_of(const Timeline& timeline, const WriteOptions& options);

/// A timeline as a table: its time and key are columns like the others.
Table table_of(const Timeline& timeline, const WriteOptions& options);

std::vector<CellWriter> writers_of(const Table& table, const WriteOptions& options,
                                   const Zone& zone, const CellShape& shape);

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
