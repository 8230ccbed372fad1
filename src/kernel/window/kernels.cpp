#include "kernel/window/kernels.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include "kernel/bucket/picked_rows.hpp"
#include "kernel/window/both_ways.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// A reading and its place.
struct Placed {
  double value;
  std::int64_t place;
};

template <typename Better>
void extreme_places(std::span<const double> readings, const StretchedWindows& windows,
                    std::int64_t* out, double worst, Better&& better) {
  // Before the middle, equals come from later to earlier ones, after it the other way round.
  const auto begin = [worst](std::size_t) { return Placed{worst, -1}; };
  both_ways<Placed>(
      windows, begin, begin,
      [&](Placed& best, std::size_t i) {
        const bool earlier = static_cast<std::int64_t>(i) < best.place;
        if (best.place < 0 || better(readings[i], best.value) ||
            (earlier && readings[i] == best.value)) {
          best = {readings[i], static_cast<std::int64_t>(i)};
        }
      },
      [](const Placed& best) { return best; },
      [&](std::size_t w, const Placed& back, std::size_t, const Placed& ahead, std::size_t) {
        const bool is_ahead =
            back.place < 0 || (ahead.place >= 0 && better(ahead.value, back.value));
        out[w] = is_ahead ? ahead.place : back.place;
      });
}

/// Calls add(i) and remove(i) as the windows move, and put(w) when window w is what was added.
template <typename Add, typename Remove, typename Put>
void move_along(std::span<const RowRange> windows, Add&& add, Remove&& remove, Put&& put) {
  if (windows.empty()) return;
  std::size_t begin = windows[0].begin, end = begin;
  for (std::size_t w = 0; w < windows.size(); ++w) {
    for (; end < windows[w].end; ++end) add(end);
    for (; begin < windows[w].begin && begin < end; ++begin) remove(begin);
    begin = std::max<std::size_t>(begin, windows[w].begin);
    end = std::max(begin, end);
    if (begin < end) put(w);
  }
}

/// Counts, with the first of the greatest ones at hand.
class MostFrequent {
 public:
  explicit MostFrequent(std::uint32_t codes)
      : first_leaf_(std::bit_ceil(std::max<std::uint32_t>(codes, 1))),
        counts_(2 * first_leaf_, 0) {}

  void add(std::uint32_t code, std::int32_t by) {
    std::uint32_t at = first_leaf_ + code;
    counts_[at] += by;
    for (at /= 2; at > 0; at /= 2) {
      const std::int32_t own = std::max(counts_[2 * at], counts_[2 * at + 1]);
      if (counts_[at] == own) break;
      counts_[at] = own;
    }
  }
  std::uint32_t code() const {
    std::uint32_t at = 1;
    while (at < first_leaf_) at = 2 * at + (counts_[2 * at] == counts_[at] ? 0 : 1);
    return at - first_leaf_;
  }

 private:
  std::uint32_t first_leaf_;
  std::vector<std::int32_t> counts_;
};

/// Counts by code, and how many lie below one (Fenwick 1994).
class CountsBelow {
 public:
  explicit CountsBelow(std::uint32_t codes) : sums_(codes + 1, 0), counts_(codes, 0) {}

  void add(std::uint32_t code, std::int32_t by) {
    counts_[code] += by;
    for (std::uint32_t i = code + 1; i < sums_.size(); i += i & (~i + 1)) sums_[i] += by;
  }
  std::int64_t below(std::uint32_t code) const {
    std::int64_t sum = 0;
    for (std::uint32_t i = code; i > 0; i &= i - 1) sum += sums_[i];
    return sum;
  }
  std::int64_t equal(std::uint32_t code) const { return counts_[code]; }

 private:
  std::vector<std::int32_t> sums_, counts_;
};

}  // namespace

void window_least_place(std::span<const double> readings, const StretchedWindows& windows,
                        std::int64_t* out) {
  extreme_places(readings, windows, out, std::numeric_limits<double>::infinity(),
                 [](double a, double b) { return a < b; });
}

