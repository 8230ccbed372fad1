#include "table/ascending.hpp"

#include <algorithm>
#include <cstdint>

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// Of `count` times, each with the one after it.
ZEROBEAT_CLONES
bool has_step_back(const Instant* times, std::size_t count) {
  std::int64_t any = 0;
  for (std::size_t i = 0; i < count; ++i) {
    any |= -static_cast<std::int64_t>(nanoseconds_of(times[i + 1]) < nanoseconds_of(times[i]));
  }
  return any != 0;
}

}  // namespace

bool ascend(std::span<const Instant> times) {
  constexpr std::size_t block = 1024;
  for (std::size_t at = 0; at + 1 < times.size(); at += block) {
    if (has_step_back(times.data() + at, std::min(block, times.size() - 1 - at))) return false;
  }
  return true;
}

}  // namespace zerobeat::detail
