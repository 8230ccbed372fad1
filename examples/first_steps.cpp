// First steps: a tide gauge read, settled, made regular, filled and smoothed.
// usage: first_steps tide_gauge.csv level.csv

#include <cstdio>
#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Records tide = read_csv(argv[1], {.time = "observed_at"});
  fmt::print("{}\n", tide.account());  // every record accounted for

  const Timeline level = tide |
                         Resample{.every = "15min", .take = {take::mean("level_m").as("level")}} |
                         Fill{.how = Fill::How::linear, .max_gap = "1h"} |
                         Roll{.window = "2h", .take = {take::mean("level").as("level_2h")}};

  write(level, argv[2]);
  fmt::print("{}\n", level.account());
}
