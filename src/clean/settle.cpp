#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <zerobeat/clean/settle.hpp>

namespace zerobeat {

namespace detail {

namespace {

/// Rows of each key together, keys in order of first appearance, rows as they arrived.
RecordOrder group_by_key(const Records& records) {
  RecordOrder order;
  const auto codes = records.keys->codes();
  const auto& names = records.keys->dictionary();
  constexpr std::int64_t unseen = -1;
  std::vector<std::int64_t> strand_of(names.size(), unseen);
  std::vector<std::size_t> sizes;
  for (const std::int32_t code : codes) {
    std::int64_t& strand = strand_of[static_cast<std::size_t>(code)];
    if (strand == unseen) {
      strand = static_cast<std::int64_t>(sizes.size());
      sizes.push_back(0);
      order.strands.push_back({names[static_cast<std::size_t>(code)], 0, 0});
    }
    ++sizes[static_cast<std::size_t>(strand)];
  }
  std::size_t at = 0;
  std::vector<std::size_t> next(sizes.size());
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    order.strands[i].begin = next[i] = at;
    order.strands[i].end = at += sizes[i];
  }
  if (sizes.size() < 2) return order;
  order.rows.resize(codes.size());
  for (std::size_t row = 0; row < codes.size(); ++row) {
    const auto strand = static_cast<std::size_t>(strand_of[static_cast<std::size_t>(codes[row])]);
    order.rows[next[strand]++] = static_cast<std::int64_t>(row);
  }
  return order;
}

struct Entry {
  Instant time;
  std::int64_t row;
};

/// A stable sort by time. Records mostly arrive near their place: blocks are sorted by themselves,
/// and then only where they overlap are merged. When they overlap widely, all is sorted at once.
void sort_nearly_sorted(std::vector<Entry>& entries) {
  constexpr std::size_t block = 1 << 12;
  const std::size_t count = entries.size();
  const auto at = [&](std::size_t i) { return entries.begin() + static_cast<std::ptrdiff_t>(i); };
  const auto before = [](const Entry& a, const Entry& b) { return a.time < b.time; };
  tbb::parallel_for(std::size_t{0}, (count + block - 1) / block, [&](std::size_t b) {
    std::stable_sort(at(b * block), at(std::min(count, (b + 1) * block)), before);
  });
  std::size_t merged = 0;
  for (std::size_t middle = block; middle < count; middle += block) {
    const std::size_t end = std::min(count, middle + block);
    if (!before(entries[middle], entries[middle - 1])) continue;
    const auto from = std::upper_bound(at(0), at(middle), entries[middle], before);
    const auto until = std::lower_bound(at(middle), at(end), entries[middle - 1], before);
    merged += static_cast<std::size_t>(until - from);
    if (merged > 4 * count) return std::stable_sort(entries.begin(), entries.end(), before);
    std::inplace_merge(from, at(middle), until, before);
  }
}

/// Puts the rows of one strand in order of time, those of one time as they arrived.
void sort_strand(std::span<const Instant> times, const Strand& strand,
                 std::vector<std::int64_t>& rows) {
  std::vector<Entry> entries(strand.size());
  for (std::size_t i = 0; i < entries.size(); ++i) {
    const std::int64_t row = rows[strand.begin + i];
    entries[i] = {times[static_cast<std::size_t>(row)], row};
  }
  sort_nearly_sorted(entries);
  for (std::size_t i = 0; i < entries.size(); ++i) rows[strand.begin + i] = entries[i].row;
}

/// Whether times ascend, looked at in parts side by side.
bool ascends(std::span<const Instant> times) {
  constexpr std::size_t part = 1 << 16;
  std::atomic<bool> good = true;
  tbb::parallel_for(std::size_t{0}, (times.size() + part - 1) / part, [&](std::size_t p) {
    if (!good) return;
    // With the first of the next part, so that no step is left out.
    const std::size_t from = p * part;
    const auto own = times.subspan(from, std::min(part + 1, times.size() - from));
    if (!std::ranges::is_sorted(own)) good = false;
  });
  return good;
}

}  // namespace

RecordOrder order_records(const Records& records) {
  const auto times = records.times.times();
  RecordOrder order;
  if (records.keys) {
    order = group_by_key(records);
  } else if (!times.empty()) {
    order.strands.push_back({std::nullopt, 0, times.size()});
  }
  std::vector<std::uint8_t> unordered(order.strands.size());
  tbb::parallel_for(std::size_t{0}, order.strands.size(), [&](std::size_t s) {
    const Strand& strand = order.strands[s];
    if (order.rows.empty()) {
      unordered[s] = !ascends(times.subspan(strand.begin, strand.size()));
      return;
    }
    for (std::size_t i = strand.begin + 1; i < strand.end && unordered[s] == 0; ++i) {
      unordered[s] = times[static_cast<std::size_t>(order.row(i))] <
                     times[static_cast<std::size_t>(order.row(i - 1))];
    }
  });
  if (std::ranges::find(unordered, 1) == unordered.end()) return order;
  if (order.rows.empty()) {
    order.rows.resize(times.size());
    for (std::size_t i = 0; i < times.size(); ++i) order.rows[i] = static_cast<std::int64_t>(i);
  }
  tbb::parallel_for(std::size_t{0}, order.strands.size(), [&](std::size_t s) {
    if (unordered[s] != 0) sort_strand(times, order.strands[s], order.rows);
  });
  return order;
}

}  // namespace detail

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
    double sum = 0, first = 0;
    std::size_t readings = 0;
    for (std::size_t i = groups[g].begin; i < groups[g].end; ++i) {
      const auto row = static_cast<std::size_t>(order.row(i));
      if (!numbers.valid(row)) continue;
      // Taken from the first, so that equal readings have just themselves as mean.
      if (readings++ == 0) first = values[row];
      sum += values[row] - first;
    }
    if (readings == 0) validity.set_missing(g);
    means[g] = readings < 2 ? first : first + sum / static_cast<double>(readings);
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
  tbb::parallel_for(std::size_t{0}, columns.size(),
                    [&](std::size_t i) { columns[i] = table.columns()[i].gather(rows); });
  Table out(rows.size());
  for (std::size_t i = 0; i < columns.size(); ++i) out.add(table.names()[i], std::move(columns[i]));
  return out;
}

}  // namespace

Timeline settle(const Records& records, const Settle& options) {
  StepTimer timer("settle", describe_options(options), static_cast<std::int64_t>(records.size()));
  const RecordOrder order = detail::order_records(records);
  Timeline::Parts parts;
  parts.name = records.name;
  parts.time_name = records.time.name;
  parts.key_name = records.key_name;
  parts.zone = records.time.zone;
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
  if (options.duplicates == Duplicates::mean) {
    parts.values = Table(rows.size());
    for (std::size_t i = 0; i < records.values.columns().size(); ++i) {
      const Column& column = records.values.columns()[i];
      parts.values.add(records.values.names()[i], column.is_numeric()
                                                      ? mean_of_groups(column, groups, order)
                                                      : first_of_groups(column, groups, order));
    }
  } else {
    parts.values = gather_in_parallel(records.values, rows);
  }
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