void window_greatest_place(std::span<const double> readings, const StretchedWindows& windows,
                           std::int64_t* out) {
  extreme_places(readings, windows, out, -std::numeric_limits<double>::infinity(),
                 [](double a, double b) { return a > b; });
}

ReadingCodes codes_of(const Column& column, std::span<const std::uint32_t> rows) {
  struct Entry {
    std::uint64_t number;
    std::uint32_t place;
  };
  // Texts have numbers in the order of the alphabet.
  std::vector<std::uint64_t> order;
  if (column.type() == Column::Type::text) {
    const auto& words = column.dictionary();
    std::vector<std::uint32_t> sorted(words.size());
    for (std::uint32_t i = 0; i < sorted.size(); ++i) sorted[i] = i;
    std::ranges::sort(sorted, [&](auto a, auto b) { return words[a] < words[b]; });
    order.resize(words.size());
    for (std::size_t i = 0; i < sorted.size(); ++i) order[sorted[i]] = i;
  }
  std::vector<Entry> entries(rows.size());
  for (std::uint32_t i = 0; i < rows.size(); ++i) {
    const std::uint64_t number = reading_number(column, rows[i]);
    entries[i] = {order.empty() ? number : order[number], i};
  }
  std::ranges::sort(entries, {}, &Entry::number);
  ReadingCodes out;
  out.codes.resize(rows.size());
  for (std::size_t i = 0; i < entries.size(); ++i) {
    out.distinct += i == 0 || entries[i].number != entries[i - 1].number;
    out.codes[entries[i].place] = out.distinct - 1;
  }
  return out;
}

void window_distinct(const ReadingCodes& readings, std::span<const RowRange> windows,
                     std::int64_t* out) {
  std::vector<std::uint32_t> counts(readings.distinct, 0);
  std::int64_t distinct = 0;
  for (std::size_t w = 0; w < windows.size(); ++w) out[w] = 0;
  move_along(
      windows, [&](std::size_t i) { distinct += counts[readings.codes[i]]++ == 0; },
      [&](std::size_t i) { distinct -= --counts[readings.codes[i]] == 0; },
      [&](std::size_t w) { out[w] = distinct; });
}

void window_mode_place(const ReadingCodes& readings, std::span<const RowRange> windows,
                       std::int64_t* out) {
  std::vector<std::int64_t> place_of(readings.distinct, 0);
  for (std::size_t i = readings.codes.size(); i-- > 0;) {
    place_of[readings.codes[i]] = static_cast<std::int64_t>(i);
  }
  MostFrequent counts(readings.distinct);
  move_along(
      windows, [&](std::size_t i) { counts.add(readings.codes[i], 1); },
      [&](std::size_t i) { counts.add(readings.codes[i], -1); },
      [&](std::size_t w) { out[w] = place_of[counts.code()]; });
}

void window_ranks(const ReadingCodes& readings, std::span<const RowRange> windows,
                  std::span<const std::int64_t> own, double* out) {
  CountsBelow counts(readings.distinct);
  move_along(
      windows, [&](std::size_t i) { counts.add(readings.codes[i], 1); },
      [&](std::size_t i) { counts.add(readings.codes[i], -1); },
      [&](std::size_t w) {
        if (own[w] < 0) return;
        const std::uint32_t code = readings.codes[static_cast<std::size_t>(own[w])];
        const auto below = static_cast<double>(counts.below(code));
        const auto equal = static_cast<double>(counts.equal(code));
        out[w] = (below + (equal + 1) / 2) / static_cast<double>(windows[w].end - windows[w].begin);
      });
}

void window_changes(std::span<const double> readings, ChangeCounted counts,
                    std::span<const RowRange> windows, std::int64_t* out) {
  const auto changes = [&](std::size_t i) { return i > 0 && counts(readings[i - 1], readings[i]); };
  std::int64_t count = 0;
  for (std::size_t w = 0; w < windows.size(); ++w) out[w] = 0;
  move_along(
      windows, [&](std::size_t i) { count += changes(i); },
      [&](std::size_t i) { count -= changes(i); }, [&](std::size_t w) { out[w] = count; });
}

}  // namespace zerobeat::detail
