#include "kernel/bucket/buckets.hpp"

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

std::vector<std::optional<Nanoseconds>> typical_steps_of(const Timeline& timeline) {
  const auto strands = timeline.strands();
  std::vector<std::optional<Nanoseconds>> steps(strands.size());
  detail::parallel_for(std::size_t{0}, strands.size(), [&](std::size_t s) {
    steps[s] = typical_step(timeline.times().subspan(strands[s].begin, strands[s].size()));
  });
  return steps;
}

}  // namespace zerobeat::detail
