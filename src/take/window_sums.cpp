#include "take/window_sums.hpp"

#include <algorithm>
#include <cmath>
#include <zerobeat/base/buffer.hpp>

#include "base/wide.hpp"

namespace zerobeat::detail {

namespace {

/// The rounding error of a + b, which came to `sum`.
inline double error_of(double a, double b, double sum) {
  const double part = sum - a;
  return (a - (sum - part)) + (b - part);
}

/// A sum in blocks: few readings are added plainly, and their sum with what its rounding loses, so
/// that its error does not grow with their number (Higham 1993).
class BlockedSum {
 public:
  void add(double x) {
    few_ += x;
    if ((++count_ & 15) == 0) close_block();
  }
  double value() const { return whole_ + few_; }

 private:
  void close_block() {
    const double total = sum_ + few_;
    // What is infinite has no rounding error.
    if (std::fabs(total) <= std::numeric_limits<double>::max()) {
      rest_ += error_of(sum_, few_, total);
    }
    sum_ = total;
    whole_ = sum_ + rest_;
    few_ = 0;
  }

  double few_ = 0, whole_ = 0;
  std::uint32_t count_ = 0;
  double sum_ = 0, rest_ = 0;
};

/// Puts each window's state together. `begin(middle)` makes the state of nothing, beside the
/// reading before the middle; `add(state, i)` adds reading i; `kept(state)` is what is kept of it;
/// `put(w, back, ahead)` takes what was kept of the readings before the middle, and the state of
/// those after it.
template <typename Kept, typename Begin, typename Add, typename Keep, typename Put>
void both_ways(std::span<const RowRange> windows, Begin&& begin, Add&& add, Keep&& kept,
               Put&& put) {
  Buffer<Kept> back;  // back[i]: of the i readings before the middle
  over_stretches(windows, [&](std::size_t first, std::size_t last, std::uint32_t middle) {
    const std::size_t before = middle - windows[first].begin;
    back.resize(before + 1);
    Kept* const to = back.data();
    auto own = begin(middle);
    to[0] = kept(own);
    for (std::size_t i = 1; i <= before; ++i) {
      add(own, middle - i);
      to[i] = kept(own);
    }
    auto ahead = begin(middle);
    std::size_t at = middle;
    for (std::size_t w = first; w < last; ++w) {
      for (const std::size_t end = windows[w].end; at < end; ++at) add(ahead, at);
      put(w, to[middle - windows[w].begin], ahead);
    }
  });
}

double count_of(const RowRange& window) { return window.end - window.begin; }

/// Differences from a pivot, added up. `pivot(middle)` is what a stretch's readings are less.
template <typename Pivot, typename Put>
void sums_of(std::span<const double> readings, std::span<const RowRange> windows, Pivot&& pivot_at,
             Put&& put) {
  const double* const x = readings.data();
  double pivot = 0;
  both_ways<double>(
      windows,
      [&](std::size_t middle) {
        pivot = pivot_at(middle);
        return BlockedSum();
      },
      [&](BlockedSum& own, std::size_t i) { own.add(x[i] - pivot); },
      [](const BlockedSum& own) { return own.value(); },
      [&](std::size_t w, double back, const BlockedSum& ahead) {
        put(w, pivot, back + ahead.value());
      });
}

template <typename Value, typename Better>
void extremes_of(std::span<const Value> readings, std::span<const RowRange> windows, Value* out,
                 Value worst, Better&& better) {
  const Value* const x = readings.data();
  both_ways<Value>(
      windows, [worst](std::size_t) { return worst; },
      [x, better](Value& best, std::size_t i) { best = better(x[i], best); },
      [](Value best) { return best; },
      [&](std::size_t w, Value back, Value ahead) { out[w] = better(ahead, back); });
}

template <typename Value>
Value least_of(Value a, Value b) {
  return a < b ? a : b;
}
template <typename Value>
Value greatest_of(Value a, Value b) {
  return a > b ? a : b;
}

}  // namespace

void window_sums(std::span<const double> readings, std::span<const RowRange> windows, double* out) {
  sums_of(
      readings, windows, [](std::size_t) { return 0.0; },
      [&](std::size_t w, double, double sum) { out[w] = sum; });
}

void window_means(std::span<const double> readings, std::span<const RowRange> windows,
                  double* out) {
  const auto reading_before = [&](std::size_t middle) {
    const double pivot = readings[middle - 1];
    return std::fabs(pivot) <= std::numeric_limits<double>::max() ? pivot : 0.0;
  };
  sums_of(readings, windows, reading_before, [&](std::size_t w, double pivot, double sum) {
    out[w] = pivot + sum / count_of(windows[w]);
  });
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

void window_moments(std::span<const double> readings, std::span<const RowRange> windows,
                    double* means, double* squares) {
  struct Sums {
    double x = 0, xx = 0;
  };
  const double* const x = readings.data();
  double pivot = 0;
  both_ways<Sums>(
      windows,
      [&](std::size_t middle) {
        pivot = x[middle - 1];
        return Sums{};
      },
      [&](Sums& own, std::size_t i) {
        const double off = x[i] - pivot;
        own.x += off;
        own.xx += off * off;
      },
      [](const Sums& own) { return own; },
      [&](std::size_t w, const Sums& back, const Sums& ahead) {
        const double sum = back.x + ahead.x;
        const double off = sum / count_of(windows[w]);
        if (means != nullptr) means[w] = pivot + off;
        if (squares != nullptr) {
          const double left = (back.xx + ahead.xx) - sum * off;
          squares[w] = left < 0 ? 0 : left;
        }
      });
}

void window_products(std::span<const double> x_readings, std::span<const double> y_readings,
                     std::span<const RowRange> windows, CoMoments* out) {
  struct Sums {
    double x = 0, y = 0, xx = 0, yy = 0, xy = 0;
  };
  const double *const x = x_readings.data(), *const y = y_readings.data();
  double pivot_x = 0, pivot_y = 0;
  both_ways<Sums>(
      windows,
      [&](std::size_t middle) {
        pivot_x = x[middle - 1];
        pivot_y = y[middle - 1];
        return Sums{};
      },
      [&](Sums& own, std::size_t i) {
        const double off_x = x[i] - pivot_x, off_y = y[i] - pivot_y;
        own.x += off_x;
        own.y += off_y;
        own.xx += off_x * off_x;
        own.yy += off_y * off_y;
        own.xy += off_x * off_y;
      },
      [](const Sums& own) { return own; },
      [&](std::size_t w, const Sums& back, const Sums& ahead) {
        const double sum_x = back.x + ahead.x, sum_y = back.y + ahead.y;
        const double count = count_of(windows[w]);
        const double off_x = sum_x / count, off_y = sum_y / count;
        out[w] = {std::max(0.0, (back.xx + ahead.xx) - sum_x * off_x),
                  std::max(0.0, (back.yy + ahead.yy) - sum_y * off_y),
                  (back.xy + ahead.xy) - sum_x * off_y};
      });
}

void window_least(std::span<const double> readings, std::span<const RowRange> windows,
                  double* out) {
  extremes_of(readings, windows, out, std::numeric_limits<double>::infinity(), least_of<double>);
}
void window_greatest(std::span<const double> readings, std::span<const RowRange> windows,
                     double* out) {
  extremes_of(readings, windows, out, -std::numeric_limits<double>::infinity(),
              greatest_of<double>);
}
void window_least(std::span<const std::int64_t> readings, std::span<const RowRange> windows,
                  std::int64_t* out) {
  extremes_of(readings, windows, out, std::numeric_limits<std::int64_t>::max(),
              least_of<std::int64_t>);
}
void window_greatest(std::span<const std::int64_t> readings, std::span<const RowRange> windows,
                     std::int64_t* out) {
  extremes_of(readings, windows, out, std::numeric_limits<std::int64_t>::min(),
              greatest_of<std::int64_t>);
}

}  // namespace zerobeat::detail
