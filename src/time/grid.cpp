#include <fmt/format.h>

#include <algorithm>
#include <zerobeat/base/error.hpp>
#include <zerobeat/time/grid.hpp>

#include "base/floor_divide.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

using namespace std::chrono;
using detail::floor_divide;

constexpr int far_past = -120'000;  // days: about 1641, before the first Instant
constexpr int far_future = 120'000;

std::int64_t months_since_1970(const year_month_day& date) {
  return (static_cast<int>(date.year()) - 1970) * 12 +
         static_cast<int>(static_cast<unsigned>(date.month())) - 1;
}

}  // namespace

void from_text(std::string_view text, Hours& out) {
  const auto read_clock = [&](std::string_view clock) -> minutes {
    const bool shaped = clock.size() == 5 && clock[2] == ':' &&
                        std::ranges::all_of(std::string_view("\0\1\3\4", 4), [&](char place) {
                          const char digit = clock[static_cast<std::size_t>(place)];
                          return digit >= '0' && digit <= '9';
                        });
    const auto two = [&](std::size_t at) { return (clock[at] - '0') * 10 + clock[at + 1] - '0'; };
    if (!shaped || two(3) > 59 || two(0) * 60 + two(3) > 24 * 60) {
      fail_usage("\"{}\" is not a clock time; hours are written like 09:00-17:30", clock);
    }
    return minutes(two(0) * 60 + two(3));
  };
  const std::size_t dash = text.find('-');
  if (dash == std::string_view::npos) {
    fail_usage("\"{}\" are no hours; write them like 09:00-17:30", text);
  }
  const Hours read{read_clock(text.substr(0, dash)), read_clock(text.substr(dash + 1))};
  if (read.from == read.until || read.from == minutes(24 * 60)) {
    fail_usage("\"{}\": hours last longer than nothing; the whole day is 00:00-24:00", text);
  }
  out = read;
}

std::string to_text(const Hours& hours) {
  const auto clock = [](minutes at) {
    return fmt::format("{:02}:{:02}", at.count() / 60, at.count() % 60);
  };
  return clock(hours.from) + "-" + clock(hours.until);
}

Grid::Grid(const Period& period, const GridOptions& options) : period_(period), options_(options) {
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
  const Calendar& calendar = options_.calendar;
  if (options_.hours) {
    if (!period.is_fixed() && period != Period::of_days(1)) {
      fail_usage("hours go with a fixed period, like 30min, or with 1d, not with \"{}\"",
                 to_text(period));
    }
    if (options_.anchor)
      fail_usage("hours and an anchor contradict each other: both say where a bucket starts");
    first_day_ = calendar.nth_after(local_days(days(0)), 0);
    if (period.is_fixed()) {
      // Where the clocks go back within a session it is longer; what goes beyond these numbers is
      // in the last bucket.
      auto longest = options_.hours->until - options_.hours->from;
      if (longest < minutes(0)) longest += days(1);
      each_day_ = static_cast<std::int64_t>(
          floor_divide<Wide>(Wide(Nanoseconds(longest + hours(3)).count()) - 1,
                             period.nanoseconds.count()) +
          1);
    }
    return;
  }
  if (!calendar.is_plain() && (period.days == 0 || period.in_weeks)) {
    fail_usage("a grid of working days has a period of days, like 1d or 5d; \"{}\" is not one",
               to_text(period));
  }
  if (period.is_fixed()) {
    anchor_ = options_.anchor.value_or(Instant{});
    return;
  }
  if (options_.anchor) {
    const auto local = options_.zone.local_of(*options_.anchor);
    const local_seconds whole = floor<seconds>(local);
    first_day_ = floor<std::chrono::days>(whole);
    clock_ = whole - first_day_;
    fraction_ = local - whole;
    first_day_ = calendar.nth_after(first_day_, 0);
    return;
  }
  first_day_ = local_days(std::chrono::days(0));
  if (!calendar.is_plain()) {
    first_day_ = calendar.nth_after(first_day_, 0);
  } else if (period.days != 0 && period.days % 7 == 0) {
    // 1970-01-01 was a Thursday; the week that holds it starts on or before it.
    const int start = static_cast<int>(options_.week_starts);
    first_day_ -= std::chrono::days((3 - start + 7) % 7);
  }
}

Instant Grid::edge_at(local_days day, local_seconds::duration clock, Nanoseconds fraction) const {
  const local_seconds local = day + clock;
  const auto answer = options_.zone.stretch(local);
  const bool skipped = answer.kind == Zone::LocalStretch::Kind::skipped;
  const local_seconds landed = skipped ? answer.from : local;
  const Wide at = Wide((landed - answer.offset).time_since_epoch().count()) * 1'000'000'000 +
                  (skipped ? 0 : fraction.count());
  return detail::bounded_instant(at);
}

