#include <algorithm>
#include <limits>
#include <zerobeat/error.hpp>
#include <zerobeat/time/grid.hpp>

#include "base/floor_divide.hpp"
#include "base/wide.hpp"

namespace zerobeat {

namespace {

using namespace std::chrono;
using detail::floor_divide;

constexpr std::int64_t last_number = std::numeric_limits<std::int64_t>::max();
constexpr std::int64_t first_number = std::numeric_limits<std::int64_t>::min();

std::int64_t months_since_1970(const year_month_day& date) {
  return (static_cast<int>(date.year()) - 1970) * 12 +
         static_cast<int>(static_cast<unsigned>(date.month())) - 1;
}

}  // namespace

Grid::Grid(const Period& period, const Zone& zone, std::optional<Instant> anchor,
           WeekStart week_starts, const Calendar& calendar)
    : period_(period), zone_(zone), calendar_(calendar) {
  if (period.is_zero())
    fail_usage("a grid's period is longer than zero; \"{}\" is not", to_text(period));
  const int kinds = (period.months != 0) + (period.days != 0) + (period.nanoseconds.count() != 0);
  if (kinds > 1) {
    fail_usage("\"{}\" mixes calendar and fixed parts; a grid takes one of them, like 36h or 2d",
               to_text(period));
  }
  if (period.months < 0 || period.days < 0 || period.nanoseconds.count() < 0) {
    fail_usage("a grid's period is longer than zero");
  }
  if (!calendar.is_plain() && period.days == 0) {
    fail_usage("a grid of working days has a period of days; \"{}\" is not one", to_text(period));
  }
  if (period.is_fixed()) {
    anchor_ = anchor.value_or(Instant{});
    return;
  }
  if (anchor) {
    const auto local = zone.local_of(*anchor);
    const local_seconds whole = floor<seconds>(local);
    first_day_ = floor<std::chrono::days>(whole);
    clock_ = whole - first_day_;
    fraction_ = local - whole;
    first_day_ = calendar_.nth_after(first_day_, 0);
    return;
  }
  first_day_ = local_days(std::chrono::days(0));
  if (!calendar.is_plain()) {
    first_day_ = calendar_.nth_after(first_day_, 0);
  } else if (period.days != 0 && period.days % 7 == 0) {
    // 1970-01-01 was a Thursday; the week that holds it starts on or before it.
    const int start = static_cast<int>(week_starts);
    first_day_ -= std::chrono::days((3 - start + 7) % 7);
  }
}

Instant Grid::edge(std::int64_t n) const {
  if (period_.is_fixed()) {
    const Wide at = Wide(nanoseconds_of(anchor_)) + Wide(n) * period_.nanoseconds.count();
    return instant_of(static_cast<std::int64_t>(std::clamp<Wide>(at, first_number, last_number)));
  }
  const Wide far_past = -120'000;  // days: about 1641, before the first Instant
  const Wide far_future = 120'000;
  Wide day = 0;
  if (period_.months != 0) {
    const year_month_day anchor(first_day_);
    const Wide month_number = Wide(months_since_1970(anchor)) + Wide(n) * period_.months;
    if (month_number < -4000) return Instant::min();
    if (month_number > 4000) return Instant::max();
    const auto years_on = floor_divide<std::int64_t>(static_cast<std::int64_t>(month_number), 12);
    const year_month target =
        year(static_cast<int>(1970 + years_on)) /
        month(static_cast<unsigned>(static_cast<std::int64_t>(month_number) - years_on * 12 + 1));
    const auto last = (target / std::chrono::last).day();
    day = local_days(target / std::min(anchor.day(), last)).time_since_epoch().count();
  } else {
    const Wide days_on = Wide(n) * period_.days;
    day = Wide(first_day_.time_since_epoch().count()) + days_on;
    if (!calendar_.is_plain() && days_on > 2 * far_past && days_on < 2 * far_future) {
      const auto worked = calendar_.nth_after(first_day_, static_cast<std::int64_t>(days_on));
      day = worked.time_since_epoch().count();
    }
  }
  if (day < far_past) return Instant::min();
  if (day > far_future) return Instant::max();
  const local_seconds local = local_days(std::chrono::days(static_cast<int>(day))) + clock_;
  const auto answer = zone_.stretch(local);
  const bool skipped = answer.kind == Zone::LocalStretch::Kind::skipped;
  const local_seconds landed = skipped ? answer.from : local;
  const Wide at = Wide((landed - answer.offset).time_since_epoch().count()) * 1'000'000'000 +
                  (skipped ? 0 : fraction_.count());
  return instant_of(static_cast<std::int64_t>(std::clamp<Wide>(at, first_number, last_number)));
}

std::int64_t Grid::index_of(Instant t) const {
  if (period_.is_fixed()) {
    const Wide since = Wide(nanoseconds_of(t)) - nanoseconds_of(anchor_);
    return static_cast<std::int64_t>(floor_divide<Wide>(since, period_.nanoseconds.count()));
  }
  const sys_seconds whole = floor<seconds>(t);
  const local_seconds local((whole + zone_.offset_stretch(whole).offset).time_since_epoch());
  const local_days day = floor<std::chrono::days>(local);
  std::int64_t n = 0;
  if (period_.months != 0) {
    n = floor_divide(
        months_since_1970(year_month_day(day)) - months_since_1970(year_month_day(first_day_)),
        period_.months);
  } else {
    // The last working day until then; days off belong to the bucket before them.
    const std::int64_t days_on =
        calendar_.is_plain() ? (day - first_day_).count()
                             : calendar_.working_days(first_day_, day + std::chrono::days(1)) - 1;
    n = floor_divide(days_on, period_.days);
  }
  while (edge(n) > t) --n;
  while (edge(n + 1) <= t && edge(n + 1) != Instant::max()) ++n;
  return n;
}

}  // namespace zerobeat
