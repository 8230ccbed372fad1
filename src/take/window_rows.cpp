#include "take/window_rows.hpp"

#include <algorithm>
#include <limits>
#include <zerobeat/base/error.hpp>

namespace zerobeat::detail {

namespace {

std::int64_t saturating_add(std::int64_t a, std::int64_t b) {
  std::int64_t sum;
  if (!__builtin_add_overflow(a, b, &sum)) return sum;
  return b > 0 ? std::numeric_limits<std::int64_t>::max()
               : std::numeric_limits<std::int64_t>::min();
}

std::vector<RowRange> ranges_of_rows(std::size_t rows, std::int64_t window, Place place,
                                     std::size_t from, std::size_t until) {
  std::int64_t before = 0;
  if (place == Place::trailing) before = window - 1;
  if (place == Place::centred) before = window / 2;
  const std::int64_t after = window - 1 - before;
  std::vector<RowRange> ranges(until - from);
  const auto last = static_cast<std::int64_t>(rows) - 1;
  for (std::size_t i = from; i < until; ++i) {
    const auto row = static_cast<std::int64_t>(i);
    const std::int64_t begin = before > row ? 0 : row - before;
    const std::int64_t end = after > last - row ? last + 1 : row + after + 1;
    ranges[i - from] = {static_cast<std::uint32_t>(begin), static_cast<std::uint32_t>(end)};
  }
  return ranges;
}

}  // namespace

void check_window(const Extent& window, Place place, std::string_view option) {
  if (window.in_rows()) {
    if (window.rows < 1) fail_usage("--{} {}: a window has at least 1 row", option, window.rows);
    return;
  }
  if (window.period.is_zero()) fail_usage("--{}: a window is longer than zero", option);
  if (place == Place::centred && window.period.months % 2 != 0) {
    fail_usage(
        "--{} {}: a centred window is halved, and an odd number of months can't be; give it "
        "in days",
        option, to_text(window));
  }
}

std::vector<RowRange> window_rows(std::span<const Instant> strand, const Extent& window,
                                  Place place, const Zone& zone, std::size_t from,
                                  std::size_t until) {
  if (strand.size() >= std::numeric_limits<std::uint32_t>::max()) {
    fail_usage("a strand of {} rows is too long for a window; split it by key", strand.size());
  }
  if (window.in_rows()) return ranges_of_rows(strand.size(), window.rows, place, from, until);

  // Each window is the rows after `low` and up to `high`, or from `low` on when leading.
  const Period& period = window.period;
  const std::int64_t length = period.nanoseconds.count();
  // Half of a period of the calendar: of an odd day, twelve hours by the clock on the wall.
  Period half;
  half.months = period.months / 2;
  half.days = period.days / 2;
  const auto half_shift = [&](Instant t, int times) {
    const Instant moved = shift(t, half, times, zone);
    const bool at_an_end = moved == Instant::min() || moved == Instant::max();
    if (period.days % 2 == 0 || at_an_end) return moved;
    return zone.first_instant(zone.local_of(moved) + times * std::chrono::hours(12));
  };
  const auto low_of = [&](Instant t) {
    const std::int64_t whole = nanoseconds_of(t);
    if (place == Place::leading) return whole;
    if (period.is_fixed()) {
      const std::int64_t back = place == Place::centred ? length - length / 2 : length;
      return saturating_add(whole, -back);
    }
    if (place == Place::trailing) return nanoseconds_of(shift(t, period, -1, zone));
    return saturating_add(nanoseconds_of(half_shift(t, -1)), -(length - length / 2));
  };
  const auto high_of = [&](Instant t) {
    const std::int64_t whole = nanoseconds_of(t);
    if (place == Place::trailing) return whole;
    if (period.is_fixed()) {
      return saturating_add(whole, place == Place::centred ? length / 2 : length);
    }
    if (place == Place::leading) return nanoseconds_of(shift(t, period, 1, zone));
    return saturating_add(nanoseconds_of(half_shift(t, 1)), length / 2);
  };

  std::vector<RowRange> ranges(until - from);
  std::size_t begin = 0, end = 0;
  for (std::size_t i = from; i < until; ++i) {
    const std::int64_t low = low_of(strand[i]), high = high_of(strand[i]);
    if (i == from) {
      // The first row of a part finds its window by search; the others move on from it.
      const auto first = strand.begin();
      begin = static_cast<std::size_t>(
          (place == Place::leading ? std::lower_bound(first, strand.end(), instant_of(low))
                                   : std::upper_bound(first, strand.end(), instant_of(low))) -
          first);
      end = begin;
    }
    if (place == Place::leading) {
      while (begin < strand.size() && nanoseconds_of(strand[begin]) < low) ++begin;
      while (end < strand.size() && nanoseconds_of(strand[end]) < high) ++end;
    } else {
      while (begin < strand.size() && nanoseconds_of(strand[begin]) <= low) ++begin;
      while (end < strand.size() && nanoseconds_of(strand[end]) <= high) ++end;
    }
    ranges[i - from] = {static_cast<std::uint32_t>(begin),
                        static_cast<std::uint32_t>(std::max(begin, end))};
  }
  return ranges;
}

}  // namespace zerobeat::detail
