#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/time/working_days.hpp>

namespace zerobeat::inline v1 {

std::optional<Calendar> WorkingDays::read() const {
  if (calendar || !given()) return calendar;
  if (!holidays.empty()) {
    fail_usage("‹holidays› {}: the file was not read; working_days() reads it, as does a plan",
               shown(holidays.path, 200));
  }
  return Calendar(*weekend, {});
}

}  // namespace zerobeat
