#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <numeric>

#include "judge/rhythm.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::int64_t day_minutes = 1440;

/// Minutes of local time since 1970, rounded down.
std::int64_t minute_of(Instant t, const Zone& zone) {
  return std::chrono::floor<std::chrono::minutes>(zone.local_of(t)).time_since_epoch().count();
}

/// A stretch of records without a gap, in minutes of local time, both ends in it.
struct Run {
  std::int64_t from = 0, to = 0;
};

/// Minutes of the day: `length` of them from `from` on, past midnight too.
struct Arc {
  std::int64_t from = 0, length = 0;
};

std::vector<Run> runs_between(Instant first, Instant last, std::span<const TimeSpan> gaps,
                              const Zone& zone) {
  std::vector<Run> runs;
  Instant from = first;
  for (const TimeSpan& gap : gaps) {
    runs.push_back({minute_of(from, zone), minute_of(gap.start, zone)});
    from = gap.stop;
  }
  runs.push_back({minute_of(from, zone), minute_of(last, zone)});
  return runs;
}

/// The longest stretch of the day that at most so many runs meet.
Arc longest_pause(std::span<const Run> runs, std::int64_t tolerated) {
  std::array<std::int64_t, day_minutes + 1> changes{};
  for (const Run& run : runs) {
    const std::int64_t from = ((run.from % day_minutes) + day_minutes) % day_minutes;
    const std::int64_t until = from + std::max<std::int64_t>(0, run.to - run.from) + 1;
    ++changes[static_cast<std::size_t>(from)];
    --changes[static_cast<std::size_t>(std::min(until, day_minutes))];
    if (until <= day_minutes) continue;
    ++changes[0];
    --changes[static_cast<std::size_t>(until - day_minutes)];
  }
  std::array<std::int64_t, day_minutes> met{};
  std::partial_sum(changes.begin(), changes.end() - 1, met.begin());
  Arc best, own;
  for (std::int64_t m = 0; m < 2 * day_minutes; ++m) {
    if (met[static_cast<std::size_t>(m % day_minutes)] > tolerated) {
      own = {};
      continue;
    }
    if (own.length++ == 0) own.from = m;
    if (own.length > best.length) best = own;
  }
  return {best.from % day_minutes, std::min(best.length, day_minutes)};
}

std::int64_t floor_div(std::int64_t a, std::int64_t b) { return a / b - (a % b < 0 ? 1 : 0); }

/// The days on which a session begins, and the weekdays that have one more often than not.
struct SessionDays {
  std::int64_t count = 0;
  std::array<bool, 7> usual{};
};

/// A session begins where the pause ends: at this minute of the day.
std::int64_t session_day(std::int64_t minute, std::int64_t begins) {
  return floor_div(minute - begins, day_minutes);
}

SessionDays session_days(std::span<const Run> runs, std::int64_t begins) {
  const std::int64_t first = session_day(runs.front().from, begins);
  const std::int64_t last = session_day(runs.back().to, begins);
  std::array<std::int64_t, 7> had{}, all{};
  // 1970-01-01 was a Thursday; what the weekday is called does not matter here.
  const auto weekday_of = [](std::int64_t day) {
    return static_cast<std::size_t>(((day % 7) + 7) % 7);
  };
  for (std::int64_t day = first; day <= last; ++day) ++all[weekday_of(day)];
  SessionDays out;
  std::int64_t counted = first - 1;
  for (const Run& run : runs) {
    const std::int64_t until = session_day(run.to, begins);
    for (std::int64_t day = std::max(counted + 1, session_day(run.from, begins)); day <= until;
         ++day) {
      ++had[weekday_of(day)];
      ++out.count;
      counted = day;
    }
  }
  for (std::size_t w = 0; w < 7; ++w) out.usual[w] = had[w] * 2 >= all[w] && had[w] > 0;
  return out;
}

}  // namespace

std::optional<Sessions> sessions_of(Instant first, Instant last, std::span<const TimeSpan> gaps,
                                    const Zone& zone, std::vector<TimeSpan>& pauses) {
  if (gaps.size() < 2) return std::nullopt;
  const auto runs = runs_between(first, last, gaps, zone);
  // What goes on for a day has no hours to itself.
  if (std::ranges::any_of(runs, [](const Run& r) { return r.to - r.from >= day_minutes; })) {
    return std::nullopt;
  }
  const std::int64_t days = (runs.back().to - runs.front().from) / day_minutes + 1;
  const Arc pause = longest_pause(runs, days / 50);
  if (pause.length < 60 || pause.length >= day_minutes) return std::nullopt;
  const std::int64_t begins = (pause.from + pause.length) % day_minutes;
  const SessionDays had = session_days(runs, begins);

  std::vector<TimeSpan> found;
  for (const TimeSpan& gap : gaps) {
    const std::int64_t from = minute_of(gap.start, zone), to = minute_of(gap.stop, zone);
    // The first pause that begins after the record before, and the session after it.
    const std::int64_t nth = floor_div(from - pause.from, day_minutes) + 1;
    std::int64_t next = nth * day_minutes + pause.from + pause.length;
    if (next > to) continue;
    bool whole = true;
    for (; next + day_minutes <= to && whole; next += day_minutes) {
      const std::int64_t day = session_day(next, begins);
      whole = !had.usual[static_cast<std::size_t>(((day % 7) + 7) % 7)];
    }
    if (whole) found.push_back(gap);
  }
  const auto count = static_cast<std::int64_t>(found.size());
  const bool enough = count >= 3 || (count == 2 && pause.length >= 240);
  if (!enough || count * 2 < had.count - 1) return std::nullopt;
  pauses = std::move(found);
  return Sessions{std::chrono::minutes(begins), std::chrono::minutes(pause.from), count};
}

}  // namespace zerobeat::detail

namespace zerobeat::inline v1 {

std::string to_text(const Sessions& sessions) {
  const auto clock = [](std::chrono::minutes m) {
    return fmt::format("{:02}:{:02}", m.count() / 60, m.count() % 60);
  };
  return clock(sessions.from) + "-" + clock(sessions.until);
}

}  // namespace zerobeat
