#include "kernel/window/even_windows.hpp"

#include <algorithm>
#include <limits>

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Adds `count` readings at x[0], x[step], … to a sum, and calls put(i, sum) for the sum of the
/// first i of them.
template <std::ptrdiff_t step, typename Sum, typename Put>
[[gnu::always_inline]] inline void add_along(const double* x, std::size_t count, Sum& sum,
                                             const Put& put) {
  std::size_t i = 0;
  const auto at = [&](std::size_t k) { return x[step * static_cast<std::ptrdiff_t>(k)]; };
  for (; i + Sum::block <= count; i += Sum::block) {
    for (std::size_t j = 0; j + 1 < Sum::block; ++j) {
      sum.add_within(at(i + j));
      put(i + j + 1, sum);
    }
    sum.add_last(at(i + Sum::block - 1));
    put(i + Sum::block, sum);
  }
  for (; i < count; ++i) {
    sum.add(at(i));
    put(i + 1, sum);
  }
}

/// Windows are put together so many at a time: what lies ahead of the middle stays in the nearest
/// cache. As many blocks of a sum.
constexpr std::size_t windows_at_once = 16 * BlockedSum::block;

/// Calls put(from, until) for windows whose sums stand in ahead[0 …]: those of the readings from
/// the middle to the window's end.
template <typename Sum, typename Keep, typename Put>
[[gnu::always_inline]] inline void add_ahead(const double* next, std::size_t count, Sum& sum,
                                             const Keep& keep, const Put& put) {
  keep(0, sum);
  for (std::size_t from = 0; from < count; from += windows_at_once) {
    const std::size_t until = std::min(count, from + windows_at_once);
    add_along<1>(next + from, until - from - 1, sum, keep);
    put(from, until);
    if (until == count) return;
    sum.add(next[until - 1]);
    keep(0, sum);
  }
}

template <typename Value>
void make_room(const EvenWindows& windows, EvenRoom<Value>& room) {
  room.back.resize(windows.before + 1);
  room.ahead.resize(windows.count);
}

ZEROBEAT_CLONES
void put_sums(const double* back, const double* ahead, std::size_t count, double divisor,
              double* out) {
  if (divisor == 1) {
    for (std::size_t k = 0; k < count; ++k) out[k] = back[k] + ahead[k];
    return;
  }
  for (std::size_t k = 0; k < count; ++k) out[k] = (back[k] + ahead[k]) / divisor;
}

template <typename Better, typename Value>
[[gnu::always_inline]] inline void extremes_of(const Value* x, const EvenWindows& windows,
                                               Value worst, Value* back, Value* ahead, Value* out) {
  constexpr Better better{};
  Value best_back = worst, best_ahead = worst;
  ahead[0] = worst;
  const std::size_t both = windows.count - 1;
  const Value* const before = x + windows.middle - 1;
  const Value* const next = x + windows.middle;
  for (std::size_t i = 0; i < both; ++i) {
    best_back = better(*(before - i), best_back);
    best_ahead = better(next[i], best_ahead);
    back[windows.before - (i + 1)] = best_back;
    ahead[i + 1] = best_ahead;
  }
  for (std::size_t i = both; i < windows.before; ++i) {
    best_back = better(*(before - i), best_back);
    back[windows.before - (i + 1)] = best_back;
  }
  for (std::size_t k = 0; k < windows.count; ++k) out[k] = better(ahead[k], back[k]);
}

ZEROBEAT_CLONES
void least_of(const double* x, const EvenWindows& windows, double* back, double* ahead,
              double* out) {
  extremes_of<LeastOf>(x, windows, std::numeric_limits<double>::infinity(), back, ahead, out);
}
ZEROBEAT_CLONES
void greatest_of(const double* x, const EvenWindows& windows, double* back, double* ahead,
                 double* out) {
  extremes_of<GreatestOf>(x, windows, -std::numeric_limits<double>::infinity(), back, ahead, out);
}
ZEROBEAT_CLONES
void least_of(const std::int64_t* x, const EvenWindows& windows, std::int64_t* back,
              std::int64_t* ahead, std::int64_t* out) {
  extremes_of<LeastOf>(x, windows, std::numeric_limits<std::int64_t>::max(), back, ahead, out);
}
ZEROBEAT_CLONES
void greatest_of(const std::int64_t* x, const EvenWindows& windows, std::int64_t* back,
                 std::int64_t* ahead, std::int64_t* out) {
  extremes_of<GreatestOf>(x, windows, std::numeric_limits<std::int64_t>::min(), back, ahead, out);
}

/// Sums of differences from a pivot, and of their squares, in blocks as BlockedSum has them.
class ShiftedSums {
 public:
  static constexpr std::uint32_t block = BlockedSum::block;

  explicit ShiftedSums(double pivot) : pivot_(pivot) {}

  void add_within(double x) {
    const double off = x - pivot_;
    few_ += off;
    few_squares_ += off * off;
  }
  void add_last(double x) {
    add_within(x);
    sum_ += few_;
    squares_ += few_squares_;
    few_ = few_squares_ = 0;
    count_ = 0;
  }
  void add(double x) {
    if (++count_ == block) {
      add_last(x);
    } else {
      add_within(x);
    }
  }
  [[nodiscard]] double sum() const { return sum_ + few_; }
  [[nodiscard]] double squares() const { return squares_ + few_squares_; }

