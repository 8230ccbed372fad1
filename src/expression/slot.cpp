#include "expression/slot.hpp"

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

// x - x is 0, or not a number.
ZEROBEAT_CLONES bool any_not_finite(const double* x, std::size_t count) {
  std::uint64_t all = 0;
  for (std::size_t i = 0; i < count; ++i) all |= std::bit_cast<std::uint64_t>(x[i] - x[i]);
  return all != 0;
}

ZEROBEAT_CLONES void choose_numbers(const Mask& mask, const double* x, const double* y, double* out,
                                    std::size_t rows) {
  for (std::size_t w = 0; w * 64 < rows; ++w) {
    const std::uint64_t word = mask.words[w];
    const std::size_t n = std::min<std::size_t>(64, rows - w * 64);
    for (std::size_t i = 0; i < n; ++i) {
      // All ones where the bit is set.
      const std::uint64_t all = std::uint64_t{0} - (word >> i & 1);
      const auto of_x = std::bit_cast<std::uint64_t>(x[w * 64 + i]);
      const auto of_y = std::bit_cast<std::uint64_t>(y[w * 64 + i]);
      out[w * 64 + i] = std::bit_cast<double>((of_x & all) | (of_y & ~all));
    }
  }
}

}  // namespace zerobeat::detail
