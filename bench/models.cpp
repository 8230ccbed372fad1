// Models against reading, copying and sorting the columns that they look at, in one run.

#include <benchmark/benchmark.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <zerobeat/model/correlate.hpp>
#include <zerobeat/model/crossings.hpp>
#include <zerobeat/model/decompose.hpp>
#include <zerobeat/model/forecast.hpp>
#include <zerobeat/model/peaks.hpp>
#include <zerobeat/model/regress.hpp>
#include <zerobeat/time/timestamp.hpp>

namespace {

using namespace zerobeat;

constexpr std::size_t many = 10'000'000, million = 1'000'000;

/// A reading each 15 minutes: a day's shape, a slow wave, and noise that follows itself; and three
/// columns of noise.
Timeline made(std::size_t rows) {
  std::mt19937_64 random(5);
  std::normal_distribution<double> normal;
  Timeline::Parts parts;
  parts.name = "level";
  parts.time_name = "time";
  Buffer<Instant> times(rows);
  std::vector<Buffer<double>> columns;
  for (int i = 0; i < 4; ++i) columns.emplace_back(rows);
  double rest = 0;
  const Instant start = read_instant("2025-10-20T00:00:00Z", Zone());
  for (std::size_t i = 0; i < rows; ++i) {
    const auto t = static_cast<double>(i);
    times[i] =
        start + (rows > million ? std::chrono::seconds(10 * i) : std::chrono::seconds(900 * i));
    rest = 0.5 * rest + normal(random);
    columns[0][i] = 10 + 3 * std::sin(t * 0.0654498469) + std::sin(t / 9'000) + 0.4 * rest;
    for (std::size_t c = 1; c < 4; ++c) columns[c][i] = normal(random);
  }
  parts.times = Column::times(std::move(times));
  parts.strands = {{std::nullopt, 0, rows}};
  parts.values = Table(rows);
  const char* names[] = {"level", "a", "b", "c"};
  for (std::size_t c = 0; c < 4; ++c) {
    parts.values.add(names[c], Column::numbers(std::move(columns[c])));
  }
  return Timeline(std::move(parts));
}

const Timeline& of_many() {
  static const Timeline timeline = made(many);
  return timeline;
}

const Timeline& of_a_million() {
  static const Timeline timeline = made(million);
  return timeline;
}

/// Four columns read from memory once.
void read_columns(benchmark::State& state) {
  std::span<const double> columns[4];
  const char* names[] = {"level", "a", "b", "c"};
  for (std::size_t c = 0; c < 4; ++c) columns[c] = of_many().values().column(names[c]).numbers();
  for (auto _ : state) {
    double sums[4] = {};
    for (std::size_t i = 0; i < many; ++i) {
      for (std::size_t c = 0; c < 4; ++c) sums[c] += columns[c][i];
    }
    benchmark::DoNotOptimize(sums);
  }
}
BENCHMARK(read_columns)->Unit(benchmark::kMillisecond)->UseRealTime();

void copied(benchmark::State& state) {
  const auto values = of_many().values().column("level").numbers();
  for (auto _ : state) {
    Buffer<double> copy(values);
    benchmark::DoNotOptimize(copy.data());
  }
}
BENCHMARK(copied)->Unit(benchmark::kMillisecond)->UseRealTime();

void sorted(benchmark::State& state) {
  const auto values = of_a_million().values().column("level").numbers();
  for (auto _ : state) {
    std::vector<double> copy(values.begin(), values.end());
    std::sort(copy.begin(), copy.end());
    benchmark::DoNotOptimize(copy.data());
  }
}
BENCHMARK(sorted)->Unit(benchmark::kMillisecond)->UseRealTime();

template <typename Options, typename Work>
void run(benchmark::State& state, const Timeline& timeline, const Options& options,
         const Work& work) {
  for (auto _ : state) benchmark::DoNotOptimize(work(timeline, options));
}

void regressed(benchmark::State& state) {
  run(state, of_many(), Regress{.y = "level", .x = {"a", "b", "c"}},
      [](const auto& timeline, const auto& options) { return regress(timeline, options); });
}
BENCHMARK(regressed)->Unit(benchmark::kMillisecond)->UseRealTime();

void correlated(benchmark::State& state) {
  run(state, of_a_million(), Correlate{.lags = 1'000, .on = {"level"}},
      [](const auto& timeline, const auto& options) { return correlate(timeline, options); });
}
BENCHMARK(correlated)->Unit(benchmark::kMillisecond)->UseRealTime();

void decomposed(benchmark::State& state, bool robust) {
  run(state, of_a_million(), Decompose{.season = 96, .on = {"level"}, .robust = robust},
      [](const auto& timeline, const auto& options) { return decompose(timeline, options); });
}
BENCHMARK_CAPTURE(decomposed, plain, false)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK_CAPTURE(decomposed, robust, true)->Unit(benchmark::kMillisecond)->UseRealTime();

void peaks_found(benchmark::State& state) {
  run(state, of_many(), Peaks{.on = {"level"}, .prominence = 3},
      [](const auto& timeline, const auto& options) { return peaks(timeline, options); });
}
BENCHMARK(peaks_found)->Unit(benchmark::kMillisecond)->UseRealTime();

void crossings_found(benchmark::State& state) {
  run(state, of_many(), Crossings{.of = "level", .with = "10"},
      [](const auto& timeline, const auto& options) { return crossings(timeline, options); });
}
BENCHMARK(crossings_found)->Unit(benchmark::kMillisecond)->UseRealTime();

/// Hours with a day's shape, or months with a year's, so many strands of them.
Timeline seasonal_rows(std::size_t strands, std::size_t rows, std::size_t season) {
  std::mt19937_64 random(7);
  std::normal_distribution<double> normal;
  Timeline::Parts parts;
  parts.name = "demand";
  parts.time_name = "time";
  if (strands > 1) parts.key_name = "meter";
  const Instant start = read_instant("2016-01-01T00:00:00Z", Zone());
  Buffer<Instant> times(strands * rows);
  Buffer<double> values(strands * rows);
  for (std::size_t s = 0; s < strands; ++s) {
    double level = 100;
    for (std::size_t t = 0; t < rows; ++t) {
      const std::size_t row = s * rows + t;
      times[row] = start + std::chrono::hours(t);
      const double error = normal(random);
      values[row] =
          level +
          10 * std::sin(2 * M_PI * static_cast<double>(t % season) / static_cast<double>(season)) +
          error;
      level += 0.3 * error;
    }
    std::optional<std::string> key;
    if (strands > 1) key = std::to_string(s);
    parts.strands.push_back({std::move(key), s * rows, (s + 1) * rows});
  }
  parts.times = Column::times(std::move(times));
  parts.values = Table(strands * rows);
  parts.values.add("level", Column::numbers(std::move(values)));
  return Timeline(std::move(parts));
}

/// The model chosen by itself.
void forecast_chosen(benchmark::State& state, std::size_t strands, std::size_t rows,
                     std::int64_t season) {
  const Timeline timeline = seasonal_rows(strands, rows, static_cast<std::size_t>(season));
  run(state, timeline, Forecast{.ahead = season, .season = season},
      [](const auto& in, const auto& options) { return forecast(in, options); });
}
BENCHMARK_CAPTURE(forecast_chosen, hours, 1, 10'000, 24)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK_CAPTURE(forecast_chosen, months, 1, 144, 12)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK_CAPTURE(forecast_chosen, strands, 100, 60, 12)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

}  // namespace

BENCHMARK_MAIN();
