/// Columns of rows with types, taken as readings: what has a type needs no reading of text. The
/// judge takes these where it has them; what only a text can tell goes back to it.

#pragma once

#include <algorithm>
#include <bit>
#include <cmath>
#include <iterator>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/judge/row_cells.hpp"
#include "io/text/chunk.hpp"
#include "table/has_nan.hpp"
#include "time/read_by_layout.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline bool is_time(RowType type) { return type == RowType::instant || type == RowType::local; }

/// Whether a column needs no looking at: nobody wants it, and by its type no cell can be at fault.
inline bool is_passed_over(const Layout& layout, const ValueColumn& value, RowType type) {
  if (value.keep || layout.judge) return false;
  return type == RowType::integer || type == RowType::number || type == RowType::boolean ||
         (type == RowType::text && !value.numeric);
}

/// Takes out the rows that have a text that is not UTF-8; `reject(row)` is told each.
template <typename Reject>
void reject_badly_encoded(RowCells& cells, Reject&& reject) {
  const auto bad = cells.badly_encoded();
  if (bad.empty()) return;
  std::size_t kept = 0;
  const std::size_t count = cells.size();
  for (std::size_t row = 0; row < count; ++row) {
    if (std::ranges::binary_search(bad, cells.start(row))) {
      reject(row);
    } else {
      cells.move(kept++, row, 1);
    }
  }
  cells.cut(kept);
}

/// Takes the instants of records as they are, when all can stay. Returns whether it did.
inline bool take_good_instants(const RowCells& cells, std::size_t cell, const InstantLimits& limits,
                               Buffer<std::int64_t>& times) {
  const RowBatch::Cells& column_cells = cells.cells(cell);
  if (!column_cells.missing.empty() || !column_cells.out_of_range.empty()) return false;
  cells.copy_bits(cell, reinterpret_cast<std::uint64_t*>(times.data()));
  std::int64_t first = limits.earliest, last = limits.latest;
  for (const std::int64_t t : times) {
    first = std::min(first, t);
    last = std::max(last, t);
  }
  return first >= limits.earliest && last <= limits.latest;
}

/// Takes the times of records, of a column that has them as such; local ones are read in the zone.
/// Records without one are taken out, and `reject(row, reason)` is told them. `as_text(row, kept)`
/// judges a local time that is not just read by its text, and tells whether it is the `kept`-th.
template <typename Reject, typename AsText>
void take_record_times(RowCells& cells, const Layout& layout, Buffer<std::int64_t>& times,
                       TimestampCounts& counts, Reject&& reject, AsText&& as_text) {
  const std::size_t cell = layout.time_cells[0];
  const bool local = cells.type(cell) == RowType::local;
  const InstantLimits limits(layout.times);
  const std::size_t count = cells.size();
  if (!local && take_good_instants(cells, cell, limits, times)) {
    counts.with_offset += static_cast<std::int64_t>(count);
    return;
  }
  constexpr auto none = static_cast<Reason>(255);
  std::vector<Reason> fault(count, none);
  const auto mark = [&](const std::vector<std::uint32_t>& rows, Reason reason) {
    cells.for_each_of(rows, [&](std::size_t row) { fault[row] = reason; });
  };
  mark(cells.cells(cell).out_of_range, Reason::out_of_range_time);
  mark(cells.cells(cell).missing, Reason::missing_time);
  LocalOffsets offsets(layout.times);
  std::size_t kept = 0;
  for (std::size_t row = 0; row < count; ++row) {
    if (fault[row] != none) {
      reject(row, fault[row]);
      continue;
    }
    auto t = static_cast<std::int64_t>(cells.bits(row, cell));
    if (local) {
      std::int64_t seconds = t / 1'000'000'000 - (t % 1'000'000'000 < 0);
      const std::int64_t fraction = t - seconds * 1'000'000'000;
      if (!offsets.to_utc(seconds)) {
        // Repeated, skipped, or out of range.
        if (as_text(row, kept)) cells.move(kept++, row, 1);
        continue;
      }
      t = seconds * 1'000'000'000 + fraction;
    }
    if (t < limits.earliest || t > limits.latest) {
      reject(row, Reason::out_of_range_time);
      continue;
    }
    (local ? counts.without_offset : counts.with_offset) += 1;
    times[kept] = t;
    cells.move(kept++, row, 1);
  }
  cells.cut(kept);
  times.resize(kept);
}

