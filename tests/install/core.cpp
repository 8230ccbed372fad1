#include <cstdio>
#include <zerobeat/clean/from_memory.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/version.hpp>

int main() {
  using namespace zerobeat;
  const Instant start = instant_of(0);
  const auto minute = std::chrono::minutes(10);
  const Timeline level =
      timeline({start, start + minute, start + 6 * minute}, {{"v", {1.0, 2.0, 4.0}}});
  const Timeline hourly = level | Resample{.every = "1h"};
  if (version() != ZEROBEAT_VERSION) return 1;
  std::printf("%zu rows, mean %g\n", hourly.rows(), hourly.values().column("v_mean").numbers()[0]);
}
