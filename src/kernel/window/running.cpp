#include "kernel/window/running.hpp"

#include <fmt/format.h>

#include <cmath>
#include <zerobeat/time/grid.hpp>

#include "take/definitions.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

std::vector<std::size_t> starts_of_totals(const Timeline& timeline,
                                          const std::optional<Period>& restart) {
  std::optional<Grid> grid;
  if (restart) grid.emplace(*restart, GridOptions{.zone = timeline.zone()});
  const auto times = timeline.times();
  std::vector<std::size_t> starts(timeline.rows());
  for (const Strand& strand : timeline.strands()) {
    std::size_t start = strand.begin;
    Instant until = Instant::min();
    for (std::size_t i = strand.begin; i < strand.end; ++i) {
      if (grid && times[i] >= until) {
        until = grid->end(grid->index_of(times[i]));
        start = i;
      }
      starts[i] = start;
    }
  }
  return starts;
}

Column running_total(const Column& column, const std::vector<std::size_t>& starts,
                     std::int64_t least, std::vector<std::string>& notes) {
  const std::int64_t needed = std::max<std::int64_t>(least, 1);
  const std::size_t rows = starts.size();
  ValidityBuilder validity(rows);
  std::int64_t count = 0;
  if (column.type() == Column::Type::integer) {
    const auto values = column.integers();
    Buffer<std::int64_t> exact(rows);
    Buffer<double> numbers(rows);
    Wide total = 0;
    std::int64_t too_large = 0;
    for (std::size_t i = 0; i < rows; ++i) {
      if (starts[i] == i) total = count = 0;
      if (column.valid(i)) {
        total += values[i];
        ++count;
      }
      too_large += !fits_int64(total);
      exact[i] = static_cast<std::int64_t>(total);
      numbers[i] = static_cast<double>(total);
      if (count < needed) validity.set_missing(i);
    }
    if (too_large == 0) return Column::integers(std::move(exact), validity.take());
    notes.push_back(
        fmt::format("{} totals do not fit a whole number of 64 bits; all are written "
                    "as numbers, rounded to 16 digits",
                    grouped(too_large)));
    return Column::numbers(std::move(numbers), validity.take());
  }
  const Column as_numbers = column.as_numbers();
  const auto values = as_numbers.numbers();
  Buffer<double> totals(rows);
  CompensatedSum total;
  for (std::size_t i = 0; i < rows; ++i) {
    if (starts[i] == i) {
      total = {};
      count = 0;
    }
    if (column.valid(i)) {
      total.add(values[i]);
      ++count;
    }
    totals[i] = total.value();
    if (count < needed || std::isnan(totals[i])) validity.set_missing(i);
  }
  return Column::numbers(std::move(totals), validity.take());
}

}  // namespace zerobeat::detail
