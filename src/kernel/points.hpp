/// Choosing points that stand for a line.

#pragma once

#include <cstddef>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The places of `points` points, at least 3, by largest-triangle-three-buckets; ascending. All of
/// them when there are no more. Dense readings, ascending times. `furthest`, unless null, gets what
/// furthest_from_line() says of them.
std::vector<std::size_t> largest_triangles(std::span<const Instant> times,
                                           std::span<const double> values, std::size_t points,
                                           double* furthest = nullptr);

/// The places of the first, least, greatest and last reading of each of `stretches` equal
/// stretches of [from, until]; ascending, no place twice.
std::vector<std::size_t> extremes_of_stretches(std::span<const Instant> times,
                                               std::span<const double> values, Instant from,
                                               Instant until, std::size_t stretches);

/// How far, up or down, the furthest reading is from the line through the readings at `places`,
/// which hold the first and the last.
double furthest_from_line(std::span<const Instant> times, std::span<const double> values,
                          std::span<const std::size_t> places);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
