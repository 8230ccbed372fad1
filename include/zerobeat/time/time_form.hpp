/// Forms in which times are written back: RFC 3339, epochs, quarters, weeks, seconds elapsed, and
/// strftime patterns.
///
/// Values: threads may share them, and what they return is a copy.

#pragma once

#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct TimeForm {
  enum class Kind {
    rfc3339,
    epoch_s,
    epoch_ms,
    epoch_us,
    epoch_ns,
    quarter,
    week,
    elapsed,
    pattern
  };

  Kind kind = Kind::rfc3339;
  std::string pattern{};  ///< when kind is pattern

  friend bool operator==(const TimeForm&, const TimeForm&) = default;
};

/// Reads `rfc3339`, `epoch-s`, `epoch-ms`, `epoch-us`, `epoch-ns`, `quarter` (2025-Q4), `week`
/// (2025-W43), `elapsed`, or a strftime pattern.
void from_text(std::string_view text, TimeForm& out);
[[nodiscard]] std::string to_text(const TimeForm& form);

/// Appends `t` to `out`.
///
/// `digits` is how many of the second's digits are written (more are cut): in RFC 3339, epochs
/// and elapsed seconds as they stand, under `%f` too, where none is written as 0. Local times are
/// those of `zone`, UTC when it is null; elapsed seconds count from `origin`. RFC 3339 and epochs
/// read back to the same instant when digits lose nothing; a pattern does when it holds the date,
/// the clock with %f, and %z or else a zone without a repeated hour; quarters and weeks do for
/// their first instants.
void append_time(std::string& out, Instant t, const TimeForm& form, int digits, const Zone* zone,
                 Instant origin);

}  // namespace v1
}  // namespace zerobeat
