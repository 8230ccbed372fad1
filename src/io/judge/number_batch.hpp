/// Many short decimals in one call: cells of a sign and up to eight of digits and one point, read
/// four at once. Each is read as read_short_number reads it.

#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

class NumberBatch {
 public:
  static constexpr std::size_t most = 64;

  static bool is_available();

  void clear() { count_ = 0; }
  std::size_t size() const { return count_; }

  /// Adds a cell of n bytes at p, before whose end eight bytes can be looked at. Returns false when
  /// it is none of these.
  [[gnu::always_inline]] bool add(const char* p, std::size_t n) {
    const std::size_t negative = n != 0 && *p == '-' ? 1 : 0;
    const std::size_t digits = n - negative;
    if (digits - 1 > 7) return false;
    before_end_[count_] = p + n - 8;
    own_[count_] = ~std::uint64_t{0} << (8 * (8 - digits));
    negative_[count_] = 0 - static_cast<std::uint64_t>(negative);
    ++count_;
    return true;
  }

  /// What the cells are: int64, or doubles when they are for a column that holds those already.
  /// Returns how many there are up to the first that is not one.
  std::size_t read_integers(std::array<std::uint64_t, most>& out);
  std::size_t read_numbers(std::array<std::uint64_t, most>& out);

 private:
  /// Repeats the last one up to a whole four.
  void round_up();

  std::size_t count_ = 0;
  std::array<const char*, most> before_end_;
  std::array<std::uint64_t, most> own_;       // the bytes of digits and point
  std::array<std::uint64_t, most> negative_;  // all bits, or none
};

/// The cells of one column of lines that all have as many, as short decimals: each cell ends at a
/// place, and begins behind the place before it. Each is read as read_short_number reads it.
struct EvenNumbers {
  const char* base;
  const std::uint32_t* stops;  ///< of the first cell
  std::size_t stride;          ///< places from cell to cell
  std::size_t count;

  /// What they are: int64, without those that begin with a needless zero, or doubles. Before the
  /// end of each, eight bytes can be looked at. Returns how many there are up to the first that is
  /// not one, or has more than eight characters; `out` has room for `count`.
  std::size_t read_integers(std::uint64_t* out) const;
  std::size_t read_numbers(std::uint64_t* out) const;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
