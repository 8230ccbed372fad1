// Kernels on their own, in memory, each beside what it is measured against.

#include <benchmark/benchmark.h>
#include <tbb/task_arena.h>

#include <ctime>
#include <random>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/time/timestamp.hpp>
#include <zerobeat/window/roll.hpp>

#include "regular/sums.hpp"

namespace {

using namespace zerobeat;

std::vector<std::string> time_texts() {
  std::vector<std::string> texts;
  std::mt19937 random(1);
  Instant t = instant_of(1'761'436'800'000'000'000);
  for (int i = 0; i < 100'000; ++i) {
    t += std::chrono::milliseconds(random() % 60'000);
    texts.push_back(to_text(t, 3));
  }
  return texts;
}

Timeline level(std::size_t rows) {
  Timeline::Parts parts;
  parts.time_name = "time";
  Buffer<Instant> times(rows);
  Buffer<double> values(rows);
  std::mt19937 random(2);
  for (std::size_t i = 0; i < rows; ++i) {
    times[i] = instant_of(static_cast<std::int64_t>(i) * 1'000'000'000);
    values[i] = static_cast<double>(random() % 5000) / 1000;
  }
  parts.times = Column::times(std::move(times));
  parts.strands = {{std::nullopt, 0, rows}};
  parts.values = Table(rows);
  parts.values.add("level", Column::numbers(std::move(values)));
  return Timeline(std::move(parts));
}

void timestamps_iso(benchmark::State& state) {
  const auto texts = time_texts();
  TimestampReader reader({.format = {.kind = TimeFormat::Kind::iso}});
  for (auto _ : state) {
    for (const auto& text : texts) benchmark::DoNotOptimize(reader.read(text));
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(texts.size()));
}
BENCHMARK(timestamps_iso);

void timestamps_strptime_timegm(benchmark::State& state) {
  const auto texts = time_texts();
  for (auto _ : state) {
    for (const auto& text : texts) {
      std::tm parts{};
      benchmark::DoNotOptimize(strptime(text.c_str(), "%Y-%m-%dT%H:%M:%S", &parts));
      benchmark::DoNotOptimize(timegm(&parts));
    }
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(texts.size()));
}
BENCHMARK(timestamps_strptime_timegm);

void plain_sum(benchmark::State& state) {
  const Timeline timeline = level(4'000'000);
  const auto values = timeline.values().column("level").numbers();
  for (auto _ : state) {
    double sum = 0;
    for (const double value : values) sum += value;
    benchmark::DoNotOptimize(sum);
  }
  state.SetItemsProcessed(state.iterations() * 4'000'000);
}
BENCHMARK(plain_sum)->Unit(benchmark::kMillisecond);

void compensated_sum(benchmark::State& state) {
  const Timeline timeline = level(4'000'000);
  const auto values = timeline.values().column("level").numbers();
  for (auto _ : state) benchmark::DoNotOptimize(detail::sum_of(values));
  state.SetItemsProcessed(state.iterations() * 4'000'000);
}
BENCHMARK(compensated_sum)->Unit(benchmark::kMillisecond);

void resample_mean(benchmark::State& state) {
  const Timeline timeline = level(4'000'000);
  tbb::task_arena arena(1);
  for (auto _ : state) {
    arena.execute([&] {
      benchmark::DoNotOptimize(
          resample(timeline, {.every = std::chrono::hours(1), .take = {mean("level")}}));
    });
  }
  state.SetItemsProcessed(state.iterations() * 4'000'000);
}
BENCHMARK(resample_mean)->Unit(benchmark::kMillisecond);

/// A rolling statistic in one thread, by the window.
void roll_one(benchmark::State& state, Stat stat) {
  const Timeline timeline = level(2'000'000);
  Take take;
  take.stat = stat;
  take.column = "level";
  const Roll options{.window = state.range(0), .take = {take}};
  tbb::task_arena arena(1);
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(roll(timeline, options)); });
  }
  state.SetItemsProcessed(state.iterations() * 2'000'000);
}
#define ROLL(stat)                              \
  BENCHMARK_CAPTURE(roll_one, stat, Stat::stat) \
      ->Arg(10)                                 \
      ->Arg(1000)                               \
      ->Arg(100'000)                            \
      ->Unit(benchmark::kMillisecond)
ROLL(mean);
ROLL(sum);
ROLL(std);
ROLL(min);
ROLL(max);
ROLL(median);

}  // namespace

BENCHMARK_MAIN();
