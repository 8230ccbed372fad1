#include "kernel/window/rows.hpp"

#include <algorithm>
#include <limits>
#include <zerobeat/base/error.hpp>

#include "time/forward_shift.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

std::int64_t saturating_add(std::int64_t a, std::int64_t b) {
  std::int64_t sum;
  if (!__builtin_add_overflow(a, b, &sum)) return sum;
  return b > 0 ? std::numeric_limits<std::int64_t>::max()
               : std::numeric_limits<std::int64_t>::min();
}

Buffer<RowRange> ranges_of_rows(std::size_t rows, std::int64_t window, Place place,
                                std::size_t from, std::size_t until) {
  const auto size = static_cast<std::int64_t>(rows);
  std::int64_t before = 0;
  if (place == Place::trailing) before = window - 1;
  if (place == Place::centred) before = window / 2;
  const std::int64_t after = std::min(size, window - before);
  before = std::min(size, before);
  Buffer<RowRange> ranges(until - from);
  const auto first = static_cast<std::int64_t>(from), last = static_cast<std::int64_t>(until);
  const auto range_at = [&](std::int64_t row) {
    return RowRange{static_cast<std::uint32_t>(std::max<std::int64_t>(0, row - before)),
                    static_cast<std::uint32_t>(std::min(size, row + after))};
  };
  // Those that no end of the strand cuts go by one.
  const std::int64_t whole_from = std::clamp(before, first, last);
  const std::int64_t whole_until = std::clamp(size - after + 1, whole_from, last);
  RowRange* const to = ranges.data();
  for (std::int64_t row = first; row < whole_from; ++row) to[row - first] = range_at(row);
  const auto low = static_cast<std::uint32_t>(whole_from - before);
  const auto high = static_cast<std::uint32_t>(whole_from + after);
  const auto whole = static_cast<std::uint32_t>(whole_until - whole_from);
  RowRange* const middle = to + (whole_from - first);
  for (std::uint32_t i = 0; i < whole; ++i) middle[i] = {low + i, high + i};
  for (std::int64_t row = whole_until; row < last; ++row) to[row - first] = range_at(row);
  return ranges;
}

}  // namespace

void check_window(const Extent& window, Place place, std::string_view option) {
  if (window.in_rows()) {
    if (window.rows < 1) fail_usage("‹{}› {}: a window has at least 1 row", option, window.rows);
    return;
  }
  if (window.period.is_zero()) fail_usage("‹{}›: a window is longer than zero", option);
  if (place == Place::centred && window.period.months % 2 != 0) {
    fail_usage(
        "‹{}› {}: a centred window is halved, and an odd number of months can't be; give it "
        "in days",
        option, to_text(window));
  }
}

WindowEdges::WindowEdges(const Period& period, Place place, const Zone& zone)
    : period_(period), place_(place), zone_(zone) {
  // Half of a period of the calendar: of an odd day, twelve hours by the clock on the wall.
  half_.months = period.months / 2;
  half_.days = period.days / 2;
}

Instant WindowEdges::half_shift(Instant t, int times) const {
  const Instant moved = shift_forward(t, half_, times, zone_);
  const bool at_an_end = moved == Instant::min() || moved == Instant::max();
  if (period_.days % 2 == 0 || at_an_end) return moved;
  return zone_.first_instant(zone_.local_of(moved) + times * std::chrono::hours(12));
}

Instant WindowEdges::low(Instant t) const {
  const std::int64_t length = period_.nanoseconds.count();
  if (place_ == Place::leading) return t;
  if (period_.is_fixed()) {
    const std::int64_t back = place_ == Place::centred ? length - length / 2 : length;
    return instant_of(saturating_add(nanoseconds_of(t), -back));
  }
  if (place_ == Place::trailing) return shift_forward(t, period_, -1, zone_);
  return instant_of(saturating_add(nanoseconds_of(half_shift(t, -1)), -(length - length / 2)));
}

Instant WindowEdges::high(Instant t) const {
  const std::int64_t length = period_.nanoseconds.count();
  if (place_ == Place::trailing) return t;
  if (period_.is_fixed()) {
    return instant_of(
        saturating_add(nanoseconds_of(t), place_ == Place::centred ? length / 2 : length));
  }
  if (place_ == Place::leading) return shift_forward(t, period_, 1, zone_);
  return instant_of(saturating_add(nanoseconds_of(half_shift(t, 1)), length / 2));
}

