/// What the tests of windows share: which rows a window sees, and takes as they are written.

#pragma once

#include <algorithm>
#include <cmath>
#include <zerobeat/window/roll.hpp>

#include "support/strand.hpp"
#include "time/forward_shift.hpp"

namespace zerobeat::testing {

/// The rows of a strand that row i's window sees.
inline std::vector<std::size_t> rows_seen(const Timeline& timeline, const Strand& strand,
                                          std::size_t i, const Extent& window, Place place) {
  std::vector<std::size_t> rows;
  const auto times = timeline.times();
  const Zone& zone = timeline.zone();
  Instant low{}, high{};
  if (!window.in_rows()) {
    const Period& w = window.period;
    const Nanoseconds half = w.nanoseconds / 2;
    low = place == Place::centred   ? times[i] - (w.nanoseconds - half)
          : place == Place::leading ? times[i]
                                    : detail::shift_forward(times[i], w, -1, zone);
    high = place == Place::centred   ? times[i] + half
           : place == Place::leading ? detail::shift_forward(times[i], w, 1, zone)
                                     : times[i];
  }
  const std::int64_t before = place == Place::trailing  ? window.rows - 1
                              : place == Place::centred ? window.rows / 2
                                                        : 0;
  for (std::size_t j = strand.begin; j < strand.end; ++j) {
    const auto apart = static_cast<std::int64_t>(j) - static_cast<std::int64_t>(i);
    const bool seen = window.in_rows()          ? apart >= -before && apart < window.rows - before
                      : place == Place::leading ? times[j] >= low && times[j] < high
                                                : times[j] > low && times[j] <= high;
    if (seen) rows.push_back(j);
  }
  return rows;
}

inline Take take_read(const std::string& text) {
  Take take;
  if (text == "own") {
    return take::of("level", [](std::span<const double> x) { return x.back() - x.front(); })
        .as("o");
  }
  from_text(text, take);
  return take.as("o");
}

inline double mean_of(const std::vector<double>& x) {
  return std::accumulate(x.begin(), x.end(), 0.0) / static_cast<double>(x.size());
}

inline double moment(const std::vector<double>& x, int power) {
  const double mean = mean_of(x);
  double sum = 0;
  for (const double value : x) sum += std::pow(value - mean, power);
  return sum / static_cast<double>(x.size());
}

inline double quantile_of(std::vector<double> x, double share) {
  std::sort(x.begin(), x.end());
  const double at = share * static_cast<double>(x.size() - 1);
  const auto below = static_cast<std::size_t>(at);
  const double next = below + 1 < x.size() ? x[below + 1] : x[below];
  return x[below] + (next - x[below]) * (at - static_cast<double>(below));
}

inline constexpr Place all_places[] = {Place::trailing, Place::centred, Place::leading};

}  // namespace zerobeat::testing
