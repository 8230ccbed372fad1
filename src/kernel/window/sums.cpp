#include "kernel/window/sums.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/wide.hpp"

namespace zerobeat::inline v1::detail {

namespace {

bool is_finite(double value) { return std::fabs(value) <= std::numeric_limits<double>::max(); }

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
    const double part = total - sum_;
    // What is infinite has no rounding error.
    if (is_finite(total)) rest_ += (sum_ - (total - part)) + (few_ - part);
    sum_ = total;
    whole_ = sum_ + rest_;
    few_ = 0;
  }

  double few_ = 0, whole_ = 0;
  std::uint32_t count_ = 0;
  double sum_ = 0, rest_ = 0;
};

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

template <typename Value, typename Better>
void extremes_of(std::span<const Value> readings, const StretchedWindows& windows, Value* out,
                 Value worst, Better&& better) {
  const Value* const x = readings.data();
  const auto begin = [worst](std::size_t) { return worst; };
  both_ways<Value>(
      windows, begin, begin, [x, better](Value& best, std::size_t i) { best = better(x[i], best); },
      [](Value best) { return best; },
      [&](std::size_t w, Value back, std::size_t, Value ahead, std::size_t) {
        out[w] = better(ahead, back);
      });
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

void window_sums(std::span<const double> readings, const StretchedWindows& windows, double* out) {
  const double* const x = readings.data();
  const auto begin = [](std::size_t) { return BlockedSum(); };
  both_ways<double>(
      windows, begin, begin, [x](BlockedSum& sum, std::size_t i) { sum.add(x[i]); }, value_of,
      [&](std::size_t w, double back, std::size_t n_back, const BlockedSum& ahead,
          std::size_t n_ahead) {
        if (n_back + n_ahead > 0) out[w] = back + ahead.value();
      });
}

void window_means(std::span<const double> readings, const StretchedWindows& windows, double* out) {
  const double* const x = readings.data();
  const auto begin = [](std::size_t) { return BlockedSum(); };
  EqualRun equal;
  both_ways<double>(
      windows, begin, begin, [x](BlockedSum& sum, std::size_t i) { sum.add(x[i]); }, value_of,
      [&](std::size_t w, double back, std::size_t n_back, const BlockedSum& ahead,
          std::size_t n_ahead) {
        const std::size_t n = n_back + n_ahead;
        if (n == 0) return;
        const RowRange& range = windows.windows[w];
        out[w] = (back + ahead.value()) / static_cast<double>(n);
        if (x[range.begin] == x[range.end - 1] && equal.holds(x, range)) out[w] = x[range.begin];
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
  both_ways<Sums>(
      windows,
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

void window_least(std::span<const double> readings, const StretchedWindows& windows, double* out) {
  extremes_of(readings, windows, out, std::numeric_limits<double>::infinity(), least_of<double>);
}
void window_greatest(std::span<const double> readings, const StretchedWindows& windows,
                     double* out) {
  extremes_of(readings, windows, out, -std::numeric_limits<double>::infinity(),
              greatest_of<double>);
}
void window_least(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                  std::int64_t* out) {
  extremes_of(readings, windows, out, std::numeric_limits<std::int64_t>::max(),
              least_of<std::int64_t>);
}
void window_greatest(std::span<const std::int64_t> readings, const StretchedWindows& windows,
                     std::int64_t* out) {
  extremes_of(readings, windows, out, std::numeric_limits<std::int64_t>::min(),
              greatest_of<std::int64_t>);
}

}  // namespace zerobeat::detail