bool WindowEdges::begins_before_all(Instant t) const {
  if (!period_.is_fixed()) return low(t) == Instant::min();
  const std::int64_t length = period_.nanoseconds.count();
  const std::int64_t back = place_ == Place::leading   ? 0
                            : place_ == Place::centred ? length - length / 2
                                                       : length;
  return Wide(nanoseconds_of(t)) - back < nanoseconds_of(Instant::min());
}

bool WindowEdges::ends_after_all(Instant t) const {
  if (!period_.is_fixed()) return high(t) == Instant::max();
  const std::int64_t length = period_.nanoseconds.count();
  const std::int64_t ahead = place_ == Place::trailing  ? 0
                             : place_ == Place::centred ? length / 2
                                                        : length;
  return Wide(nanoseconds_of(t)) + ahead > nanoseconds_of(Instant::max());
}

namespace {

/// The rows that are within, beginning with a guess. Times ascend; edges nearly always do.
std::size_t moved_on(std::span<const Instant> strand, std::size_t at, Instant edge,
                     bool with_edge) {
  const auto before = [&](std::size_t row) {
    return with_edge ? strand[row] <= edge : strand[row] < edge;
  };
  while (at < strand.size() && before(at)) ++at;
  while (at > 0 && !before(at - 1)) --at;
  return at;
}

/// What comes after a length before each row's time, up to that time.
Buffer<RowRange> ranges_up_to(std::span<const Instant> strand, std::int64_t length,
                              std::size_t from, std::size_t until) {
  Buffer<RowRange> ranges(until - from);
  const Instant* const t = strand.data();
  const std::size_t size = strand.size();
  const auto low_of = [&](std::size_t i) {
    return instant_of(saturating_add(nanoseconds_of(t[i]), -length));
  };
  auto begin =
      static_cast<std::size_t>(std::ranges::upper_bound(strand, low_of(from)) - strand.begin());
  std::size_t end = from;
  for (std::size_t i = from; i < until; ++i) {
    // Nearly always by one or two; a row's own time is past its low edge.
    const Instant low = low_of(i);
    begin += t[begin] <= low;
    begin += t[begin] <= low;
    while (t[begin] <= low) ++begin;
    end = std::max(end, i + 1);
    while (end < size && t[end] == t[i]) ++end;
    ranges[i - from] = {static_cast<std::uint32_t>(begin), static_cast<std::uint32_t>(end)};
  }
  return ranges;
}

Buffer<RowRange> ranges_between(std::span<const Instant> strand, const WindowEdges& edges,
                                std::size_t from, std::size_t until) {
  Buffer<RowRange> ranges(until - from);
  if (from == until) return ranges;
  const bool holds_low = edges.holds_low();
  // An edge that lies beyond all instants leaves none of them out.
  const bool near_first = edges.low(strand.front()) == Instant::min();
  const bool near_last = edges.high(strand.back()) == Instant::max();
  // The first row of a part finds its window by search; the others move on from it.
  const Instant first_low = edges.low(strand[from]);
  const auto found = holds_low ? std::ranges::lower_bound(strand, first_low)
                               : std::ranges::upper_bound(strand, first_low);
  auto begin = static_cast<std::size_t>(found - strand.begin()), end = begin;
  for (std::size_t i = from; i < until; ++i) {
    const Instant t = strand[i];
    const bool passes_low = !holds_low && !(near_first && edges.begins_before_all(t));
    const bool passes_high = !holds_low || (near_last && edges.ends_after_all(t));
    begin = moved_on(strand, begin, edges.low(t), passes_low);
    end = std::max(begin, moved_on(strand, end, edges.high(t), passes_high));
    ranges[i - from] = {static_cast<std::uint32_t>(begin), static_cast<std::uint32_t>(end)};
  }
  return ranges;
}

}  // namespace

Buffer<RowRange> window_rows(std::span<const Instant> strand, const Extent& window, Place place,
                             const Zone& zone, std::size_t from, std::size_t until) {
  if (strand.size() >= std::numeric_limits<std::uint32_t>::max()) {
    fail_usage("a strand of {} rows is too long for a window; split it by key", strand.size());
  }
  if (window.in_rows()) return ranges_of_rows(strand.size(), window.rows, place, from, until);
  const WindowEdges edges(window.period, place, zone);
  if (window.period.is_fixed() && place == Place::trailing && until > from &&
      !edges.begins_before_all(strand.front())) {
    return ranges_up_to(strand, window.period.nanoseconds.count(), from, until);
  }
  return ranges_between(strand, edges, from, until);
}

}  // namespace zerobeat::detail
