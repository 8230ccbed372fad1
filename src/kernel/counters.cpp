#include "kernel/counters.hpp"

#include <algorithm>
#include <string>
#include <utility>
#include <zerobeat/base/error.hpp>

#include "base/wide.hpp"
#include "take/definitions.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// No column that is read begins so.
constexpr char hidden_mark = '\x1f';

/// Calls step(row before, row) for each reading of a strand that has one before it.
template <typename Step>
void for_each_step(const Timeline& timeline, const Column& column, Step&& step) {
  for (const Strand& strand : timeline.strands()) {
    std::size_t before = strand.end;
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      if (!column.valid(row)) continue;
      if (before != strand.end) step(before, row);
      before = row;
    }
  }
}

/// The steps at their later readings; a strand's first reading has one of 0.
Column steps_of(const Timeline& timeline, const Column& column) {
  if (column.type() == Column::Type::integer) {
    const auto values = column.integers();
    Buffer<std::int64_t> steps(column.size(), std::int64_t{0});
    bool fits = true;
    for_each_step(timeline, column, [&](std::size_t before, std::size_t row) {
      const Wide step = counter_step<Wide>(values[before], values[row]);
      fits = fits && fits_int64(step);
      steps[row] = static_cast<std::int64_t>(step);
    });
    if (fits) return Column::integers(std::move(steps), column.validity());
  }
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  Buffer<double> steps(column.size(), 0.0);
  for_each_step(timeline, numbers, [&](std::size_t before, std::size_t row) {
    steps[row] = counter_step(values[before], values[row]);
  });
  return Column::numbers(std::move(steps), numbers.validity());
}

/// 1 at readings that a step ends at, 0 at a strand's first.
Column step_marks(const Timeline& timeline, const Column& column) {
  Buffer<std::int64_t> marks(column.size(), std::int64_t{0});
  for_each_step(timeline, column, [&](std::size_t, std::size_t row) { marks[row] = 1; });
  return Column::integers(std::move(marks), column.validity());
}

/// What a counter rises by in a second, from each reading until the next of a later time; 0 from
/// the last on. Marks: 1 until the last. Both are missing where there is no step.
struct StepRates {
  Column rates, marks;
};

StepRates rates_of(const Timeline& timeline, const Column& column) {
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  const auto times = timeline.times();
  Buffer<double> rates(column.size(), 0.0), marks(column.size(), 0.0);
  Buffer<std::uint64_t> there((column.size() + 63) / 64, std::uint64_t{0});
  const auto put = [&](std::size_t row, double rate, double mark) {
    rates[row] = rate;
    marks[row] = mark;
    there[row / 64] |= std::uint64_t{1} << (row % 64);
  };
  for (const Strand& strand : timeline.strands()) {
    std::size_t from = strand.end, before = strand.end;
    double risen = 0;
    for (std::size_t row = strand.begin; row < strand.end; ++row) {
      if (!numbers.valid(row)) continue;
      if (before == strand.end) {
        from = before = row;
        continue;
      }
      // Readings of one time are one: what lies between them goes with the step that ends there.
      risen += counter_step(values[before], values[row]);
      before = row;
      if (times[row] == times[from]) continue;
      const bool more_follow = [&] {
        for (std::size_t next = row + 1; next < strand.end && times[next] == times[row]; ++next) {
          if (numbers.valid(next)) return true;
        }
        return false;
      }();
      if (more_follow) continue;
      put(from, risen / seconds_between(times[from], times[row]), 1);
      from = row;
      risen = 0;
    }
    if (from != strand.end && from != strand.begin) {
      bool any = false;
      for (std::size_t row = strand.begin; row < from && !any; ++row) {
        any = (there[row / 64] >> (row % 64) & 1) != 0;
      }
      if (any) put(from, 0, 0);
    }
  }
  Buffer<std::uint64_t> same(there.span());
  return {Column::numbers(std::move(rates), Validity(std::move(there), column.size())),
          Column::numbers(std::move(marks), Validity(std::move(same), column.size()))};
}

std::string hidden(std::string_view what, const std::string& column) {
  return hidden_mark + std::string(what) + ' ' + column;
}

}  // namespace

std::optional<CounterSteps> with_counter_steps(const Timeline& timeline,
                                               const std::vector<Take>& takes) {
  constexpr Stat increase = stat_of<definition::Increase>();
  if (std::ranges::find(takes, increase, &Take::stat) == takes.end()) return std::nullopt;
  Table values = timeline.values();
  std::vector<Take> all;
  const auto add = [&](const std::string& name, auto&& make) {
    if (!values.find(name)) values.add(name, make());
  };
  for (const Take& take : takes) {
    if (take.stat != increase) {
      all.push_back(take);
      continue;
    }
    const Column& column = timeline.values().column(take.column);
    const std::string name = take.result_name();
    if (take.joining == Joining::linear) {
      const std::string rates = hidden("rates", take.column), marks = hidden("times", take.column);
      if (!values.find(rates)) {
        StepRates made = rates_of(timeline, column);
        values.add(rates, std::move(made.rates));
        values.add(marks, std::move(made.marks));
      }
      all.push_back(take::integral(rates).as(name));
      all.push_back(take::integral(marks).as(hidden_mark + name));
    } else {
      const std::string steps = hidden("steps", take.column), marks = hidden("marks", take.column);
      add(steps, [&] { return steps_of(timeline, column); });
      add(marks, [&] { return step_marks(timeline, column); });
      all.push_back(take::sum(steps).as(name));
      all.push_back(take::sum(marks).as(hidden_mark + name));
    }
  }
  Timeline::Parts parts = timeline.parts();
  parts.values = std::move(values);
  return CounterSteps{Timeline(std::move(parts)), std::move(all)};
}

bool is_of_counter_steps(std::string_view name) { return name.starts_with(hidden_mark); }

Table without_counter_steps(const Table& table) {
  Table out(table.rows());
  for (std::size_t i = 0; i < table.names().size(); ++i) {
    const std::string& name = table.names()[i];
    if (is_of_counter_steps(name)) continue;
    const Column& column = table.columns()[i];
    const auto mark = table.find(hidden_mark + name);
    if (!mark) {
      out.add(name, column);
      continue;
    }
    const Column marks = table.columns()[*mark].as_numbers();
    std::vector<std::int64_t> rows(table.rows());
    for (std::size_t row = 0; row < rows.size(); ++row) {
      const bool any = marks.valid(row) && marks.numbers()[row] > 0;
      rows[row] = any ? static_cast<std::int64_t>(row) : -1;
    }
    out.add(name, column.gather(rows));
  }
  return out;
}

}  // namespace zerobeat::detail
