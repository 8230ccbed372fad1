// Kernels on their own, in memory, each beside what it is measured against.

#include <benchmark/benchmark.h>
#include <tbb/task_arena.h>

#include <ctime>
#include <random>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/time/time_form.hpp>
#include <zerobeat/time/timestamp.hpp>
#include <zerobeat/window/roll.hpp>

#include "regular/sums.hpp"

namespace {

using namespace zerobeat;

/// Times about half a minute apart, in one form, one after the other as in a file; each ends with
/// a NUL.
struct TimeTexts {
  std::string text;
  std::vector<std::string_view> views;

  explicit TimeTexts(const char* form) {
    std::mt19937 random(1);
    TimeForm how;
    from_text(form, how);
    Instant t = instant_of(1'761'436'800'000'000'000);
    std::vector<std::size_t> ends;
    for (int i = 0; i < 10'000; ++i) {
      t += std::chrono::milliseconds(random() % 60'000);
      append_time(text, t, how, 3, nullptr, {});
      ends.push_back(text.size());
      text += '\0';
    }
    std::size_t from = 0;
    for (const std::size_t end : ends) {
      views.push_back(std::string_view(text).substr(from, end - from));
      from = end + 1;
    }
  }
};

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

/// Text to instant, judged, in blocks as a reader of columns has them.
void timestamps(benchmark::State& state, const char* form, const char* format,
                const char* zone = "UTC") {
  const TimeTexts texts(form);
  const auto& views = texts.views;
  TimestampOptions options{.zone = Zone::find(zone), .repeated = Repeated::earlier};
  from_text(format, options.format);
  TimestampReader reader(options);
  constexpr std::size_t block = 1000;
  std::vector<TimeReading> read(block);
  for (auto _ : state) {
    for (std::size_t at = 0; at < views.size(); at += block) {
      reader.read(std::span(views).subspan(at, block), read);
      benchmark::DoNotOptimize(read.data());
      benchmark::ClobberMemory();
    }
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(views.size()));
}

/// The same strings through the C library.
void strptime_timegm(benchmark::State& state, const char* form, const char* pattern) {
  const TimeTexts texts(form);
  for (auto _ : state) {
    for (const auto text : texts.views) {
      std::tm parts{};
      benchmark::DoNotOptimize(strptime(text.data(), pattern, &parts));
      benchmark::DoNotOptimize(timegm(&parts));
    }
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(texts.views.size()));
}
BENCHMARK_CAPTURE(strptime_timegm, iso, "rfc3339", "%Y-%m-%dT%H:%M:%S");
BENCHMARK_CAPTURE(timestamps, iso, "rfc3339", "iso");
BENCHMARK_CAPTURE(strptime_timegm, iso_local, "%Y-%m-%dT%H:%M:%S.%f", "%Y-%m-%dT%H:%M:%S");
BENCHMARK_CAPTURE(timestamps, iso_as_utc, "%Y-%m-%dT%H:%M:%S.%f", "iso");
BENCHMARK_CAPTURE(timestamps, iso_local, "%Y-%m-%dT%H:%M:%S.%f", "iso", "Europe/Dublin");
BENCHMARK_CAPTURE(strptime_timegm, dmy, "%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M:%S");
BENCHMARK_CAPTURE(timestamps, dmy, "%d/%m/%Y %H:%M:%S", "dmy");
BENCHMARK_CAPTURE(strptime_timegm, epoch_s, "%s", "%s");
BENCHMARK_CAPTURE(timestamps, epoch_s, "%s", "epoch-s");
BENCHMARK_CAPTURE(strptime_timegm, epoch_ms, "epoch-ms", "%s");
BENCHMARK_CAPTURE(timestamps, epoch_ms, "epoch-ms", "epoch-ms");

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
