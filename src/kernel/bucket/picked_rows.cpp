#include "kernel/bucket/picked_rows.hpp"

#include <algorithm>
#include <bit>
#include <stdexcept>
#include <vector>

namespace zerobeat::inline v1::detail {

std::uint64_t reading_number(const Column& column, std::size_t row) {
  constexpr std::uint64_t top = std::uint64_t{1} << 63;
  const auto of_signed = [](std::int64_t value) { return static_cast<std::uint64_t>(value) ^ top; };
  switch (column.type()) {
    case Column::Type::number: {
      // As two's complement: negative numbers count down. Zero has one sign.
      const auto bits = std::bit_cast<std::uint64_t>(column.numbers()[row] + 0.0);
      return bits & top ? ~bits : bits | top;
    }
    case Column::Type::integer:
      return of_signed(column.integers()[row]);
    case Column::Type::time:
      return of_signed(nanoseconds_of(column.times()[row]));
    case Column::Type::boolean:
      return column.boolean(row);
    case Column::Type::text:
      break;
  }
  return static_cast<std::uint64_t>(column.codes()[row]);
}

namespace {

/// The numbers of a bucket's readings, sorted; until the next call in this thread.
const std::vector<std::uint64_t>& sorted_numbers(const Column& column, const Bucket& bucket) {
  thread_local std::vector<std::uint64_t> numbers;
  numbers.clear();
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (column.valid(i)) numbers.push_back(reading_number(column, i));
  }
  std::ranges::sort(numbers);
  return numbers;
}

/// The row of the reading that stands most often; of equals the smallest. -1: there is none.
std::int64_t row_of_mode(const Column& column, const Bucket& bucket) {
  const auto& numbers = sorted_numbers(column, bucket);
  const bool text = column.type() == Column::Type::text;
  std::uint64_t best = 0;
  std::size_t longest = 0;
  for (std::size_t i = 0; i < numbers.size();) {
    std::size_t end = i + 1;
    while (end < numbers.size() && numbers[end] == numbers[i]) ++end;
    const bool before =
        text && end - i == longest && column.dictionary()[numbers[i]] < column.dictionary()[best];
    if (end - i > longest || before) best = numbers[i];
    longest = std::max(longest, end - i);
    i = end;
  }
  if (longest == 0) return -1;
  std::size_t row = bucket.begin;
  while (!column.valid(row) || reading_number(column, row) != best) ++row;
  return static_cast<std::int64_t>(row);
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

std::int64_t first_row(const Column& column, const Bucket& bucket) {
  for (std::size_t i = bucket.begin; i < bucket.end; ++i) {
    if (column.valid(i)) return static_cast<std::int64_t>(i);
  }
  return -1;
}

std::int64_t last_row(const Column& column, const Bucket& bucket) {
  for (std::size_t i = bucket.end; i > bucket.begin; --i) {
    if (column.valid(i - 1)) return static_cast<std::int64_t>(i - 1);
  }
  return -1;
}

template <bool most>
std::int64_t extreme_row(const Column& column, const Bucket& bucket) {
  if (column.type() == Column::Type::integer) {
    return row_of_extreme(column, column.integers(), bucket, most);
  }
  return row_of_extreme(column, column.numbers(), bucket, most);
}

struct Way {
  Stat stat;
  std::int64_t (*pick)(const Column&, const Bucket&);
};
constexpr Way ways[] = {
    {Stat::first, first_row},
    {Stat::last, last_row},
    {Stat::first_time, first_row},
    {Stat::last_time, last_row},
    {Stat::mode, row_of_mode},
    {Stat::time_of_min, extreme_row<false>},
    {Stat::time_of_max, extreme_row<true>},
};

}  // namespace

std::int64_t count_distinct(const Column& column, const Bucket& bucket) {
  const auto& numbers = sorted_numbers(column, bucket);
  std::int64_t distinct = 0;
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    distinct += i == 0 || numbers[i - 1] != numbers[i];
  }
  return distinct;
}

std::int64_t picked_row(const Column& column, const Bucket& bucket, Stat stat) {
  const auto* const way = std::ranges::find(ways, stat, &Way::stat);
  if (way == std::end(ways)) throw std::logic_error("a statistic that is no row of a bucket");
  return way->pick(column, bucket);
}

}  // namespace zerobeat::detail
