#include <cstdio>
#include <zerobeat/clean/from_memory.hpp>
#include <zerobeat/view/plot.hpp>

int main() {
  using namespace zerobeat;
  const Instant start = instant_of(0);
  const Timeline level = timeline({start, start + std::chrono::hours(1)}, {{"v", {1.0, 2.0}}});
  plot(level, {.y = {"v"}}, "level.png");
  std::printf("%zu rows, mean 1.5\n", level.rows());
}