/// Takes a column of times. `unreadable(row)` is told those that can't be told as such.
template <typename Unreadable>
void take_times(const RowCells& cells, std::size_t cell, ChunkColumn& column,
                Unreadable&& unreadable) {
  column.numbers.resize(cells.size());
  cells.copy_bits(cell, column.numbers.data());
  cells.for_each_of(cells.cells(cell).out_of_range, [&](std::size_t row) {
    unreadable(row);
    column.missing.push_back(static_cast<std::uint32_t>(row));
  });
  cells.for_each_of(cells.cells(cell).missing, [&](std::size_t row) {
    column.missing.push_back(static_cast<std::uint32_t>(row));
  });
  std::ranges::sort(column.missing);
}

/// Puts the rows that are not a number (NaN) with the missing ones.
inline void leave_out_nan(ChunkColumn& column) {
  const auto numbers = numbers_of<double>(column);
  if (!has_nan(numbers)) return;
  std::vector<std::uint32_t> nan, both;
  for (std::size_t row = 0; row < numbers.size(); ++row) {
    if (std::isnan(numbers[row])) nan.push_back(static_cast<std::uint32_t>(row));
  }
  std::ranges::set_union(column.missing, nan, std::back_inserter(both));
  column.missing = std::move(both);
}

/// Takes a column of integers or numbers; when it is not kept, only its counts.
inline void take_numbers(const RowCells& cells, std::size_t cell, bool keep, ChunkColumn& column) {
  const bool whole = cells.type(cell) == RowType::integer;
  if (!whole) column.whole = false;
  cells.for_each_of(cells.cells(cell).missing, [&](std::size_t row) {
    column.missing.push_back(static_cast<std::uint32_t>(row));
  });
  column.numbers.resize(cells.size());
  cells.copy_bits(cell, column.numbers.data());
  if (!whole) leave_out_nan(column);
  for (const std::uint32_t row : column.missing) column.numbers[row] = 0;
  const auto there = static_cast<std::int64_t>(cells.size() - column.missing.size());
  column.filled_cells += there;
  column.numeric_cells += there;
  if (keep) return;
  column.numbers.clear();
  column.missing.clear();
}

/// Takes a column each of whose cells has a type of its own, as numbers. `as_text(row, text)`
/// judges one by its text; what is missing has none.
template <typename AsText>
void take_mixed(const RowCells& cells, std::size_t cell, bool keep, ChunkColumn& column,
                AsText&& as_text) {
  const std::size_t rows = cells.size();
  if (keep) column.numbers.resize(rows);
  const auto& listed = cells.cells(cell).missing;
  std::size_t at = 0;
  for (std::size_t row = 0; row < rows; ++row) {
    while (at < listed.size() && listed[at] < cells.start(row)) ++at;
    const bool missing = at < listed.size() && listed[at] == cells.start(row);
    const RowType type = missing ? RowType::text : cells.type_of_cell(row, cell);
    if (type == RowType::text) {
      as_text(row, missing ? std::string_view() : cells.own_text(row, cell));
      continue;
    }
    ++column.filled_cells;
    ++column.numeric_cells;
    const std::uint64_t bits = cells.bits(row, cell);
    if (type == RowType::number && column.whole) make_numbers(column, row);
    if (!keep) continue;
    column.numbers[row] =
        type == RowType::integer && !column.whole
            ? std::bit_cast<std::uint64_t>(static_cast<double>(static_cast<std::int64_t>(bits)))
            : bits;
  }
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
