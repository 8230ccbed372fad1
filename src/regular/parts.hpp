/// Which part of the calendar an instant is in.

#pragma once

#include <cstdint>
#include <zerobeat/base/export.hpp>
#include <zerobeat/regular/profile.hpp>

#include "time/civil_reader.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Numbers of one part of the calendar, first to last.
struct PartRange {
  std::int64_t first = 0, last = 0;

  std::size_t size() const { return static_cast<std::size_t>(last - first + 1); }
};

/// A column of dates, given as days since 1970: text like 2025-10-20.
Column column_of_dates(std::span<const std::int64_t> days);

/// The range of a part; of dates, years and values, which have none, {0, -1}.
PartRange range_of(Part::Kind kind);

/// Parts of instants, in a zone. Remembers where it was: cheap for instants in order.
class PartReader {
 public:
  PartReader(const Zone& zone, WeekStart week_starts) : civil_(zone), week_starts_(week_starts) {}

  /// Goes to an instant.
  void go_to(Instant t) { civil_.go_to(t); }
  /// The number of its part; weekdays count from the first of the week, 0 on.
  std::int64_t number(Part::Kind kind) const;

 private:
  CivilReader civil_;
  WeekStart week_starts_;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
