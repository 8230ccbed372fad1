/// Statistics of buckets: a column for each take.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/take/take.hpp>

#include "kernel/bucket/buckets.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What takes came to: a column each, and what is to be said about them.
struct Taken {
  std::vector<Column> columns;
  std::vector<std::string> notes;
};

/// Takes with ohlc written out as its four columns, each with its name.
std::vector<Take> plain_takes(const std::vector<Take>& takes);

/// A column with a reading for each bucket, for each of `takes`, which are resolved and plain.
/// `labels` are the instants that at() is of.
Taken take_all(const Timeline& timeline, const Buckets& buckets, std::span<const Take> takes,
               std::span<const Instant> labels);

/// How many readings of a column a bucket has.
std::int64_t count_readings(const Column& column, const Bucket& bucket);

/// Takes whose value depends on how long readings stood: they look beyond the bucket's rows.
bool goes_by_standing(Stat stat);

/// Takes that need to know the typical step, which the strand's last reading stands for.
bool needs_typical_step(const Take& take);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
