/// Aggregates of windows that move on by one reading from each to the next: those of a number of
/// records, where none is missing.
///
/// They are what both_ways() makes of them, to the last digit: the same additions in the same
/// order. But what the readings before the middle and those after it come to is put together in a
/// loop of its own, many windows at once; and extremes of both go along in one loop, two chains
/// side by side.

#pragma once

#include <cstddef>
#include <cstdint>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Windows of `before` readings each; the first ends before reading `middle`, and there are no more
/// than `before` of them.
struct EvenWindows {
  std::size_t middle = 0;
  std::size_t before = 0;
  std::size_t count = 0;
};

/// A sum in blocks: sixteen readings are added plainly, and their sum with what its rounding loses,
/// so that its error does not grow with their number (Higham 1993).
class BlockedSum {
 public:
  static constexpr std::uint32_t block = 16;

  void add(double x) {
    few_ += x;
    if ((++count_ & (block - 1)) == 0) close_block();
  }
  [[nodiscard]] double value() const { return whole_ + few_; }

  /// Adds one that does not fill a block, or the last one of a block.
  void add_within(double x) { few_ += x; }
  void add_last(double x) {
    few_ += x;
    count_ += block;
    close_block();
  }

 private:
  void close_block() {
    const double total = sum_ + few_;
    const double part = total - sum_;
    // What is infinite has no rounding error.
    if (total - total == 0) rest_ += (sum_ - (total - part)) + (few_ - part);
    sum_ = total;
    whole_ = sum_ + rest_;
    few_ = 0;
  }

  double few_ = 0, whole_ = 0;
  std::uint32_t count_ = 0;
  double sum_ = 0, rest_ = 0;
};

/// The lesser, or the greater, of two; the second where they are equal, or one is none.
struct LeastOf {
  template <typename Value>
  Value operator()(Value a, Value b) const {
    return a < b ? a : b;
  }
};
struct GreatestOf {
  template <typename Value>
  Value operator()(Value a, Value b) const {
    return a > b ? a : b;
  }
};

/// What is kept between the two loops, used again for the next stretch.
template <typename Value>
struct EvenRoom {
  Buffer<Value> back{};   ///< of the readings from each window's begin to the middle
  Buffer<Value> ahead{};  ///< of those from the middle to its end
};

/// Each window's sum, divided by so much.
void even_sums(const double* x, const EvenWindows& windows, double divisor, Buffer<double>& back,
               double* out);

void even_least(const double* x, const EvenWindows& windows, EvenRoom<double>& room, double* out);
void even_greatest(const double* x, const EvenWindows& windows, EvenRoom<double>& room,
                   double* out);
void even_least(const std::int64_t* x, const EvenWindows& windows, EvenRoom<std::int64_t>& room,
                std::int64_t* out);
void even_greatest(const std::int64_t* x, const EvenWindows& windows, EvenRoom<std::int64_t>& room,
                   std::int64_t* out);

/// Each window's mean and sum of squared deviations from it, of `size` readings; `means` may be
/// null.
void even_moments(const double* x, std::size_t size, const EvenWindows& windows,
                  Buffer<double>& back, Buffer<double>& back_squares, double* means,
                  double* deviations);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
