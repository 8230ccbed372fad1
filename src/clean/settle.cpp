#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "base/parallel.hpp"
#include "clean/new_strands.hpp"
#include "judge/record_order.hpp"
#include "table/key_column.hpp"
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

/// What was settled, and the rows that were merged into others, ascending.
struct Settled {
  Timeline timeline;
  std::vector<std::int64_t> taken_away{};
};

/// The rows of groups that do not stand for them. Of a mean the first does.
std::vector<std::int64_t> other_rows(const std::vector<Group>& groups, const RecordOrder& order,
                                     const Settle& options) {
  std::vector<std::int64_t> rows;
  if (options.duplicates == Duplicates::reject) return rows;
  const bool last = options.duplicates == Duplicates::last;
  for (const Group& group : groups) {
    for (std::size_t i = group.begin; i < group.end; ++i) {
      if (i != (last ? group.end - 1 : group.begin)) rows.push_back(order.row(i));
    }
  }
  std::ranges::sort(rows);
  return rows;
}

Settled settle_rows(const Timeline& given, const Settle& options) {
  StepTimer timer(options, given);
  Timeline timeline = given;
  if (!options.key.empty() && options.key != key_text(given.key_name())) {
    auto made = detail::with_strands_of(given, options.key);
    timeline = std::move(made.timeline);
    if (made.without_key > 0) {
      timer.note(fmt::format("{} rows without ‹key› {} were left out", grouped(made.without_key),
                             shown(options.key)));
    }
  }
  if (options.duplicates == Duplicates::keep) return {timer.finish(timeline.parts())};
  RecordOrder order;
  order.strands.assign(timeline.strands().begin(), timeline.strands().end());
  const auto groups = groups_of(timeline.times(), order);
  const auto surplus = static_cast<std::int64_t>(timeline.rows() - groups.size());
  if (surplus == 0) return {timer.finish(timeline.parts())};
  const auto rows = chosen_rows(groups, order, options.duplicates == Duplicates::last);
  Timeline::Parts parts = timeline.parts();
  parts.times = timeline.time_column().gather(rows);
  parts.strands = shrunk(order.strands, groups);
  parts.values = values_of_groups(timeline.values(), groups, order, rows, options.duplicates);
  timer.note(fmt::format("{} rows of a time that was there already were {}", grouped(surplus),
                         options.duplicates == Duplicates::reject ? "left out" : "merged"));
  Settled settled{timer.finish(std::move(parts))};
  if (!options.merged.empty()) settled.taken_away = other_rows(groups, order, options);
  return settled;
}

Settled settle_records(const Records& records, const Settle& options) {
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
    return {timer.finish(std::move(parts))};
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
  Settled settled{timer.finish(std::move(parts))};
  if (!options.merged.empty()) settled.taken_away = other_rows(groups, order, options);
  return settled;
}

/// A list of what was taken away. `source`, `line` and `byte` are as columns, the
/// key and the times as they were.
Table list_of(Column source, Column line, Column byte, Table keys, Column times) {
  Table table(times.size());
  table.add("source", std::move(source));
  table.add("line", std::move(line));
  table.add("byte", std::move(byte));
  for (std::size_t i = 0; i < keys.names().size(); ++i) {
    table.add(keys.names()[i], keys.columns()[i]);
  }
  table.add("time", std::move(times));
  return table;
}

Table list_of_records(const Records& records, const std::vector<std::int64_t>& rows) {
  std::vector<std::string> sources;
  Buffer<std::int64_t> lines(rows.size()), bytes(rows.size());
  ValidityBuilder validity(rows.size());
  const SourceAccount& account = *records.source;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    const auto row = static_cast<std::size_t>(rows[i]);
    Fault place;
    place.line = records.places->line(row);
    place.byte = records.places->byte(row);
    sources.push_back(account.part_of(place.byte).name);
    lines[i] = static_cast<std::int64_t>(place.line);
    const auto byte = account.file_byte(place);
    bytes[i] = static_cast<std::int64_t>(byte.value_or(0));
    if (!byte) validity.set_missing(i);
  }
  Table keys(rows.size());
  if (records.keys) keys.add(records.key_name, records.keys->gather(rows));
  return list_of(Column(sources), Column::integers(std::move(lines)),
                 Column::integers(std::move(bytes), validity.take()), std::move(keys),
                 on_axis(records.times.gather(rows), records.time.axis));
}

/// Rows of a timeline have no place in a file any more.
Table list_of_rows(const Timeline& timeline, const std::vector<std::int64_t>& rows) {
  std::vector<std::uint32_t> strands;
  const auto all = timeline.strands();
  for (const std::int64_t row : rows) {
    const auto after =
        std::ranges::upper_bound(all, static_cast<std::size_t>(row), {}, &Strand::begin);
    strands.push_back(static_cast<std::uint32_t>(after - all.begin() - 1));
  }
  Table keys(rows.size());
  detail::add_key(keys, timeline, strands);
  const Column nowhere =
      Column(std::vector<std::int64_t>{0}).gather(std::vector<std::int64_t>(rows.size(), -1));
  return list_of(Column(std::vector<std::string>(rows.size(), timeline.name())), nowhere, nowhere,
                 std::move(keys), on_axis(timeline.time_column().gather(rows), timeline.axis()));
}

}  // namespace

Timeline settle(const Timeline& timeline, const Settle& options) {
  return settle_rows(timeline, options).timeline;
}

Timeline settle(const Records& records, const Settle& options) {
  if (options.key.empty()) return settle_records(records, options).timeline;
  return settle(settle_records(records, {}).timeline, options);
}

Made settle_and_list(const Timeline& timeline, const Settle& options) {
  Settled settled = settle_rows(timeline, options);
  Made made(std::move(settled.timeline));
  if (options.merged.empty()) return made;
  // The rows are those of the new strands.
  const bool anew = !options.key.empty() && options.key != key_text(timeline.key_name());
  const Timeline rows = anew ? detail::with_strands_of(timeline, options.key).timeline : timeline;
  made.beside.push_back({options.merged, list_of_rows(rows, settled.taken_away)});
  return made;
}

Made settle_and_list(const Records& records, const Settle& options) {
  if (!options.key.empty()) return settle_and_list(settle_records(records, {}).timeline, options);
  Settled settled = settle_records(records, options);
  Made made(std::move(settled.timeline));
  if (!options.merged.empty()) {
    made.beside.push_back({options.merged, list_of_records(records, settled.taken_away)});
  }
  return made;
}

}  // namespace zerobeat
