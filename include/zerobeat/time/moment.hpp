/// Moments: times as options give them.
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

/// A time as written, read in the zone at hand when it has no offset of its own.
struct Moment {
  std::string text{};

  Moment() = default;
  Moment(Instant t) : text(to_text(t)) {}                    // NOLINT: meant to convert
  Moment(std::string written) : text(std::move(written)) {}  // NOLINT
  Moment(const char* written) : text(written) {}             // NOLINT

  /// The instant. Throws Error when the text is no time.
  [[nodiscard]] Instant in(const Zone& zone) const;

  friend bool operator==(const Moment&, const Moment&) = default;
};

/// Throws Error when the text is no time.
void from_text(std::string_view text, Moment& out);
[[nodiscard]] std::string to_text(const Moment& moment);

}  // namespace v1
}  // namespace zerobeat
