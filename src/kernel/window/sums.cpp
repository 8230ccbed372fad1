#include "kernel/window/sums.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/wide.hpp"
#include "kernel/window/even_windows.hpp"

namespace zerobeat::inline v1::detail {

namespace {

double value_of(const BlockedSum& sum) { return sum.value(); }

/// Whether all readings of a window are equal, asked of windows that move ahead.
class EqualRun {
 public:
  bool holds(const double* x, const RowRange& window) {
    while (from_ < until_ && until_ < window.end && x[until_] == x[from_]) ++until_;
    if (until_ < window.end) {
      from_ = window.end - 1;
      until_ = window.end;
      while (from_ > window.begin && x[from_ - 1] == x[from_]) --from_;
    }
    return from_ <= window.begin;
  }

 private:
  std::size_t from_ = 0, until_ = 0;  // equal readings, as far as they were asked for
};

/// The windows of a stretch whose ends move on by one.
EvenWindows even_of(const StretchedWindows& windows, const WindowStretch& stretch) {
  return {stretch.middle, windows.count(stretch.first), stretch.last - stretch.first};
}

/// `even(x, windows, room, out)` is for stretches whose windows move on by one.
template <typename Value, typename Better, typename Even>
void extremes_of(std::span<const Value> readings, const StretchedWindows& windows, Value* out,
                 Value worst, Better better, Even&& even) {
  const Value* const x = readings.data();
  const auto begin = [worst](std::size_t) { return worst; };
  Buffer<Value> back;
  EvenRoom<Value> room;
  for (const WindowStretch& stretch : windows.stretches) {
    if (stretch.even) {
      even(x, even_of(windows, stretch), room, out + stretch.first);
      continue;
    }
    both_ways_of<Value>(
        windows, stretch, back, begin, begin,
        [x, better](Value& best, std::size_t i) { best = better(x[i], best); },
        [](Value best) { return best; },
        [&](std::size_t w, Value behind, std::size_t, Value ahead, std::size_t) {
          out[w] = better(ahead, behind);
        });
  }
}

/// Calls put(w, sum, readings) for each window that has some, or, of stretches whose windows move
/// on by one, even(stretch) once.
template <typename Even, typename Put>
void sums_of(std::span<const double> readings, const StretchedWindows& windows, Even&& even,
             Put&& put) {
  const double* const x = readings.data();
  const auto begin = [](std::size_t) { return BlockedSum(); };
  Buffer<double> back;
  for (const WindowStretch& stretch : windows.stretches) {
    if (stretch.even) {
      even(stretch);
      continue;
    }
    both_ways_of<double>(
        windows, stretch, back, begin, begin,
        [x](BlockedSum& sum, std::size_t i) { sum.add(x[i]); }, value_of,
        [&](std::size_t w, double behind, std::size_t n_back, const BlockedSum& ahead,
            std::size_t n_ahead) {
          if (n_back + n_ahead > 0) put(w, behind + ahead.value(), n_back + n_ahead);
        });
  }
}

}  // namespace

void window_sums(std::span<const double> readings, const StretchedWindows& windows, double* out) {
  Buffer<double> room;
  sums_of(
      readings, windows,
      [&](const WindowStretch& stretch) {
        even_sums(readings.data(), even_of(windows, stretch), 1, room, out + stretch.first);
      },
      [&](std::size_t w, double sum, std::size_t) { out[w] = sum; });
}

namespace {

/// Calls equal(w) for each window of [first, last) that ends with the reading that it begins with;
/// both move on by one from each to the next.
template <typename Equal>
void find_equal_ends(const double* x, std::span<const RowRange> windows, std::size_t first,
                     std::size_t last, Equal&& equal) {
  if (first == last) return;
  const double* const begins = x + windows[first].begin;
  const double* const ends = x + windows[first].end - 1;
  // Most windows have different ones.
  constexpr std::size_t block = 16;
  for (std::size_t k = 0; k < last - first; k += block) {
    const std::size_t until = std::min(last - first, k + block);
    bool any = false;
    for (std::size_t i = k; i < until; ++i) any |= begins[i] == ends[i];
    for (std::size_t i = k; any && i < until; ++i) {
      if (begins[i] == ends[i]) equal(first + i);
    }
  }
}

/// Whether a window is the next of those from `first` on, both of whose ends move on by one.
bool goes_on(std::span<const RowRange> windows, std::size_t first, std::size_t next) {
  const auto moved = static_cast<std::uint32_t>(next - first);
  return windows[next].begin == windows[first].begin + moved &&
         windows[next].end == windows[first].end + moved;
}

}  // namespace

void window_means(std::span<const double> readings, const StretchedWindows& windows, double* out) {
  const double* const x = readings.data();
  Buffer<double> room;
  EqualRun equal;
  const auto put_equal = [&](std::size_t w) {
    const RowRange& range = windows.windows[w];
    if (equal.holds(x, range)) out[w] = x[range.begin];
  };
  std::size_t first = 0, last = 0;  // even windows whose ends were not looked at yet
  const auto look_at_ends = [&] {
    find_equal_ends(x, windows.windows, first, last, put_equal);
    first = last;
  };
  sums_of(
      readings, windows,
      [&](const WindowStretch& stretch) {
        const EvenWindows even = even_of(windows, stretch);
        even_sums(x, even, static_cast<double>(even.before), room, out + stretch.first);
        // While their readings are near.
        constexpr std::size_t many = 256;
        if (last - first >= many || last != stretch.first ||
            (first != last && !goes_on(windows.windows, first, stretch.first))) {
          look_at_ends();
          first = stretch.first;
        }
        last = stretch.last;
      },
      [&](std::size_t w, double sum, std::size_t n) {
        look_at_ends();
        out[w] = sum / static_cast<double>(n);
        const RowRange& range = windows.windows[w];
        if (x[range.begin] == x[range.end - 1]) put_equal(w);
      });
  look_at_ends();
}

bool window_sums(std::span<const std::int64_t> readings, std::span<const RowRange> windows,
                 std::int64_t* out) {
  // Whole numbers leave no trace when they are taken back out.
  if (windows.empty()) return true;
  Wide sum = 0;
  std::size_t begin = windows[0].begin, end = begin;
  bool fits = true;
  for (std::size_t w = 0; w < windows.size(); ++w) {
    for (; end < windows[w].end; ++end) sum += readings[end];
    for (; begin < windows[w].begin && begin < end; ++begin) sum -= readings[begin];
    begin = std::max<std::size_t>(begin, windows[w].begin);
    end = std::max(begin, end);
    out[w] = static_cast<std::int64_t>(sum);
    fits &= out[w] == sum;
  }
  return fits;
}

void window_moments(std::span<const double> readings, const StretchedWindows& windows,
                    double* means, double* squares) {
  struct Sums {
    double x = 0, xx = 0;
  };
  // In blocks, as BlockedSum has them: each is added to the whole when it has sixteen.
  struct Shifted {
    double pivot;
    Sums few{}, whole{};
    std::uint32_t count = 0;

    void add(double off) {
      few.x += off;
      few.xx += off * off;
      if ((++count & 15) == 0) {
        whole.x += few.x;
        whole.xx += few.xx;
        few = {};
      }
    }
    Sums sums() const { return {whole.x + few.x, whole.xx + few.xx}; }
  };
  const double* const x = readings.data();
  const std::size_t size = readings.size();
  double pivot = 0;
  Buffer<Sums> back_sums;
  Buffer<double> even_back, even_squares;
  for (const WindowStretch& stretch : windows.stretches) {
    if (stretch.even && squares != nullptr) {
      even_moments(x, size, even_of(windows, stretch), even_back, even_squares,
                   means == nullptr ? nullptr : means + stretch.first, squares + stretch.first);
      continue;
    }
    both_ways_of<Sums>(
        windows, stretch, back_sums,
        [&](std::size_t i) {
          pivot = i < size ? x[i] : 0;
          return Shifted{pivot};
        },
        [&](std::size_t i) { return Shifted{i < size ? x[i] : 0}; },
        [x](Shifted& shifted, std::size_t i) { shifted.add(x[i] - shifted.pivot); },
        [](const Shifted& shifted) { return shifted.sums(); },
        [&](std::size_t w, const Sums& back, std::size_t n_back, const Shifted& ahead,
            std::size_t n_ahead) {
          const auto a = static_cast<double>(n_ahead);
          const double n = static_cast<double>(n_back) + a;
          double middle = ahead.pivot;
          Sums all = ahead.sums();
          if (n_back > 0) {
            // Those ahead as differences from the pivot of those back.
            const double apart = n_ahead > 0 ? ahead.pivot - pivot : 0;
            middle = pivot;
            all = {back.x + (all.x + a * apart),
                   back.xx + (all.xx + apart * (2 * all.x + a * apart))};
          }
          const double off = all.x / n;
          if (means != nullptr) means[w] = middle + off;
          if (squares != nullptr) {
            const double left = all.xx - all.x * off;
            squares[w] = left < 0 ? 0 : left;
          }
        });
  }
}

void window_least(std::span<const double> readings, const StretchedWindows& windows, double* out) {
  extremes_of(readings, windows, out, std::numeric_limits<double>::infinity(), LeastOf(),
              [](auto&&... in) { even_least(in...); });
}
void window_greatest(std::span<const double> readings, const StretchedWindows& windows,
                     double* out) {
  extremes_of(readings, windows, out, -std::numeric_limits<double>::infinity(), GreatestOf(),
              [](auto&&... in) { even_greatest(in...); });
}
void window_least(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                  std::int64_t* out) {
  extremes_of(readings, windows, out, std::numeric_limits<std::int64_t>::max(), LeastOf(),
              [](auto&&... in) { even_least(in...); });
}
void window_greatest(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                     std::int64_t* out) {
  extremes_of(readings, windows, out, std::numeric_limits<std::int64_t>::min(), GreatestOf(),
              [](auto&&... in) { even_greatest(in...); });
}

}  // namespace zerobeat::detail
