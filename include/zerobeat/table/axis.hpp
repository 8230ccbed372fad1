/// Axes: what a timeline's times are, instants or numbers of a unit since a zero.
///
/// An elapsed time is kept as nanoseconds since its zero, so that every step that knows fixed
/// periods works on it as it does on instants; a count (steps, weeks, samples) is kept as whole
/// numbers, of which no period says anything.
///
/// Values: threads may read one at the same time; copies share what they hold.

#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/elapsed.hpp>
#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Period;
struct Extent;

struct Axis {
  std::optional<ElapsedUnit> elapsed{};  ///< unset: the times are instants
  std::string since{};                   ///< what the zero of elapsed times is, when it is known

  [[nodiscard]] bool is_instants() const { return !elapsed.has_value(); }
  [[nodiscard]] bool is_count() const { return elapsed == ElapsedUnit::count; }
  friend bool operator==(const Axis&, const Axis&) = default;
};

/// "instants", "elapsed-s".
[[nodiscard]] std::string to_text(const Axis& axis);

/// What stands under a picture's axis of elapsed times: "hours since level_m > 4", or empty when
/// it is not known since what.
[[nodiscard]] std::string since_text(const Axis& axis);

/// Throws Error when a period can't be on the axis: a calendar period on an elapsed one, any on a
/// count. `option` is what it was given as.
void check_on_axis(const Axis& axis, const Period& period, std::string_view option);
void check_on_axis(const Axis& axis, const Extent& extent, std::string_view option);

/// Throws Error unless the times are instants: what goes by clocks and calendars needs them.
void need_instants(const Axis& axis, std::string_view option);

/// A time as written, on the axis: an instant, in `zone` when it has no offset of its own, or a
/// number of the axis's unit. Throws Error of kind usage, naming the option, when it is none.
[[nodiscard]] Instant moment_on(const Axis& axis, const Zone& zone, const std::string& text,
                                std::string_view option);

}  // namespace v1
}  // namespace zerobeat
