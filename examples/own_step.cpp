// A step of your own: a column made from another, in a chain with the built-in steps.
// usage: own_step tide_gauge.csv feet.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;
using namespace std::chrono_literals;

/// Adds a column with the readings of `from` times `factor`. What is missing stays missing.
struct Scale {
  std::string from;
  std::string to;
  double factor = 1;
};

Timeline operator|(const Timeline& timeline, const Scale& step) {
  StepTimer timer("scale", step.from, timeline);  // the account knows of this step too
  const Column column = timeline.values().column(step.from).as_numbers();

  Buffer<double> scaled(column.size());
  for (std::size_t i = 0; i < scaled.size(); ++i) scaled[i] = column.numbers()[i] * step.factor;

  Timeline::Parts parts = timeline.parts();  // shares every column that is not touched
  parts.values.add(step.to, Column::numbers(std::move(scaled), column.validity()));
  return timer.finish(std::move(parts));
}

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Timeline feet = settle(read_csv(argv[1], {.time = "observed_at"})) |
                        Scale{.from = "level_m", .to = "level_ft", .factor = 1 / 0.3048} |
                        Lag{.by = 1h, .take = {diff("level_ft").as("rise_ft")}};
  write_csv(feet, argv[2]);
  fmt::print("{}\n", feet.account());
}
