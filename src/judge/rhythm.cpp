#include "judge/rhythm.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/table/timeline.hpp>

#include "judge/strand_times.hpp"

namespace zerobeat::inline v1 {

namespace detail {

namespace {

using namespace std::chrono;

constexpr std::size_t fewest = 4;
constexpr double most_fit = 0.95, most_same = 0.6;
constexpr std::int64_t hour_ns = 3'600'000'000'000;

bool most(std::int64_t fit, std::int64_t of, double share) {
  return static_cast<double>(fit) >= share * static_cast<double>(of);
}

/// How the steps of some times are made of a typical one.
struct Multiples {
  std::int64_t steps = 0, fit = 0, same = 0;
  double absent = 0;

  void add(std::int64_t own, double step) {
    if (own <= 0) return;
    const double times = std::max(1.0, std::nearbyint(static_cast<double>(own) / step));
    const bool fits = std::abs(static_cast<double>(own) - times * step) <= step / 100;
    ++steps;
    fit += fits;
    same += fits && times == 1;
    absent += times - 1;
  }
  bool are_regular() const { return most(fit, steps, most_fit) && most(same, steps, most_same); }
};

Rhythm at_fixed_period(std::span<const Instant> times, Nanoseconds typical,
                       std::span<const TimeSpan> gaps, bool even,
                       std::span<const TimeSpan> pauses) {
  const auto step = static_cast<double>(typical.count());
  Multiples all;
  const auto look_at = [&](std::size_t i) {
    all.add(nanoseconds_between(times[i - 1], times[i]), step);
  };
  if (even) {
    for (const TimeSpan& gap : gaps) all.add(nanoseconds_between(gap.start, gap.stop), step);
    const auto others = static_cast<std::int64_t>(times.size() - 1 - gaps.size());
    all.steps += others;
    all.fit += others;
    all.same += others;
  } else {
    // What some of the steps deny need not be asked of all.
    constexpr std::size_t sample = 1024;
    const std::size_t stride = std::max<std::size_t>(1, times.size() / sample);
    for (std::size_t i = 1; i < times.size(); i += stride) look_at(i);
    if (!most(all.fit, all.steps, 0.8)) return {};
    all = {};
    for (std::size_t i = 1; i < times.size(); ++i) look_at(i);
  }
  // The time between sessions has no places.
  for (const TimeSpan& pause : pauses) {
    Multiples multiples;
    multiples.add(nanoseconds_between(pause.start, pause.stop), step);
    all.steps -= multiples.steps;
    all.fit -= multiples.fit;
    all.absent -= multiples.absent;
  }
  if (!all.are_regular()) return {};
  Rhythm out;
  out.period = typical;
  out.absent = std::llround(all.absent);
  out.places = all.steps + 1 + static_cast<std::int64_t>(pauses.size()) + out.absent;
  return out;
}

/// A local time, as its day and clock.
struct DayAndClock {
  local_days day{};
  Nanoseconds clock{};
};

/// The value that most have.
template <typename Value, typename Of>
Value usual(std::span<const DayAndClock> all, Of&& of) {
  std::vector<Value> values;
  for (const DayAndClock& day_and_clock : all) values.push_back(of(day_and_clock));
  std::ranges::sort(values);
  Value best = values[0];
  std::size_t most_often = 0;
  for (std::size_t i = 0; i < values.size();) {
    std::size_t end = i;
    while (end < values.size() && values[end] == values[i]) ++end;
    if (end - i > most_often) {
      most_often = end - i;
      best = values[i];
    }
    i = end;
  }
  return best;
}

std::int64_t residue(std::int64_t n, std::int64_t of) { return ((n % of) + of) % of; }

/// Places of a period without a record, when most records stand at one.
std::optional<std::int64_t> absent_of(std::vector<std::int64_t>& found, std::int64_t records,
                                      std::int64_t places) {
  if (!most(static_cast<std::int64_t>(found.size()), records, most_fit)) return std::nullopt;
  found.erase(std::unique(found.begin(), found.end()), found.end());
  const auto present = static_cast<std::int64_t>(found.size());
  if (present < static_cast<std::int64_t>(fewest) || present * 2 < places) return std::nullopt;
  return places - present;
}

Rhythm by_months(std::span<const DayAndClock> all, std::int64_t months) {
  const auto of_month = [](local_days day) {
    const year_month_day date(day);
    return std::int64_t{int(date.year())} * 12 + unsigned(date.month()) - 1;
  };
  const auto day_of = [](const DayAndClock& day_and_clock) {
    return unsigned(year_month_day(day_and_clock.day).day());
  };
  const unsigned last_day = day_of(*std::ranges::max_element(all, {}, day_of));
  const auto common_day = usual<unsigned>(all, day_of);
  const auto phase = usual<std::int64_t>(all, [&](const DayAndClock& day_and_clock) {
    return residue(of_month(day_and_clock.day), months);
  });
  // Of days that some months lack it is the latest that counts: the 31st, then 28, 30 and so on.
  const unsigned wanted = last_day > 28 ? last_day : common_day;
  std::vector<std::int64_t> found;
  for (const DayAndClock& day_and_clock : all) {
    const year_month_day date(day_and_clock.day);
    const unsigned longest =
        unsigned(year_month_day_last(date.year() / date.month() / std::chrono::last).day());
    if (day_of(day_and_clock) != std::min(wanted, longest)) continue;
    const std::int64_t month = of_month(day_and_clock.day);
    if (residue(month, months) == phase) found.push_back((month - phase) / months);
  }
  if (found.empty()) return {};
  const std::int64_t places = found.back() - found.front() + 1;
  const auto absent = absent_of(found, static_cast<std::int64_t>(all.size()), places);
  if (!absent) return {};
  Rhythm out;
  out.period = Period::of_months(months);
  out.period.in_quarters = months == 3;
  out.places = places;
  out.absent = *absent;
  return out;
}

Rhythm by_days(std::span<const DayAndClock> all, std::int64_t days, const Calendar& calendar) {
  const auto number = [](local_days day) {
    return static_cast<std::int64_t>(day.time_since_epoch().count());
  };
  const auto phase = usual<std::int64_t>(all, [&](const DayAndClock& day_and_clock) {
    return residue(number(day_and_clock.day), days);
  });
  std::vector<local_days> on;
  for (const DayAndClock& day_and_clock : all) {
    if (residue(number(day_and_clock.day), days) == phase) on.push_back(day_and_clock.day);
  }
  Rhythm out;
  out.period = Period::of_days(days);
  out.period.in_weeks = days % 7 == 0;
  std::array<std::int64_t, 7> had{}, there{};
  const auto weekday_of = [](local_days day) { return weekday(day).c_encoding(); };
  for (local_days day = on.front(); days == 1 && day <= on.back(); day += std::chrono::days(1)) {
    ++there[weekday_of(day)];
  }
  for (std::size_t i = 0; days == 1 && i < on.size(); ++i) {
    if (i == 0 || on[i] != on[i - 1]) ++had[weekday_of(on[i])];
  }
  const auto counts = [&](local_days day) {
    if (days != 1) return true;
    if (out.working_days) return calendar.is_working_day(day);
    return !out.weekdays || out.weekdays->days[weekday_of(day)];
  };
  if (days == 1 && !calendar.is_plain()) {
    out.working_days = true;
  } else if (days == 1 && on.back() - on.front() >= std::chrono::days(13)) {
    Weekdays some;
    for (std::size_t w = 0; w < 7; ++w) some.days[w] = had[w] * 5 >= there[w];
    if (some.days.any() && !some.days.all()) out.weekdays = some;
  }
  std::int64_t places = 0;
  for (local_days day = on.front(); day <= on.back(); day += std::chrono::days(days)) {
    places += counts(day);
  }
  std::vector<std::int64_t> found;
  for (const local_days day : on) {
    if (counts(day)) found.push_back(number(day));
  }
  const auto absent = absent_of(found, static_cast<std::int64_t>(all.size()), places);
  if (!absent) return {};
  out.places = places;
  out.absent = *absent;
  return out;
}

Rhythm by_calendar(std::span<const Instant> times, Nanoseconds typical, const Zone& zone,
                   const Calendar& calendar) {
  if (typical.count() < 20 * hour_ns) return {};
  std::vector<DayAndClock> all;
  for (const Instant t : times) {
    const auto local = zone.local_of(t);
    const local_days day = floor<days>(local);
    all.push_back({day, local - day});
  }
  const auto clock =
      usual<Nanoseconds>(all, [](const DayAndClock& day_and_clock) { return day_and_clock.clock; });
  const auto records = static_cast<std::int64_t>(all.size());
  std::erase_if(all,
                [&](const DayAndClock& day_and_clock) { return day_and_clock.clock != clock; });
  if (all.size() < fewest || !most(static_cast<std::int64_t>(all.size()), records, most_fit)) {
    return {};
  }
  const double in_days =
      static_cast<double>(typical.count()) / (24.0 * static_cast<double>(hour_ns));
  const std::int64_t months = std::llround(in_days / 30.436875);
  if (months >= 1 && in_days >= 28) {
    if (const Rhythm rhythm = by_months(all, months); rhythm.is_regular()) return rhythm;
  }
  return by_days(all, std::max<std::int64_t>(1, std::llround(in_days)), calendar);
}

}  // namespace

Rhythm rhythm_of(std::span<const Instant> times, Nanoseconds typical,
                 std::span<const TimeSpan> gaps, bool even, const Zone* zone,
                 const Calendar& calendar) {
  Rhythm out;
  std::vector<TimeSpan> pauses;
  std::optional<Sessions> sessions;
  if (!times.empty() && zone != nullptr) {
    sessions = sessions_of(times.front(), times.back(), gaps, *zone, pauses);
  }
  if (times.size() >= fewest && typical.count() > 0) {
    if (zone != nullptr) out = by_calendar(times, typical, *zone, calendar);
    if (!out.is_regular()) out = at_fixed_period(times, typical, gaps, even, pauses);
  }
  out.sessions = sessions;
  return out;
}

}  // namespace detail

Rhythm rhythm_of(std::span<const Instant> times, const Zone& zone, double gap_factor,
                 const Calendar& calendar) {
  const auto typical = typical_step(times);
  if (!typical) return {};
  std::vector<TimeSpan> gaps;
  const double longest = gap_factor * static_cast<double>(typical->count());
  for (std::size_t i = 1; i < times.size(); ++i) {
    const auto own = static_cast<double>(detail::nanoseconds_between(times[i - 1], times[i]));
    if (own > longest) gaps.push_back({times[i - 1], times[i]});
  }
  return detail::rhythm_of(times, *typical, gaps, false, &zone, calendar);
}

namespace {

/// "monthly", and what its places are called.
std::pair<std::string, std::string> words_of(const Period& period) {
  const auto every = [](std::int64_t n, const char* unit, const char* once) {
    return n == 1 ? std::string(once) : fmt::format("every {} {}s", n, unit);
  };
  if (period.months > 0) {
    if (period.months % 12 == 0) return {every(period.months / 12, "year", "yearly"), "years"};
    if (period.months == 6) return {"every half-year", "half-years"};
    if (period.months == 3) return {"every quarter", "quarters"};
    return {every(period.months, "month", "monthly"), "months"};
  }
  if (period.days > 0) {
    if (period.days % 7 == 0) return {every(period.days / 7, "week", "weekly"), "weeks"};
    return {every(period.days, "day", "daily"), "days"};
  }
  std::string text = to_text(period);
  const std::size_t unit = text.find_first_not_of("0123456789");
  // "15 min", but "1h30min".
  if (text.find_first_of("0123456789", unit) == std::string::npos) text.insert(unit, " ");
  return {"every " + text, ""};
}

}  // namespace

std::string to_text(const Rhythm& rhythm) {
  std::string text = "irregular";
  std::string places;
  if (rhythm.is_regular()) std::tie(text, places) = words_of(rhythm.period);
  if (rhythm.weekdays) text += " on " + to_text(*rhythm.weekdays);
  if (rhythm.working_days) text += " on working days";
  if (rhythm.sessions) {
    text += (rhythm.is_regular() ? " in sessions " : ", in sessions ") + to_text(*rhythm.sessions);
  }
  if (rhythm.absent > 0) {
    // Several at once have no name.
    const bool named = rhythm.period.months == 1 || rhythm.period.months == 12 ||
                       rhythm.period.months == 3 || rhythm.period.months == 6 ||
                       rhythm.period.days == 1 || rhythm.period.days == 7;
    text += fmt::format(", {} of {}{} missing", grouped(rhythm.absent), grouped(rhythm.places),
                        named ? " " + places : "");
  }
  return text;
}

}  // namespace zerobeat