TimeSpan Grid::session(std::int64_t day_number) const {
  const std::int64_t bounded = std::clamp<std::int64_t>(day_number, 2 * far_past, 2 * far_future);
  const local_days day = options_.calendar.is_plain()
                             ? first_day_ + days(static_cast<int>(bounded))
                             : options_.calendar.nth_after(first_day_, bounded);
  if (day.time_since_epoch().count() < far_past) return {Instant::min(), Instant::min()};
  if (day.time_since_epoch().count() > far_future) return {Instant::max(), Instant::max()};
  const Hours& open_hours = *options_.hours;
  const bool past_midnight = open_hours.until <= open_hours.from;
  const Instant open = edge_at(day, open_hours.from, {});
  return {open, std::max(open, edge_at(day + days(past_midnight ? 1 : 0), open_hours.until, {}))};
}

TimeSpan Grid::session_bucket(std::int64_t n) const {
  const std::int64_t day = floor_divide(n, each_day_);
  const TimeSpan whole = session(day);
  if (!period_.is_fixed()) return whole;
  const auto cut = [&](std::int64_t k) {
    const Wide at = Wide(nanoseconds_of(whole.start)) + Wide(k) * period_.nanoseconds.count();
    return at < nanoseconds_of(whole.stop) ? instant_of(static_cast<std::int64_t>(at)) : whole.stop;
  };
  const std::int64_t k = n - day * each_day_;
  return {cut(k), k + 1 == each_day_ ? whole.stop : cut(k + 1)};
}

Instant Grid::edge(std::int64_t n) const {
  if (options_.hours) return session_bucket(n).start;
  if (period_.is_fixed()) {
    const Wide at = Wide(nanoseconds_of(anchor_)) + Wide(n) * period_.nanoseconds.count();
    return detail::bounded_instant(at);
  }
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
    if (!options_.calendar.is_plain() && days_on > 2 * far_past && days_on < 2 * far_future) {
      const auto worked =
          options_.calendar.nth_after(first_day_, static_cast<std::int64_t>(days_on));
      day = worked.time_since_epoch().count();
    }
  }
  if (day < far_past) return Instant::min();
  if (day > far_future) return Instant::max();
  return edge_at(local_days(std::chrono::days(static_cast<int>(day))), clock_, fraction_);
}

std::int64_t Grid::index_of(Instant t) const {
  if (period_.is_fixed() && !options_.hours) {
    const Wide since = Wide(nanoseconds_of(t)) - nanoseconds_of(anchor_);
    return static_cast<std::int64_t>(floor_divide<Wide>(since, period_.nanoseconds.count()));
  }
  const sys_seconds whole = floor<seconds>(t);
  const local_seconds local(
      (whole + options_.zone.offset_stretch(whole).offset).time_since_epoch());
  const local_days day = floor<std::chrono::days>(local);
  std::int64_t n = 0;
  if (options_.hours) {
    // Days off and what is before the opening belong to the session before.
    n = options_.calendar.is_plain()
            ? (day - first_day_).count()
            : options_.calendar.working_days(first_day_, day + std::chrono::days(1)) - 1;
    while (session(n).start > t) --n;
    const TimeSpan open = session(n);
    n *= each_day_;
    if (!period_.is_fixed()) return n;
    const Instant within = std::min(t, std::max(open.start, open.stop - Nanoseconds(1)));
    const Wide since = Wide(nanoseconds_of(within)) - nanoseconds_of(open.start);
    return n + static_cast<std::int64_t>(std::min<Wide>(
                   floor_divide<Wide>(since, period_.nanoseconds.count()), each_day_ - 1));
  }
  if (period_.months != 0) {
    n = floor_divide(
        months_since_1970(year_month_day(day)) - months_since_1970(year_month_day(first_day_)),
        period_.months);
  } else {
    // The last working day until then; days off belong to the bucket before them.
    const std::int64_t days_on =
        options_.calendar.is_plain()
            ? (day - first_day_).count()
            : options_.calendar.working_days(first_day_, day + std::chrono::days(1)) - 1;
    n = floor_divide(days_on, period_.days);
  }
  while (edge(n) > t) --n;
  while (edge(n + 1) <= t && edge(n + 1) != Instant::max()) ++n;
  return n;
}

Grid::Buckets Grid::buckets(const TimeSpan& within) const {
  if (within.stop <= within.start) return {*this, 0, 0};
  std::int64_t first = index_of(within.start);
  if (end(first) <= within.start) ++first;
  const std::int64_t last = index_of(within.stop - Nanoseconds(1));
  return {*this, first, std::max(first, last + 1)};
}

std::vector<Overlap> overlaps(const Grid& a, const Grid& b, const TimeSpan& within) {
  std::vector<Overlap> found;
  const auto of_a = a.buckets(within), of_b = b.buckets(within);
  auto at_a = of_a.begin(), at_b = of_b.begin();
  while (at_a != of_a.end() && at_b != of_b.end()) {
    const TimeSpan left = *at_a, right = *at_b;
    const TimeSpan meet{std::max({left.start, right.start, within.start}),
                        std::min({left.stop, right.stop, within.stop})};
    if (meet.start < meet.stop) found.push_back({meet, at_a.number(), at_b.number()});
    if (left.stop <= right.stop) ++at_a;
    if (right.stop <= left.stop) ++at_b;
  }
  return found;
}

}  // namespace zerobeat
