#include "regular/bucket_rows.hpp"

#include <algorithm>

namespace zerobeat::detail {

namespace {

/// Compares readings of any type that has an order.
int compare(const Column& column, std::size_t a, std::size_t b) {
  const auto three_way = [](const auto& x, const auto& y) { return x < y ? -1 : y < x ? 1 : 0; };
  switch (column.type()) {
    case Column::Type::number:
      return three_way(column.numbers()[a], column.numbers()[b]);
    case Column::Type::integer:
      return three_way(column.integers()[a], column.integers()[b]);
    case Column::Type::time:
      return three_way(column.times()[a], column.times()[b]);
    case Column::Type::boolean:
      return three_way(column.boolean(a), column.boolean(b));
    case Column::Type::text:
      break;
  }
  return column.codes()[a] == column.codes()[b] ? 0 : three_way(column.text(a), column.text(b));
}

/// The rows of a bucket's readings, the smallest first, equals in order.
std::vector<std::size_t> sorted_rows(const Column& column, const Bucket& bucket) {
  std::vector<std::size_t> rows;
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (column.valid(i)) rows.push_back(i);
  }
  std::ranges::stable_sort(rows,
                           [&](std::size_t a, std::size_t b) { return compare(column, a, b) < 0; });
  return rows;
}

/// The row of the reading that stands most often; of equals the smallest. -1: there is none.
std::int64_t row_of_mode(const Column& column, const Bucket& bucket) {
  const auto rows = sorted_rows(column, bucket);
  std::int64_t best = -1;
  std::size_t best_run = 0;
  for (std::size_t i = 0; i < rows.size();) {
    std::size_t end = i + 1;
    while (end < rows.size() && compare(column, rows[i], rows[end]) == 0) ++end;
    if (end - i > best_run) {
      best_run = end - i;
      best = static_cast<std::int64_t>(rows[i]);
    }
    i = end;
  }
  return best;
}

template <typename Value>
std::int64_t row_of_extreme(const Column& column, std::span<const Value> values,
                            const Bucket& bucket, bool most) {
  std::int64_t best = -1;
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (!column.valid(i)) continue;
    const bool better = best < 0 || (most ? values[static_cast<std::size_t>(best)] < values[i]
                                          : values[i] < values[static_cast<std::size_t>(best)]);
    if (better) best = static_cast<std::int64_t>(i);
  }
  return best;
}

}  // namespace

bool is_of_one_row(Stat stat) {
  constexpr Stat all[] = {Stat::first,       Stat::last,       Stat::mode,     Stat::time_of_min,
                          Stat::time_of_max, Stat::first_time, Stat::last_time};
  return std::ranges::find(all, stat) != std::end(all);
}

std::int64_t count_distinct(const Column& column, const Bucket& bucket) {
  const auto rows = sorted_rows(column, bucket);
  std::int64_t distinct = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    distinct += i == 0 || compare(column, rows[i - 1], rows[i]) != 0;
  }
  return distinct;
}

std::int64_t picked_row(const Column& column, const Bucket& bucket, Stat stat) {
  if (stat == Stat::first || stat == Stat::first_time) {
    for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
      if (column.valid(i)) return static_cast<std::int64_t>(i);
    }
    return -1;
  }
  if (stat == Stat::last || stat == Stat::last_time) {
    for (std::size_t i = bucket.end; i > bucket.begin; --i) {
      if (column.valid(i - 1)) return static_cast<std::int64_t>(i - 1);
    }
    return -1;
  }
  if (stat == Stat::mode) return row_of_mode(column, bucket);
  const bool most = stat == Stat::max || stat == Stat::time_of_max;
  if (column.type() == Column::Type::integer) {
    return row_of_extreme(column, column.integers(), bucket, most);
  }
  return row_of_extreme(column, column.numbers(), bucket, most);
}

}  // namespace zerobeat::detail
