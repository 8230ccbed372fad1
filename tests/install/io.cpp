#include <cstdio>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/regular/resample.hpp>

int main() {
  using namespace zerobeat;
  const Records tide = read_text(
      "time,level_m\n2025-10-20T00:10:00Z,1\n2025-10-20T00:20:00Z,2\n2025-10-20T01:00:00Z,4\n");
  const Timeline hourly = settle(tide) | Resample{.every = std::chrono::hours(1),
                                                  .take = {take::mean("level_m").as("level")}};
  std::printf("%zu rows, mean %g\n", hourly.rows(), hourly.values().column("level").numbers()[0]);
}
