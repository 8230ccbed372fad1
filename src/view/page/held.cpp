#include "view/page/held.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <zerobeat/time/elapsed.hpp>

#include "time/wide_instant.hpp"
#include "view/page/encoded.hpp"
#include "view/page/html.hpp"
#include "view/page/pieces.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_held_pieces = 4096, least_held_pieces = 512;
constexpr std::size_t rows_around = 40;

bool is_reading(const Pair& pair, std::size_t row) {
  return pair.numbers.valid(row) && std::isfinite(pair.numbers.numbers()[row]);
}

class Places {
 public:
  explicit Places(const Pair& pair) : pair_(pair) {}

  /// The rows on both sides of a stretch of time.
  void add(Instant from, Instant to) {
    const auto times = pair_.timeline().times().subspan(pair_.rows_of().begin, pair_.rows);
    const auto after = std::upper_bound(times.begin(), times.end(), from);
    const auto until = std::lower_bound(after, times.end(), to);
    const auto begin = after == times.begin() ? after : after - 1;
    const auto end = until == times.end() ? until : until + 1;
    add_rows(static_cast<std::size_t>(begin - times.begin()),
             static_cast<std::size_t>(std::max(end, begin + 1) - times.begin()));
  }
  void add_rows(std::size_t begin, std::size_t end) { ranges_.push_back({begin, end}); }
  void longest_first(std::size_t from) {
    const auto length = [](const HeldRange& range) { return range.end - range.begin; };
    std::ranges::stable_sort(ranges_.begin() + static_cast<std::ptrdiff_t>(from), ranges_.end(),
                             std::greater(), length);
  }
  [[nodiscard]] std::size_t size() const { return ranges_.size(); }
  std::vector<HeldRange> get() { return std::move(ranges_); }

 private:
  const Pair& pair_;
  std::vector<HeldRange> ranges_;
};

void add_missing_runs(const Pair& pair, Places& places) {
  if (pair.count == pair.rows) return;
  const std::size_t from = places.size(), begin = pair.rows_of().begin;
  for (std::size_t row = 0; row < pair.rows;) {
    if (is_reading(pair, begin + row)) {
      ++row;
      continue;
    }
    const std::size_t start = row;
    while (row < pair.rows && !is_reading(pair, begin + row)) ++row;
    places.add_rows(start, row);
  }
  places.longest_first(from);
}

/// A time as the script counts it.
double script_time(Instant t, const Pair& pair) {
  const auto& elapsed = pair.timeline().axis().elapsed;
  if (elapsed) return elapsed_number(t, *elapsed);
  return static_cast<double>(Wide(nanoseconds_of(t)) - nanoseconds_of(pair.first()));
}

std::string stretches_text(const Pair& pair, std::span<const HeldRange> ranges) {
  std::vector<double> numbers;
  const std::size_t begin = pair.rows_of().begin;
  for (const HeldRange& range : ranges) {
    numbers.push_back(static_cast<double>(range.end - range.begin));
    for (std::size_t row = range.begin; row < range.end; ++row) {
      numbers.push_back(script_time(pair.timeline().times()[begin + row], pair));
    }
    for (std::size_t row = range.begin; row < range.end; ++row) {
      numbers.push_back(is_reading(pair, begin + row) ? pair.numbers.numbers()[begin + row]
                                                      : std::nan(""));
    }
  }
  return attribute("data-stretches", encoded(numbers));
}

std::string pieces_text(const Pair& pair, std::size_t count) {
  std::vector<float> numbers;
  constexpr float none = std::numeric_limits<float>::quiet_NaN();
  for (const Piece& piece :
       pieces_of(pair.timeline(), pair.rows_of(), pair.numbers, pair.first(), pair.last(), count)) {
    const bool any = piece.count > 0;
    numbers.push_back(any ? static_cast<float>(piece.least) : none);
    numbers.push_back(any ? static_cast<float>(piece.most) : none);
    numbers.push_back(any ? static_cast<float>(piece.mean()) : none);
  }
  return attribute("data-pieces", encoded(numbers));
}

}  // namespace

std::vector<HeldRange> close_ups(const Pair& pair, std::span<const PageChange> changes) {
  Places places(pair);
  places.add_rows(pair.least_row, pair.least_row + 1);
  places.add_rows(pair.most_row, pair.most_row + 1);
  for (const PageMark& finding : pair.of->findings) {
    if (finding.strand == pair.strand) places.add(finding.at, finding.at);
  }
  const std::string key = pair.rows_of().key.value_or("");
  for (const PageChange& change : changes) {
    if (change.column == pair.name && change.key == key && change.at >= pair.first() &&
        change.at <= pair.last()) {
      places.add(change.at, change.at);
    }
  }
  std::vector<TimeSpan> gaps = pair.of->missing[pair.strand];
  std::ranges::stable_sort(gaps, std::greater(), [](const TimeSpan& gap) {
    return seconds_between(gap.start, gap.stop);
  });
  for (const TimeSpan& gap : gaps) places.add(gap.start, gap.stop);
  add_missing_runs(pair, places);
  for (const PageMark& mark : pair.of->marks) {
    if (mark.strand == pair.strand) places.add(mark.at, mark.at);
  }
  return places.get();
}

std::vector<HeldRange> held_rows(std::span<const HeldRange> wanted, std::size_t rows,
                                 std::size_t around, std::size_t most, std::size_t& left_out) {
  std::vector<bool> held(rows);
  std::size_t count = 0;
  left_out = 0;
  std::vector<HeldRange> taken;
  for (const HeldRange& range : wanted) {
    const std::size_t begin = range.begin < around ? 0 : range.begin - around;
    const std::size_t end = std::min(rows, range.end + around);
    std::size_t more = 0;
    for (std::size_t row = begin; row < end && count + more <= most; ++row) more += !held[row];
    if (count + more > most) {
      ++left_out;
      continue;
    }
    std::fill(held.begin() + static_cast<std::ptrdiff_t>(begin),
              held.begin() + static_cast<std::ptrdiff_t>(end), true);
    count += more;
    taken.push_back({begin, end});
  }
  std::ranges::sort(taken, {}, &HeldRange::begin);
  std::vector<HeldRange> ranges;
  for (const HeldRange& range : taken) {
    if (ranges.empty() || ranges.back().end < range.begin) {
      ranges.push_back(range);
    } else {
      ranges.back().end = std::max(ranges.back().end, range.end);
    }
  }
  return ranges;
}

Held held_of(const Pair& pair, std::span<const PageChange> changes, std::size_t bytes) {
  Held held;
  constexpr std::size_t row_bytes = 2 * sizeof(double), piece_bytes = 3 * sizeof(float);
  const std::size_t room = bytes / 4 * 3;
  if (pair.rows * row_bytes + sizeof(double) <= room) {
    const HeldRange whole{0, pair.rows};
    held.attributes = stretches_text(pair, {&whole, 1});
    held.all = true;
    return held;
  }
  const std::size_t pieces =
      std::clamp(room / 2 / piece_bytes, least_held_pieces, most_held_pieces);
  const std::size_t left = room > pieces * piece_bytes ? room - pieces * piece_bytes : 0;
  // A stretch costs its number of rows, too.
  const std::size_t rows = left / (row_bytes + 1);
  const auto ranges =
      held_rows(close_ups(pair, changes), pair.rows, rows_around, rows, held.left_out);
  held.attributes = stretches_text(pair, ranges) + pieces_text(pair, pieces);
  return held;
}

}  // namespace zerobeat::detail
