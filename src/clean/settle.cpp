#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "judge/record_order.hpp"
#include "take/definitions.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::RecordOrder;

/// Records of one key and one time: places [begin, end) of the order.
struct Group {
  std::size_t begin = 0;
  std::size_t end = 0;
};

std::vector<Group> groups_of(std::span<const Instant> times, const RecordOrder& order) {
  std::vector<Group> groups;
  const auto time = [&](std::size_t i) { return times[static_cast<std::size_t>(order.row(i))]; };
  for (const Strand& strand : order.strands) {
    for (std::size_t i = strand.begin; i < strand.end;) {
      std::size_t end = i + 1;
      while (end < strand.end && time(end) == time(i)) ++end;
      groups.push_back({i, end});
      i = end;
    }
  }
  return groups;
}

/// One reading for each group: the mean of the readings in it.
Column mean_of_groups(const Column& column, const std::vector<Group>& groups,
                      const RecordOrder& order) {
  const Column numbers = column.as_numbers();
  const auto values = numbers.numbers();
  Buffer<double> means(groups.size(), 0.0);
  ValidityBuilder validity(groups.size());
  for (std::size_t g = 0; g < groups.size(); ++g) {
    detail::CompensatedSum sum;
    std::size_t readings = 0;
    for (std::size_t i = groups[g].begin; i < groups[g].end; ++i) {
      const auto row = static_cast<std::size_t>(order.row(i));
      if (!numbers.valid(row)) continue;
      sum.add(values[row]);
      ++readings;
    }
    if (readings == 0) validity.set_missing(g);
    means[g] = readings == 0 ? 0 : sum.mean(static_cast<double>(readings));
  }
  return Column::numbers(std::move(means), validity.take());
}

/// One reading for each group: the first that is not missing.
Column first_of_groups(const Column& column, const std::vector<Group>& groups,
                       const RecordOrder& order) {
  std::vector<std::int64_t> rows(groups.size(), -1);
  for (std::size_t g = 0; g < groups.size(); ++g) {
    for (std::size_t i = groups[g].begin; i < groups[g].end && rows[g] < 0; ++i) {
      const std::int64_t row = order.row(i);
      if (column.valid(static_cast<std::size_t>(row))) rows[g] = row;
    }
  }
  return column.gather(rows);
}

/// The row of each group that stands for it.
std::vector<std::int64_t> chosen_rows(const std::vector<Group>& groups, const RecordOrder& order,
                                      bool last) {
  std::vector<std::int64_t> rows(groups.size());
  for (std::size_t g = 0; g < groups.size(); ++g) {
    rows[g] = order.row(last ? groups[g].end - 1 : groups[g].begin);
  }
  return rows;
}

std::vector<Strand> shrunk(const std::vector<Strand>& strands, const std::vector<Group>& groups) {
  std::vector<Strand> out;
  std::size_t g = 0;
  for (const Strand& strand : strands) {
    const std::size_t begin = g;
    while (g < groups.size() && groups[g].begin < strand.end) ++g;
    out.push_back({strand.key, begin, g});
  }
  return out;
}

Table gather_in_parallel(const Table& table, std::span<const std::int64_t> rows) {
  std::vector<Column> columns(table.columns().size());
  detail::parallel_for(std::size_t{0}, columns.size(),
                       [&](std::size_t i) { columns[i] = table.columns()[i].gather(rows); });
  Table out(rows.size());
  for (std::size_t i = 0; i < columns.size(); ++i) out.add(table.names()[i], std::move(columns[i]));
  return out;
}

/// The columns of groups: one row for each.
Table values_of_groups(const Table& values, const std::vector<Group>& groups,
                       const RecordOrder& order, const std::vector<std::int64_t>& rows,
                       Duplicates duplicates) {
  if (duplicates != Duplicates::mean) return gather_in_parallel(values, rows);
  Table out(rows.size());
  for (std::size_t i = 0; i < values.columns().size(); ++i) {
    const Column& column = values.columns()[i];
    out.add(values.names()[i], column.is_numeric() ? mean_of_groups(column, groups, order)
                                                   : first_of_groups(column, groups, order));
  }
  return out;
}

}  // namespace

Timeline settle(const Timeline& timeline, const Settle& options) {
  StepTimer timer(options, timeline);
  if (options.duplicates == Duplicates::keep) return timer.finish(timeline.parts());
  RecordOrder order;
  order.strands.assign(timeline.strands().begin(), timeline.strands().end());
  const auto groups = groups_of(timeline.times(), order);
  const auto surplus = static_cast<std::int64_t>(timeline.rows() - groups.size());
  if (surplus == 0) return timer.finish(timeline.parts());
  const auto rows = chosen_rows(groups, order, options.duplicates == Duplicates::last);
  Timeline::Parts parts = timeline.parts();
  parts.times = timeline.time_column().gather(rows);
  parts.strands = shrunk(order.strands, groups);
  parts.values = values_of_groups(timeline.values(), groups, order, rows, options.duplicates);
  timer.note(fmt::format("{} rows of a time that was there already were {}", grouped(surplus),
                         options.duplicates == Duplicates::reject ? "left out" : "merged"));
  return timer.finish(std::move(parts));
}

Timeline settle(const Records& records, const Settle& options) {
  detail::check_records(records);
  StepTimer timer(options, static_cast<std::int64_t>(records.size()));
  const RecordOrder order = detail::order_records(records);
  Timeline::Parts parts;
  parts.name = records.name;
  parts.time_name = records.time.name;
  parts.key_name = records.key_name;
  parts.zone = records.time.zone;
  parts.axis = records.time.axis;
  parts.account = records.account();
  parts.strands = order.strands;

  std::vector<Group> groups;
  if (options.duplicates != Duplicates::keep) groups = groups_of(records.times.times(), order);
  const auto surplus = static_cast<std::int64_t>(records.size() - groups.size());
  if (options.duplicates == Duplicates::keep || surplus == 0) {
    if (order.rows.empty()) {
      parts.times = records.times;
      parts.values = records.values;
    } else {
      parts.times = records.times.gather(order.rows);
      parts.values = gather_in_parallel(records.values, order.rows);
    }
    return timer.finish(std::move(parts));
  }

  const auto rows = chosen_rows(groups, order, options.duplicates == Duplicates::last);
  parts.times = records.times.gather(rows);
  parts.strands = shrunk(order.strands, groups);
  parts.values = values_of_groups(records.values, groups, order, rows, options.duplicates);
  SourceAccount account = *records.source;
  if (options.duplicates == Duplicates::reject) {
    std::map<std::int64_t, Reason> rejected;
    for (const Group& group : groups) {
      for (std::size_t i = group.begin + 1; i < group.end; ++i) {
        rejected[order.row(i)] = Reason::duplicate_time;
      }
    }
    reject_in_account(account, *records.places, rejected, records.time.fault_column);
  } else {
    account.merged += surplus;
    account.kept -= surplus;
  }
  parts.account.sources = {std::make_shared<const SourceAccount>(std::move(account))};
  return timer.finish(std::move(parts));
}

}  // namespace zerobeat
