/// How alike two sources are where they meet.

#pragma once

#include <algorithm>
#include <cstdint>
#include <optional>
#include <zerobeat/base/export.hpp>

#include "align/clock/readings.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Calls `met(line, reading)` for each reading of `other` that meets the reference's line when its
/// clock is set back by offset + drift · t, over steps of at most three typical ones. Of more than
/// `most_readings` evenly chosen ones are taken; 0: all. The reference's times are all different.
template <typename Met>
void meet(const ClockReadings& reference, const ClockReadings& other, double offset, double drift,
          std::size_t most_readings, Met&& met) {
  const std::size_t all = other.size();
  const std::size_t n = most_readings == 0 ? all : std::min(all, most_readings);
  const double longest = 3 * reference.step * (1 + 1e-9);
  const auto begin = reference.at.begin(), end = reference.at.end();
  auto next = begin;  // the first of the reference that is not before
  for (std::size_t k = 0; k < n; ++k) {
    const std::size_t i = n == all ? k : k * all / n;
    const double at = other.at[i] - offset - drift * other.at[i];
    if (n < all) next = std::lower_bound(next, end, at);
    while (next != end && *next < at) ++next;
    if (next == end) break;
    const auto place = static_cast<std::size_t>(next - begin);
    if (*next == at) {
      met(reference.values[place], other.values[i]);
      continue;
    }
    if (place == 0) continue;
    const double before = *(next - 1), step = *next - before;
    if (step > longest) continue;
    const double share = (at - before) / step;
    met(reference.values[place - 1] * (1 - share) + reference.values[place] * share,
        other.values[i]);
  }
}

struct ClockMatch {
  std::int64_t readings = 0;      ///< of the other that met the reference's line
  std::optional<double> match{};  ///< Pearson's correlation; unset of fewer than two, or of equals
};

/// Of the readings that meet.
ClockMatch clock_match(const ClockReadings& reference, const ClockReadings& other, double offset,
                       double drift, std::size_t most_readings = 0);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
