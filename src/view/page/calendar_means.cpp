#include "view/page/calendar_means.hpp"

#include <algorithm>
#include <cmath>
#include <zerobeat/time/grid.hpp>

namespace zerobeat::inline v1::detail {

namespace {

constexpr Nanoseconds hour = std::chrono::hours(1);

std::chrono::year_month_day date_of(Instant t, const Zone& zone) {
  return std::chrono::year_month_day(std::chrono::floor<std::chrono::days>(zone.local_of(t)));
}

/// Of readings in order of time, hour by hour.
class Hours {
 public:
  Hours(const CalendarDays& days, CalendarMeans& means, bool keep)
      : days_(days), means_(means), keep_(keep) {}

  void add(Instant t, double value) {
    if (t >= until_ || !any_) [[unlikely]]
      go_to(t);
    own_.sum += value;
    ++own_.count;
  }

  void finish() {
    if (own_.count == 0) return;
    Mean& day = means_.days[day_ - means_.first_day];
    means_.daily &= day.count == 0;
    day.add(own_);
    if (keep_) {
      if (means_.hours.size() <= hours_before_ + hour_)
        means_.hours.resize(hours_before_ + hour_ + 1);
      means_.hours[hours_before_ + hour_].add(own_);
    }
    means_.week[place_in_week_].add(own_);
    own_ = {};
  }

 private:
  void go_to(Instant t) {
    finish();
    if (!any_ || t >= days_.edges[day_ + 1]) {
      const std::size_t day = days_.day_of(t);
      if (!any_) means_.first_day = day_ = day;
      for (; day_ < day; ++day_) hours_before_ += days_.hours_of(day_);
      means_.days.resize(day_ - means_.first_day + 1);
      any_ = true;
    }
    const Instant start = days_.edges[day_];
    hour_ = static_cast<std::size_t>((t - start) / hour);
    const Instant from = start + hour * static_cast<std::int64_t>(hour_);
    until_ = days_.edges[day_ + 1] - from < hour ? days_.edges[day_ + 1] : from + hour;
    const auto local = days_.zone.local_of(from);
    const auto midnight = std::chrono::floor<std::chrono::days>(local);
    const std::chrono::weekday weekday(midnight);
    place_in_week_ =
        (weekday.iso_encoding() - 1) * 24 + static_cast<std::size_t>((local - midnight) / hour);
  }

  const CalendarDays& days_;
  CalendarMeans& means_;
  bool keep_, any_ = false;
  Instant until_{};
  std::size_t day_ = 0, hour_ = 0, hours_before_ = 0, place_in_week_ = 0;
  Mean own_{};
};

}  // namespace

std::size_t CalendarDays::day_of(Instant t) const {
  const auto next = std::upper_bound(edges.begin(), edges.end() - 1, t);
  return next == edges.begin() ? 0 : static_cast<std::size_t>(next - edges.begin()) - 1;
}

std::size_t CalendarDays::hours_of(std::size_t day) const {
  const Nanoseconds length = edges[day + 1] - edges[day];
  return static_cast<std::size_t>((length + hour - Nanoseconds(1)) / hour);
}

CalendarDays calendar_days(Instant first, Instant last, const Zone& zone) {
  using namespace std::chrono;
  const year from = date_of(first, zone).year(), to = date_of(last, zone).year();
  CalendarDays days{
      zone, static_cast<int>(from), static_cast<int>(to) - static_cast<int>(from) + 1, {}};
  const Grid grid(std::chrono::days(1), {.zone = zone});
  const sys_days start = from / January / 1, end = (to + std::chrono::years(1)) / January / 1;
  // Days are numbered from that of the epoch.
  for (sys_days day = start; day <= end; day += std::chrono::days(1)) {
    days.edges.push_back(grid.edge(day.time_since_epoch().count()));
  }
  return days;
}

CalendarMeans calendar_means(const Timeline& timeline, const Strand& strand, const Column& numbers,
                             const CalendarDays& days, bool hours) {
  CalendarMeans means;
  const auto times = timeline.times();
  const auto values = numbers.numbers();
  Hours each(days, means, hours);
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (numbers.valid(row) && std::isfinite(values[row])) each.add(times[row], values[row]);
  }
  each.finish();
  const auto years = static_cast<std::size_t>(days.years);
  means.years.resize(years);
  means.quarters.resize(4 * years);
  means.months.resize(12 * years);
  std::chrono::sys_days date = std::chrono::year(days.first_year) / std::chrono::January / 1;
  date += std::chrono::days(means.first_day);
  for (const Mean& day : means.days) {
    const std::chrono::year_month_day ymd = date;
    const auto month =
        static_cast<std::size_t>(static_cast<int>(ymd.year()) - days.first_year) * 12 +
        static_cast<unsigned>(ymd.month()) - 1;
    means.months[month].add(day);
    date += std::chrono::days(1);
  }
  for (std::size_t m = 0; m < means.months.size(); ++m) {
    means.quarters[m / 3].add(means.months[m]);
    means.years[m / 12].add(means.months[m]);
  }
  return means;
}

}  // namespace zerobeat::detail
