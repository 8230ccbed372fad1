/// Counters that may start again from 0: their steps, so that what they rose by is a sum.

#pragma once

#include <optional>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What a counter rose by from one reading to the next: a fall is a new start from 0.
template <typename Number>
constexpr Number counter_step(Number before, Number now) {
  return now >= before ? now - before : now;
}

/// A timeline with the steps of counters beside its columns, and takes of those in place of
/// increases: sums of the steps, or of `linear` ones integrals of the steps per second; and of each
/// a second take, that tells where there is no step at all.
struct CounterSteps {
  Timeline timeline;
  std::vector<Take> takes;
};

/// Nothing when no take is an increase. Cost: a pass over each column that is a counter.
std::optional<CounterSteps> with_counter_steps(const Timeline& timeline,
                                               const std::vector<Take>& takes);

/// Whether a column is one of those that with_counter_steps() brought in.
bool is_of_counter_steps(std::string_view name);

/// A result of such takes, missing where there is no step, without what was brought in.
Table without_counter_steps(const Table& table);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
