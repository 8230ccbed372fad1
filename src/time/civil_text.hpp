/// Plain readers of timestamps, character by character. The fast paths in
/// timestamp.cpp hand over to these whatever is not the common layout; these
/// decide what is wrong with it.

#pragma once

#include <string_view>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat::detail {

/// ISO 8601 and RFC 3339.
TimeVerdict read_iso(std::string_view text, TimestampReader::Civil& civil);

/// What one date in numbers says of the order of day and month.
enum class DateProof { none, only_day_first, only_month_first, either_order };

/// A date in numbers in the given order, and an optional clock.
TimeVerdict read_dated(std::string_view text, DateOrder order, TimestampReader::Civil& civil,
                       DateProof& proof);

/// A strptime pattern.
TimeVerdict read_pattern(std::string_view text, std::string_view pattern,
                         TimestampReader::Civil& civil);

/// Throws Error naming the conversion that is not known.
void check_pattern(std::string_view pattern);

}  // namespace zerobeat::detail
