#include <cstdio>
#include <zerobeat/zerobeat.hpp>

int main() {
  using namespace zerobeat;
  write(timeline({instant_of(0), instant_of(1'000'000'000)}, {{"v", {1.0, 2.0}}}), "level.csv");
  Plan plan;
  plan.sources.push_back({.name = "level", .file = {"level.csv"}});
  plan.series.push_back({.name = "hour", .from = {"level"}, .steps = {{Resample{.every = "1h"}}}});
  const RunResult result = run_plan(plan);
  const Timeline& hour = result.series.at("hour");
  std::printf("%zu rows, mean %g\n", hour.rows() + 1, hour.values().column("v_mean").numbers()[0]);
}