 private:
  double pivot_;
  double few_ = 0, few_squares_ = 0, sum_ = 0, squares_ = 0;
  std::uint32_t count_ = 0;
};

/// Sums of shifted readings and of their squares, of windows one after the other.
struct SumsOfShifted {
  const double *sums, *squares;
};

/// Windows `first` and those after it, whose readings ahead are differences from a pivot `apart`
/// from the one of those back.
ZEROBEAT_CLONES
void put_moments(SumsOfShifted back, SumsOfShifted ahead, std::size_t first, std::size_t count,
                 double n, double pivot, double apart, double* means, double* deviations) {
  for (std::size_t k = 0; k < count; ++k) {
    const auto a = static_cast<double>(static_cast<std::int32_t>(first + k));
    const double x = back.sums[k] + (ahead.sums[k] + a * apart);
    const double xx =
        back.squares[k] + (ahead.squares[k] + apart * (2 * ahead.sums[k] + a * apart));
    const double off = x / n;
    const double left = xx - x * off;
    if (means != nullptr) means[k] = pivot + off;
    deviations[k] = left < 0 ? 0 : left;
  }
}

}  // namespace

namespace {

/// Windows of so few readings that no sum fills a block: what BlockedSum comes to is nothing and
/// the plain sum.
void sums_of_few(const double* x, const EvenWindows& windows, double divisor, double* out) {
  double behind[BlockedSum::block];
  const double* const last = x + windows.middle - 1;
  const double* const next = x + windows.middle;
  double few = 0;
  for (std::size_t i = 0; i < windows.before; ++i) {
    few += *(last - i);
    behind[windows.before - 1 - i] = 0.0 + few;
  }
  few = 0;
  for (std::size_t k = 0; k < windows.count; ++k) {
    out[k] = (behind[k] + (0.0 + few)) / divisor;
    if (k + 1 < windows.count) few += next[k];
  }
}

}  // namespace

void even_sums(const double* x, const EvenWindows& windows, double divisor, Buffer<double>& back,
               double* out) {
  if (windows.before < BlockedSum::block) return sums_of_few(x, windows, divisor, out);
  back.resize(windows.before);
  double* const behind = back.data();
  double ahead[windows_at_once];
  BlockedSum before, after;
  add_along<-1>(
      x + windows.middle - 1, windows.before, before,
      [&](std::size_t i, const BlockedSum& sum) { behind[windows.before - i] = sum.value(); });
  add_ahead(
      x + windows.middle, windows.count, after,
      [&](std::size_t i, const BlockedSum& sum) { ahead[i] = sum.value(); },
      [&](std::size_t from, std::size_t until) {
        put_sums(behind + from, ahead, until - from, divisor, out + from);
      });
}

void even_least(const double* x, const EvenWindows& windows, EvenRoom<double>& room, double* out) {
  make_room(windows, room);
  least_of(x, windows, room.back.data(), room.ahead.data(), out);
}
void even_greatest(const double* x, const EvenWindows& windows, EvenRoom<double>& room,
                   double* out) {
  make_room(windows, room);
  greatest_of(x, windows, room.back.data(), room.ahead.data(), out);
}
void even_least(const std::int64_t* x, const EvenWindows& windows, EvenRoom<std::int64_t>& room,
                std::int64_t* out) {
  make_room(windows, room);
  least_of(x, windows, room.back.data(), room.ahead.data(), out);
}
void even_greatest(const std::int64_t* x, const EvenWindows& windows, EvenRoom<std::int64_t>& room,
                   std::int64_t* out) {
  make_room(windows, room);
  greatest_of(x, windows, room.back.data(), room.ahead.data(), out);
}

void even_moments(const double* x, std::size_t size, const EvenWindows& windows,
                  Buffer<double>& back, Buffer<double>& back_squares, double* means,
                  double* deviations) {
  back.resize(windows.before);
  back_squares.resize(windows.before);
  const SumsOfShifted behind{back.data(), back_squares.data()};
  double ahead[windows_at_once], ahead_squares[windows_at_once];
  const double pivot = x[windows.middle - 1];
  const double next_pivot = windows.middle < size ? x[windows.middle] : 0;
  ShiftedSums before(pivot), after(next_pivot);
  add_along<-1>(x + windows.middle - 1, windows.before, before,
                [&](std::size_t i, const ShiftedSums& sums) {
                  back[windows.before - i] = sums.sum();
                  back_squares[windows.before - i] = sums.squares();
                });
  const auto n = static_cast<double>(windows.before);
  const auto put = [&](std::size_t skipped, std::size_t from, std::size_t until, double apart) {
    put_moments({behind.sums + from, behind.squares + from},
                {ahead + skipped, ahead_squares + skipped}, from, until - from, n, pivot, apart,
                means == nullptr ? nullptr : means + from, deviations + from);
  };
  add_ahead(
      x + windows.middle, windows.count, after,
      [&](std::size_t i, const ShiftedSums& sums) {
        ahead[i] = sums.sum();
        ahead_squares[i] = sums.squares();
      },
      [&](std::size_t from, std::size_t until) {
        // The first window has none ahead.
        if (from == 0) put(0, 0, 1, 0);
        const std::size_t skipped = from == 0 ? 1 : 0;
        put(skipped, from + skipped, until, next_pivot - pivot);
      });
}

}  // namespace zerobeat::detail
