#include <algorithm>
#include <array>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/time/calendar.hpp>

#include "base/floor_divide.hpp"
#include "time/weekday_word.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::floor_divide;
using std::chrono::days;
using std::chrono::local_days;

constexpr std::array<std::string_view, 7> weekday_words{"sun", "mon", "tue", "wed",
                                                        "thu", "fri", "sat"};

std::size_t weekday_of(local_days day) { return std::chrono::weekday(day).c_encoding(); }

}  // namespace

namespace detail {

std::size_t weekday_from(std::string_view word) {
  const auto at = std::ranges::find(weekday_words, word);
  if (at == weekday_words.end()) {
    const std::vector<std::string> candidates(weekday_words.begin(), weekday_words.end());
    fail_usage("\"{}\" is not a weekday{}", word, did_you_mean(word, candidates));
  }
  return static_cast<std::size_t>(at - weekday_words.begin());
}

std::string_view weekday_word(std::size_t day) { return weekday_words[day]; }

}  // namespace detail

void from_text(std::string_view text, Weekend& out) {
  out.days.reset();
  if (text == "none") return;
  for (const auto& word : split_commas(text)) {
    out.days.set(detail::weekday_from(word));
  }
  if (out.days.all()) fail_usage("\"{}\": a weekend of seven days leaves none to work on", text);
}

std::string to_text(const Weekend& weekend) {
  std::string text;
  for (const std::size_t day : {1, 2, 3, 4, 5, 6, 0}) {
    if (!weekend.days[day]) continue;
    if (!text.empty()) text += ',';
    text += weekday_words[day];
  }
  return text.empty() ? "none" : text;
}

Calendar::Calendar(const Weekend& weekend, std::vector<local_days> holidays)
    : weekend_(weekend), holidays_(std::move(holidays)) {
  if (weekend_.days.all()) fail_usage("a weekend of seven days leaves none to work on");
  std::erase_if(holidays_, [&](local_days day) { return weekend_.days[weekday_of(day)]; });
  std::ranges::sort(holidays_);
  holidays_.erase(std::unique(holidays_.begin(), holidays_.end()), holidays_.end());
}

bool Calendar::is_working_day(local_days day) const {
  return !weekend_.days[weekday_of(day)] &&
         !std::binary_search(holidays_.begin(), holidays_.end(), day);
}

/// Working days from some far day until `day`; only differences mean anything.
std::int64_t Calendar::worked_before(local_days day) const {
  const std::int64_t n = day.time_since_epoch().count();
  // 1970-01-01 was a Thursday (4).
  const std::int64_t weeks = floor_divide<std::int64_t>(n, 7);
  std::int64_t worked = weeks * static_cast<std::int64_t>(7 - weekend_.days.count());
  for (std::int64_t d = weeks * 7; d < n; ++d) {
    worked += !weekend_.days[static_cast<std::size_t>((d - weeks * 7 + 4) % 7)];
  }
  return worked - (std::ranges::lower_bound(holidays_, day) - holidays_.begin());
}

std::int64_t Calendar::working_days(local_days from, local_days until) const {
  return worked_before(until) - worked_before(from);
}

local_days Calendar::nth_after(local_days day, std::int64_t n) const {
  // The working day before which there are so many: the first day whose successor has one more.
  const std::int64_t until_day = worked_before(day);
  const std::int64_t own = is_working_day(day) ? 1 : 0;
  const std::int64_t target = n > 0 ? until_day + own + n - 1 : until_day + n;
  // Weeks bring it close; then it is searched for between.
  const auto per_week = static_cast<std::int64_t>(7 - weekend_.days.count());
  const auto holidays = static_cast<std::int64_t>(holidays_.size());
  std::int64_t low = floor_divide(target - until_day, per_week) * 7 - 14;
  std::int64_t high = low + 28 + (holidays / per_week + 1) * 7;
  if (n < 0) low -= (holidays / per_week + 1) * 7;
  while (low < high) {
    const std::int64_t middle = low + (high - low) / 2;
    if (worked_before(day + days(middle) + days(1)) > target) {
      high = middle;
    } else {
      low = middle + 1;
    }
  }
  return day + days(low);
}

Nanoseconds Calendar::idle(Instant from, Instant until, const Zone& zone) const {
  if (is_plain() || until <= from) return Nanoseconds(0);
  const auto first = std::chrono::floor<days>(zone.local_of(from));
  const auto last = std::chrono::floor<days>(zone.local_of(until));
  const auto start_of = [&](local_days day) {
    return zone.first_instant(std::chrono::local_time<Nanoseconds>(day));
  };
  const auto idle_part = [&](local_days day) {
    if (is_working_day(day)) return Nanoseconds(0);
    const Instant begin = std::max(from, start_of(day));
    const Instant end = std::min(until, start_of(day + days(1)));
    return std::max(end - begin, Nanoseconds(0));
  };
  if (first == last) return idle_part(first);
  // Between the first day and the last, working days are stepped over, and what is left is idle.
  Nanoseconds idle = idle_part(first) + idle_part(last);
  const local_days second = first + days(1);
  if (second == last) return idle;
  const std::int64_t whole = (last - second).count();
  if (whole == working_days(second, last)) return idle;
  for (local_days day = second; day < last; day += days(1)) idle += idle_part(day);
  return idle;
}

}  // namespace zerobeat
