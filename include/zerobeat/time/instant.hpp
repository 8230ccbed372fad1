/// Instants: points on the UTC time line, and how they are written.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <chrono>
#include <cstdint>
#include <string>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

class Zone;

/// A point on the UTC time line: nanoseconds since 1970-01-01T00:00:00Z, from
/// 1677-09-21T00:12:43.145224193Z to 2262-04-11T23:47:16.854775807Z.
using Instant = std::chrono::sys_time<std::chrono::nanoseconds>;

/// A length of time that is the same everywhere.
using Nanoseconds = std::chrono::nanoseconds;

[[nodiscard]] constexpr Instant instant_of(std::int64_t nanoseconds_since_1970) {
  return Instant(Nanoseconds(nanoseconds_since_1970));
}

[[nodiscard]] constexpr std::int64_t nanoseconds_of(Instant t) {
  return t.time_since_epoch().count();
}

/// What of an instant lies past its whole second: 0 to 999,999,999 ns, before 1970 too.
[[nodiscard]] constexpr Nanoseconds past_second(Instant t) {
  const std::int64_t rest = nanoseconds_of(t) % 1'000'000'000;
  return Nanoseconds(rest < 0 ? rest + 1'000'000'000 : rest);
}

/// How many digits of the second are written.
enum class Precision { automatic, s, ms, us, ns };

/// 0, 3, 6 or 9: the fewest of these digits that write `t` without loss.
[[nodiscard]] int digits_needed(Instant t);

/// Digits for a precision; `needed` is what `automatic` stands for.
[[nodiscard]] int digits_of(Precision precision, int needed);

/// The longest text that write_instant writes.
inline constexpr std::size_t longest_instant = 40;

/// Writes `t` as RFC 3339 with `digits` digits of the second (more are cut): in UTC with Z when
/// `zone` is null, else as the zone's local time with its offset. Returns the end of the text.
/// `out` has room for longest_instant characters.
char* write_instant(char* out, Instant t, int digits, const Zone* zone = nullptr);

/// The same, as a string, with as few digits as lose nothing.
[[nodiscard]] std::string to_text(Instant t);
[[nodiscard]] std::string to_text(Instant t, int digits, const Zone* zone = nullptr);

}  // namespace v1
}  // namespace zerobeat
