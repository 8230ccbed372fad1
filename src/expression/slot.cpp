#include "expression/slot.hpp"

#include "base/clones.hpp"

namespace zerobeat::detail {

// x - x is 0, or not a number.
ZEROBEAT_CLONES bool any_not_finite(const double* x, std::size_t count) {
  std::uint64_t all = 0;
  for (std::size_t i = 0; i < count; ++i) all |= std::bit_cast<std::uint64_t>(x[i] - x[i]);
  return all != 0;
}

}  // namespace zerobeat::detail
