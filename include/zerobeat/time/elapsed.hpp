/// Elapsed times: numbers of a unit since a zero, kept as nanoseconds since it; counts of steps,
/// weeks or samples are kept as they are.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

enum class ElapsedUnit { ms, s, min, h, d, count };

[[nodiscard]] constexpr auto enum_words(ElapsedUnit) {
  return std::array<std::string_view, 6>{"ms", "s", "min", "h", "d", "count"};
}

/// Nanoseconds of one of the unit. One of a count stands for a second, so that what is per second
/// on other axes is per step on it.
[[nodiscard]] std::int64_t nanoseconds_of(ElapsedUnit unit);

/// So many of the unit since the zero, to the nearest nanosecond (a count: whole numbers only);
/// nullopt when it is no number or lies beyond what 64 bits hold.
[[nodiscard]] std::optional<Instant> read_elapsed(std::string_view text, ElapsedUnit unit);

/// Appends the shortest decimal that reads back as the same time.
void append_elapsed(std::string& out, Instant t, ElapsedUnit unit);

/// The time as a number of the unit, for plots and for columns of numbers.
[[nodiscard]] double elapsed_number(Instant t, ElapsedUnit unit);

}  // namespace v1
}  // namespace zerobeat
