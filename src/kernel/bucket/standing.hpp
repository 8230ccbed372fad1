/// Standing readings: what holds from one reading to the next, across bucket edges.

#pragma once

#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/take/take.hpp>

#include "kernel/bucket/buckets.hpp"
#include "take/definitions.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What a statistic of standing readings comes to, as it is defined; null for others.
using StoodValue = double (*)(const Stood&, double);
StoodValue stood_value(Stat stat);

/// Whether a step from one reading to the next is counted by a statistic that compares them.
using ChangeCounted = bool (*)(double before, double reading);
ChangeCounted change_counted(Stat stat);

/// Whether the reading of each row is there and meets a condition.
std::vector<bool> rows_that_meet(const Column& column, const Condition& condition);

/// Of each bucket. By steps a reading stands until the strand's next one, the last for one typical
/// step; by lines it goes to the next one, and the last has none.
std::vector<Stood> stood_in(const Timeline& timeline, const Buckets& buckets, const Column& column,
                            Joining joining);

/// For how many seconds of each bucket a reading stood (seconds), and one that meets the condition
/// (area).
std::vector<Stood> condition_in(const Timeline& timeline, const Buckets& buckets,
                                const Column& column, const Condition& condition);

/// The share of each bucket that lies within one typical step after a reading.
std::vector<double> coverage_of(const Timeline& timeline, const Buckets& buckets,
                                const Column& column);

/// The value at each bucket's label: of the reading that stands there, or on the line; not a
/// number where there is none.
std::vector<double> values_at(const Timeline& timeline, const Buckets& buckets,
                              const Column& column, Joining joining,
                              std::span<const Instant> labels);

/// How many readings of each bucket count against the strand's reading before them.
std::vector<std::int64_t> changes_in(const Timeline& timeline, const Buckets& buckets,
                                     const Column& column, ChangeCounted counts);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
