#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/time/check_options.hpp>

namespace zerobeat::inline v1::detail {

namespace {

/// A length that is negative, as a person would write it.
std::string negative_text(const Period& period) {
  Period ahead = period;
  ahead.months = -period.months;
  ahead.days = -period.days;
  ahead.nanoseconds = -period.nanoseconds;
  if (ahead.months >= 0 && ahead.days >= 0 && ahead.nanoseconds.count() >= 0) {
    return "-" + to_text(ahead);
  }
  return fmt::format("{} months, {} days and {} ns", period.months, period.days,
                     period.nanoseconds.count());
}

}  // namespace

void check_option(std::string_view name, const Period& period) {
  if (period.months >= 0 && period.days >= 0 && period.nanoseconds.count() >= 0) return;
  fail_usage("‹{}› {}: a length of time is not negative", with_underscores(name),
             negative_text(period));
}

void check_option(std::string_view name, const Extent& extent) {
  if (extent.rows < 0) {
    fail_usage("‹{}› {}: a number of rows is not negative", with_underscores(name), extent.rows);
  }
  check_option(name, extent.period);
}

void check_option(std::string_view name, const Extents& extents) {
  for (const Extent& extent : extents.all) check_option(name, extent);
}

void check_option(std::string_view name, double number) {
  if (std::isnan(number))
    fail_usage("‹{}›: a number is asked for, and this is none", with_underscores(name));
}

void fail_enum(std::string_view name, long long value) {
  fail_usage("‹{}›: the enumerator {} is none of its type", with_underscores(name), value);
}

}  // namespace zerobeat::detail
