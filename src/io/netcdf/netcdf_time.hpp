/// What the times of a grid count: "hours since 1900-01-01 00:00" (CF conventions, 4.4).

#pragma once

#include <cstdint>
#include <optional>
#include <string_view>
#include <zerobeat/base/export.hpp>

#include "base/wide.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Nanoseconds of a unit, from a number of nanoseconds since 1970, which 1-1-1 may be.
struct TimeUnit {
  std::int64_t unit = 0;
  Wide origin = 0;

  /// The nanosecond since 1970 of a count; none beyond the range of instants.
  std::optional<std::int64_t> instant_of(std::int64_t count) const;
  /// To the microsecond, for binary fractions of days and hours are never just so.
  std::optional<std::int64_t> instant_of(double count) const;
};

/// Reads "hours since 1900-01-01 00:00:0.0 +01:00". The calendar that is called standard is the
/// Julian one up to 1582-10-04: a mixed one.
std::optional<TimeUnit> time_unit_of(std::string_view units, bool mixed_calendar);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
