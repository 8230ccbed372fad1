/// Zones: what the clocks on the wall of a place show, and when they change.

#pragma once

#include <chrono>
#include <memory>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// An IANA time zone, by its rule beyond 2037 too. A value; copies share their data.
/// May be used from several threads at once.
class Zone {
 public:
  /// UTC.
  Zone();
  /// The zone of that IANA name, as find() finds it.
  Zone(const char* name);         // NOLINT: meant to convert
  Zone(const std::string& name);  // NOLINT
  /// One that was moved from is still the zone that it was.
  Zone(const Zone&) = default;
  Zone& operator=(const Zone&) = default;

  /// The zone of that IANA name, such as "Europe/Dublin".
  /// Throws Error that names the nearest zone when there is none of that name.
  [[nodiscard]] static Zone find(std::string_view name);

  [[nodiscard]] const std::string& name() const;
  [[nodiscard]] bool is_utc() const;

  /// A stretch of local time in which the zone gives one kind of answer.
  struct LocalStretch {
    enum class Kind { unique, repeated, skipped };

    std::chrono::local_seconds from;   ///< its first second
    std::chrono::local_seconds until;  ///< the first second after it
    Kind kind = Kind::unique;
    std::chrono::seconds offset{};        ///< local minus UTC; before the change, if there is one
    std::chrono::seconds later_offset{};  ///< after the change; the same in a unique stretch
  };

  /// The stretch of local time that holds `local`. Cost: a binary search.
  [[nodiscard]] LocalStretch stretch(std::chrono::local_seconds local) const;

  /// A stretch of the UTC time line with one offset.
  struct OffsetStretch {
    std::chrono::sys_seconds from;   ///< its first second
    std::chrono::sys_seconds until;  ///< the first second after it
    std::chrono::seconds offset{};   ///< local minus UTC
  };

  /// The stretch that holds `t`. Cost: a binary search.
  [[nodiscard]] OffsetStretch offset_stretch(std::chrono::sys_seconds t) const;

  /// Local time minus UTC at `t`.
  [[nodiscard]] std::chrono::seconds offset_at(Instant t) const;

  /// What the zone calls its time at `t`: GMT, IST. Of some zones it is an offset: +03.
  [[nodiscard]] std::string abbreviation_at(Instant t) const;

  /// What the clocks show at `t`.
  [[nodiscard]] std::chrono::local_time<Nanoseconds> local_of(Instant t) const;

  /// The first instant at or after which the clocks show `local`: the earlier of a repeated
  /// time, the instant of the change for a skipped one.
  [[nodiscard]] Instant first_instant(std::chrono::local_time<Nanoseconds> local) const;

  friend bool operator==(const Zone& a, const Zone& b) { return a.name() == b.name(); }

 private:
  struct Data;
  std::shared_ptr<const Data> data_;
};

void from_text(std::string_view text, Zone& out);
[[nodiscard]] std::string to_text(const Zone& zone);

}  // namespace v1
}  // namespace zerobeat
