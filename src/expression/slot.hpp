/// Slots: what an expression holds of a block of rows, and what is done to it. Each operation is a
/// loop over the block; which rows are missing is kept beside it, a bit each.

#pragma once

#include <algorithm>
#include <bit>
#include <cstdint>
#include <cstring>
#include <memory>
#include <zerobeat/base/export.hpp>

#include "expression/syntax.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr std::size_t block_rows = 1024;
inline constexpr std::size_t block_words = block_rows / 64;

/// A bit for each row of a block.
struct Mask {
  std::uint64_t words[block_words];

  void fill(bool all) {
    std::fill(std::begin(words), std::end(words), all ? ~std::uint64_t{0} : 0);
  }
  /// The words from a bitmap, or all set when there is none.
  void copy(const std::uint64_t* from, std::size_t count) {
    if (from == nullptr) return fill(true);
    std::memcpy(words, from, (count + 63) / 64 * sizeof(std::uint64_t));
  }
};

/// Bits past the last row are clear.
inline void clear_tail(Mask& mask, std::size_t rows) {
  if (rows % 64 != 0) mask.words[rows / 64] &= (std::uint64_t{1} << (rows % 64)) - 1;
}

/// Numbers, booleans or texts of a block. Numbers are a constant, or stand in memory: the slot's
/// own or a column's. Booleans are always bits. `open` says that a number may not be finite.
class Slot {
 public:
  void put_constant(double number) {
    constant_ = true;
    number_ = number;
    open_ = !std::isfinite(number);
    there_.fill(true);
  }
  /// Numbers that are all there are, and stay where they are.
  void put_numbers(const double* numbers, const std::uint64_t* there, std::size_t rows) {
    constant_ = open_ = false;
    numbers_ = numbers;
    there_.copy(there, rows);
  }
  /// Where numbers are written to: the half of the slot's own memory that it does not hold now.
  double* next() {
    if (!own_) own_ = std::make_unique<double[]>(2 * block_rows);
    half_ = !half_;
    return own_.get() + (half_ ? block_rows : 0);
  }
  /// What was written to next().
  void hold(const double* written, bool open) {
    constant_ = false;
    numbers_ = written;
    open_ = open;
  }
  /// The numbers in memory, a constant written out.
  const double* numbers(std::size_t rows) {
    if (constant_) {
      double* out = next();
      std::fill(out, out + rows, number_);
      hold(out, open_);
    }
    return numbers_;
  }
  const double* numbers() const { return numbers_; }
  bool is_constant() const { return constant_; }
  double constant() const { return number_; }
  void set_constant(double number, bool open) {
    number_ = number;
    open_ = open;
  }
  bool is_open() const { return open_; }
  void set_open(bool open) { open_ = open; }

  std::int32_t* codes() {
    if (!codes_) codes_ = std::make_unique<std::int32_t[]>(block_rows);
    return codes_.get();
  }

  Mask& truths() { return truths_; }
  const Mask& truths() const { return truths_; }
  Mask& there() { return there_; }
  const Mask& there() const { return there_; }

 private:
  bool constant_ = false, open_ = false, half_ = false;
  double number_ = 0;
  const double* numbers_ = nullptr;
  std::unique_ptr<double[]> own_;
  std::unique_ptr<std::int32_t[]> codes_;
  Mask truths_, there_;
};

/// Whether any of these is not finite.
bool any_not_finite(const double* x, std::size_t count);

/// Of each row the number of x where the mask is set, else of y.
void choose_numbers(const Mask& mask, const double* x, const double* y, double* out,
                    std::size_t rows);

/// Makes numbers that are not finite missing; `met` gathers where that was.
inline void settle(Slot& slot, Mask& met, std::size_t rows) {
  if (!slot.is_open()) return;
  if (slot.is_constant()) {
    if (!std::isfinite(slot.constant())) {
      for (std::size_t w = 0; w < block_words; ++w) met.words[w] |= slot.there().words[w];
      slot.there().fill(false);
      slot.set_constant(0, false);
    }
  } else if (any_not_finite(slot.numbers(), rows)) {
    const double* const x = slot.numbers();
    for (std::size_t w = 0; w * 64 < rows; ++w) {
      std::uint64_t finite = 0;
      const std::size_t n = std::min<std::size_t>(64, rows - w * 64);
      for (std::size_t i = 0; i < n; ++i) {
        finite |= std::uint64_t{std::isfinite(x[w * 64 + i])} << i;
      }
      met.words[w] |= slot.there().words[w] & ~finite;
      slot.there().words[w] &= finite;
    }
  }
  slot.set_open(false);
}

/// Of two slots: those rows are there that are in both.
inline void meet(Slot& a, const Slot& b) {
  for (std::size_t w = 0; w < block_words; ++w) a.there().words[w] &= b.there().words[w];
}

/// Numbers of a and b into a.
template <typename Of>
void combine(Slot& a, const Slot& b, std::size_t rows, bool open, Of&& of) {
  meet(a, b);
  if (a.is_constant() && b.is_constant()) {
    const double made = of(a.constant(), b.constant());
    a.set_constant(made, open && !std::isfinite(made));
    return;
  }
  const double* const x = a.is_constant() ? nullptr : a.numbers();
  const double* const y = b.is_constant() ? nullptr : b.numbers();
  double* const out = a.next();
  if (y == nullptr) {
    const double c = b.constant();
    for (std::size_t i = 0; i < rows; ++i) out[i] = of(x[i], c);
  } else if (x == nullptr) {
    const double c = a.constant();
    for (std::size_t i = 0; i < rows; ++i) out[i] = of(c, y[i]);
  } else {
    for (std::size_t i = 0; i < rows; ++i) out[i] = of(x[i], y[i]);
  }
  a.hold(out, open);
}

/// A bit for each row: `of` its numbers.
template <typename Of>
void bits_of(const double* x, const double* y, std::size_t rows, Mask& out, Of&& of) {
  std::size_t w = 0;
  for (; (w + 1) * 64 <= rows; ++w) {
    std::uint64_t word = 0;
    for (std::size_t i = 0; i < 64; ++i) {
      word |= std::uint64_t{of(x[w * 64 + i], y[w * 64 + i])} << i;
    }
    out.words[w] = word;
  }
  if (w * 64 >= rows) return;
  std::uint64_t word = 0;
  for (std::size_t i = 0; w * 64 + i < rows; ++i) {
    word |= std::uint64_t{of(x[w * 64 + i], y[w * 64 + i])} << i;
  }
  out.words[w] = word;
}

template <typename Of>
void bits_of(const double* x, double c, std::size_t rows, Mask& out, Of&& of) {
  for (std::size_t w = 0; w * 64 < rows; ++w) {
    std::uint64_t word = 0;
    const std::size_t n = std::min<std::size_t>(64, rows - w * 64);
    for (std::size_t i = 0; i < n; ++i) word |= std::uint64_t{of(x[w * 64 + i], c)} << i;
    out.words[w] = word;
  }
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
