/// Plain readers of timestamps, character by character. The fast paths in
/// layouts.hpp hand over to these whatever is not the common layout; these
/// decide what is wrong with it.

#pragma once

#include <cstdint>
#include <optional>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "base/wide.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// ISO 8601 and RFC 3339.
TimeVerdict read_iso(std::string_view text, TimestampReader::Civil& civil);

/// What one date in numbers says of the order of day, month and year: one bit per DateOrder.
struct DateProof {
  std::uint8_t fits = 0;  ///< the orders in which it is a date
  /// Of the orders that fit, whether two differ: day and month, dmy and ymd, mdy and ymd.
  std::uint8_t differ = 0;

  friend bool operator==(const DateProof&, const DateProof&) = default;
};

/// A date in numbers in the given order, and an optional clock.
TimeVerdict read_dated(std::string_view text, DateOrder order, TimestampReader::Civil& civil,
                       DateProof& proof);

/// A date with the month's name, and an optional clock: RFC 2822, the HTTP date in its three
/// forms, and as people write them. A weekday that the date is not on is impossible.
TimeVerdict read_named(std::string_view text, TimestampReader::Civil& civil);

/// yyyymmdd[hhmm[ss[fff]]], or a fraction after a mark; then an offset or nothing.
TimeVerdict read_compact(std::string_view text, TimestampReader::Civil& civil);

/// A whole or decimal number of `unit` nanoseconds since 1970.
TimeVerdict read_epoch(std::string_view text, std::int64_t unit, TimestampReader::Civil& civil);

/// A number of `unit` nanoseconds since an origin, which is so many seconds after 1970.
TimeVerdict read_count(std::string_view text, std::int64_t unit, std::int64_t origin,
                       TimestampReader::Civil& civil);

/// A number of days as spreadsheets count them, to the millisecond. In the system of 1900 day 1
/// is 1 January 1900, and day 60 a 29 February that never was; in that of 1904 day 0 is 1 January
/// 1904.
TimeVerdict read_serial(std::string_view text, bool from_1904, TimestampReader::Civil& civil);

/// A strptime pattern.
TimeVerdict read_pattern(std::string_view text, std::string_view pattern,
                         TimestampReader::Civil& civil);

/// Throws Error naming the conversion that is not known.
void check_pattern(std::string_view pattern);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
