// Writing rows as text, beside copying the bytes that come of it.

#include <benchmark/benchmark.h>
#include <tbb/task_arena.h>

#include <cmath>
#include <cstring>
#include <random>
#include <vector>
#include <zerobeat/clean/from_memory.hpp>
#include <zerobeat/io/write.hpp>

using namespace zerobeat;

namespace {

constexpr std::size_t written_rows = 10'000'000;

/// A time about every second and two numbers: of so many decimals, or with all their digits (none).
Timeline two_numbers(int decimals) {
  std::mt19937_64 random(11);
  std::uniform_real_distribution<double> spread(0, 20);
  const double power = std::pow(10.0, decimals);
  std::vector<Instant> times(written_rows);
  std::vector<double> level(written_rows), flow(written_rows);
  std::int64_t now = 1'760'000'000'000'000'000;
  for (std::size_t i = 0; i < written_rows; ++i) {
    now += static_cast<std::int64_t>(500 + random() % 1000) * 1'000'000;
    times[i] = instant_of(now);
    level[i] = decimals > 0 ? std::round(spread(random) * power) / power : spread(random);
    flow[i] = decimals > 0 ? std::round(spread(random) * power) / power : spread(random);
  }
  std::vector<NamedColumn> columns{{"level", Column(std::move(level))},
                                   {"flow", Column(std::move(flow))}};
  return timeline(Column(std::move(times)), std::move(columns));
}

const Timeline& rows_of(int decimals) {
  static const Timeline few = two_numbers(3), all = two_numbers(0);
  return decimals > 0 ? few : all;
}

void written_csv(benchmark::State& state, int decimals, int threads) {
  const Timeline& rows = rows_of(decimals);
  tbb::task_arena arena(threads);
  for (auto _ : state) arena.execute([&] { write(rows, "/dev/null", {.to = "csv"}); });
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(written_rows));
}
BENCHMARK_CAPTURE(written_csv, few_decimals, 3, 1)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(written_csv, few_decimals_two_threads, 3, 2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK_CAPTURE(written_csv, all_digits, 0, 1)->Unit(benchmark::kMillisecond)->UseRealTime();

/// As many bytes as come of a row of few decimals, copied block by block.
void copied_bytes(benchmark::State& state) {
  constexpr std::size_t bytes_of_row = 38, block = 1 << 20;
  std::vector<char> from(bytes_of_row * written_rows, '1'), to(block);
  for (auto _ : state) {
    for (std::size_t at = 0; at + block <= from.size(); at += block) {
      std::memcpy(to.data(), from.data() + at, block);
      benchmark::DoNotOptimize(to.data());
      benchmark::ClobberMemory();
    }
  }
}
BENCHMARK(copied_bytes)->Unit(benchmark::kMillisecond);

}  // namespace
