// Kernels on their own, in memory, each beside what it is measured against.

#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <bit>
#include <ctime>
#include <map>
#include <random>
#include <zerobeat/align/join.hpp>
#include <zerobeat/clean/clip.hpp>
#include <zerobeat/clean/fill.hpp>
#include <zerobeat/clean/settle.hpp>
#include <zerobeat/expression/expression.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/regular/thin.hpp>
#include <zerobeat/time/time_form.hpp>
#include <zerobeat/time/timestamp.hpp>
#include <zerobeat/window/lag.hpp>
#include <zerobeat/window/roll.hpp>

#include "kernel/points.hpp"
#include "kernel/sums.hpp"

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

/// Readings a second apart, of one strand or dealt out to several.
Timeline level(std::size_t rows, std::size_t strands = 1) {
  Timeline::Parts parts;
  parts.time_name = "time";
  parts.zone = Zone::find("Europe/Dublin");
  Buffer<Instant> times(rows);
  Buffer<double> values(rows);
  std::mt19937 random(2);
  const std::size_t each = rows / strands;
  for (std::size_t i = 0; i < rows; ++i) {
    times[i] =
        instant_of(1'700'000'000'000'000'000 + static_cast<std::int64_t>(i % each) * 1'000'000'000);
    values[i] = static_cast<double>(random() % 5000) / 1000;
  }
  parts.times = Column::times(std::move(times));
  if (strands > 1) parts.key_name = "probe";
  for (std::size_t s = 0; s < strands; ++s) {
    std::optional<std::string> key;
    if (strands > 1) key = fmt::format("probe_{}", s);
    parts.strands.push_back({key, s * each, s + 1 == strands ? rows : (s + 1) * each});
  }
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

constexpr std::size_t many = 10'000'000;
constexpr std::size_t judged_rows = 2'000'000;  // that outliers are looked for in

/// The two columns that resampling reads, summed in a plain loop.
void plain_sums(benchmark::State& state) {
  const auto rows = static_cast<std::size_t>(state.range(0));
  const Timeline timeline = level(rows);
  const auto times = timeline.times();
  const auto values = timeline.values().column("level").numbers();
  for (auto _ : state) {
    std::int64_t time = 0;
    double sum = 0;
    for (std::size_t i = 0; i < rows; ++i) {
      time += nanoseconds_of(times[i]);
      sum += values[i];
    }
    benchmark::DoNotOptimize(time);
    benchmark::DoNotOptimize(sum);
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(plain_sums)->Arg(1'000'000)->Arg(many)->Arg(100'000'000)->Unit(benchmark::kMillisecond);

/// The same columns read from memory once, as fast as it gives them.
void read_once(benchmark::State& state) {
  const auto rows = static_cast<std::size_t>(state.range(0));
  const Timeline timeline = level(rows);
  const auto times = timeline.times();
  const auto values = timeline.values().column("level").numbers();
  for (auto _ : state) {
    std::int64_t sums[4] = {};
    for (std::size_t i = 0; i + 2 <= rows; i += 2) {
      sums[0] += nanoseconds_of(times[i]);
      sums[1] += nanoseconds_of(times[i + 1]);
      sums[2] += std::bit_cast<std::int64_t>(values[i]);
      sums[3] += std::bit_cast<std::int64_t>(values[i + 1]);
    }
    benchmark::DoNotOptimize(sums);
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(read_once)->Arg(100'000'000)->Unit(benchmark::kMillisecond);

void compensated_sum(benchmark::State& state) {
  const Timeline timeline = level(many);
  const auto values = timeline.values().column("level").numbers();
  for (auto _ : state) benchmark::DoNotOptimize(detail::sum_of(values));
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(many));
}
BENCHMARK(compensated_sum)->Unit(benchmark::kMillisecond);

void resampled(benchmark::State& state, std::size_t rows, std::size_t strands, int threads,
               const Resample& options) {
  const Timeline timeline = level(rows, strands);
  tbb::task_arena arena(threads);
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(resample(timeline, options)); });
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(rows));
}

void resample_mean(benchmark::State& state) {
  resampled(state, static_cast<std::size_t>(state.range(0)), 1, 1,
            {.every = std::chrono::hours(1), .take = {take::mean("level")}});
}
BENCHMARK(resample_mean)
    ->Arg(1'000'000)
    ->Arg(many)
    ->Arg(100'000'000)
    ->Unit(benchmark::kMillisecond);

void resample_minutes(benchmark::State& state) {
  resampled(state, many, 1, 1, {.every = std::chrono::minutes(1), .take = {take::mean("level")}});
}
BENCHMARK(resample_minutes)->Unit(benchmark::kMillisecond);

void resample_two_threads(benchmark::State& state) {
  resampled(state, many, 1, 2, {.every = std::chrono::hours(1), .take = {take::mean("level")}});
}
BENCHMARK(resample_two_threads)->Unit(benchmark::kMillisecond)->UseRealTime();

void resample_fixed_days(benchmark::State& state) {
  resampled(state, many, 1, 1, {.every = std::chrono::hours(24), .take = {take::mean("level")}});
}
BENCHMARK(resample_fixed_days)->Unit(benchmark::kMillisecond);

void resample_calendar_days(benchmark::State& state) {
  resampled(state, many, 1, 1, {.every = Period::of_days(1), .take = {take::mean("level")}});
}
BENCHMARK(resample_calendar_days)->Unit(benchmark::kMillisecond);

void resample_ten_takes(benchmark::State& state) {
  resampled(
      state, many, 1, 1,
      {.every = std::chrono::hours(1),
       .take = {take::count("level"), take::sum("level"), take::mean("level"), take::min("level"),
                take::max("level"), take::first("level"), take::last("level"), take::range("level"),
                take::std("level"), take::var("level")}});
}
BENCHMARK(resample_ten_takes)->Unit(benchmark::kMillisecond);

void resample_10000_strands(benchmark::State& state) {
  resampled(state, many, 10'000, 1,
            {.every = std::chrono::minutes(5), .take = {take::mean("level")}});
}
BENCHMARK(resample_10000_strands)->Unit(benchmark::kMillisecond);

void resample_1_strand(benchmark::State& state) {
  resampled(state, many, 1, 1, {.every = std::chrono::minutes(5), .take = {take::mean("level")}});
}
BENCHMARK(resample_1_strand)->Unit(benchmark::kMillisecond);

void resample_quantile(benchmark::State& state) {
  resampled(state, many, 1, 1,
            {.every = std::chrono::hours(1), .take = {take::quantile("level", 0.95)}});
}
BENCHMARK(resample_quantile)->Unit(benchmark::kMillisecond);

/// std::nth_element over the same buckets.
void nth_element(benchmark::State& state) {
  const Timeline timeline = level(many);
  const auto values = timeline.values().column("level").numbers();
  constexpr std::size_t bucket = 3600;
  std::vector<double> copy, out(many / bucket + 1);
  for (auto _ : state) {
    for (std::size_t from = 0; from < many; from += bucket) {
      const std::size_t until = std::min(many, from + bucket);
      copy.assign(values.begin() + static_cast<std::ptrdiff_t>(from),
                  values.begin() + static_cast<std::ptrdiff_t>(until));
      const auto at = copy.begin() + static_cast<std::ptrdiff_t>(0.95 * double(until - from - 1));
      std::nth_element(copy.begin(), at, copy.end());
      out[from / bucket] = *at;
    }
    benchmark::DoNotOptimize(out.data());
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(many));
}
BENCHMARK(nth_element)->Unit(benchmark::kMillisecond);

void triangles(benchmark::State& state) {
  const auto rows = static_cast<std::size_t>(state.range(0));
  const Timeline timeline = level(rows);
  const auto values = timeline.values().column("level").numbers();
  for (auto _ : state) {
    benchmark::DoNotOptimize(detail::largest_triangles(timeline.times(), values, 2000));
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(triangles)->Arg(100'000'000)->Unit(benchmark::kMillisecond);

/// The whole step, with how far the furthest reading is from the line.
void thinned(benchmark::State& state) {
  const auto rows = static_cast<std::size_t>(state.range(0));
  const Timeline timeline = level(rows);
  tbb::task_arena arena(1);
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(thin(timeline, {.points = 2000})); });
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(thinned)->Arg(100'000'000)->Unit(benchmark::kMillisecond);

/// What windows and lags are measured against: the column copied, and sorted.
void copied_column(benchmark::State& state) {
  const Timeline timeline = level(static_cast<std::size_t>(state.range(0)));
  const auto values = timeline.values().column("level").numbers();
  std::vector<double> copy(values.size());
  for (auto _ : state) {
    std::memcpy(copy.data(), values.data(), values.size_bytes());
    benchmark::DoNotOptimize(copy.data());
    benchmark::ClobberMemory();
  }
}
BENCHMARK(copied_column)->Arg(judged_rows)->Arg(many)->Unit(benchmark::kMillisecond);

void sorted_column(benchmark::State& state) {
  const Timeline timeline = level(static_cast<std::size_t>(state.range(0)));
  const auto values = timeline.values().column("level").numbers();
  for (auto _ : state) {
    std::vector<double> copy(values.begin(), values.end());
    std::sort(copy.begin(), copy.end());
    benchmark::DoNotOptimize(copy.data());
  }
}
BENCHMARK(sorted_column)->Arg(judged_rows)->Arg(many)->Unit(benchmark::kMillisecond);

/// Two columns at irregular times, about a second apart.
const Timeline& irregular(std::size_t strands = 1) {
  static std::map<std::size_t, Timeline> made;
  const auto known = made.find(strands);
  if (known != made.end()) return known->second;
  Timeline::Parts parts = level(many, strands).parts();
  Buffer<Instant> times(parts.times.times());
  Buffer<double> other(many);
  std::mt19937 random(7);
  for (std::size_t i = 0; i < many; ++i) {
    times[i] += std::chrono::milliseconds(random() % 900);
    other[i] = static_cast<double>(random() % 900) / 100;
  }
  parts.times = Column::times(std::move(times));
  parts.values.add("flow", Column::numbers(std::move(other)));
  return made.emplace(strands, Timeline(std::move(parts))).first->second;
}

void rolled(benchmark::State& state, const Timeline& timeline, const Roll& options, int threads) {
  tbb::task_arena arena(threads);
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(roll(timeline, options)); });
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(timeline.rows()));
}

Take written(const char* text) {
  Take take;
  from_text(text, take);
  return take;
}

void roll_records(benchmark::State& state, const char* take) {
  rolled(state, irregular(), {.window = state.range(0), .take = {written(take)}}, 1);
}
#define ROLL(name, take)                      \
  BENCHMARK_CAPTURE(roll_records, name, take) \
      ->Arg(10)                               \
      ->Arg(1000)                             \
      ->Arg(100'000)                          \
      ->Unit(benchmark::kMillisecond)
ROLL(mean, "mean(level)");
ROLL(sum, "sum(level)");
ROLL(std, "std(level)");
ROLL(min, "min(level)");
ROLL(max, "max(level)");
ROLL(median, "median(level)");
ROLL(corr, "corr(level,flow)");

/// Windows of a period that hold about as many.
void roll_period(benchmark::State& state, const char* take) {
  rolled(state, irregular(),
         {.window = std::chrono::seconds(state.range(0)), .take = {written(take)}}, 1);
}
BENCHMARK_CAPTURE(roll_period, mean, "mean(level)")->Arg(1000)->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(roll_period, std, "std(level)")->Arg(1000)->Unit(benchmark::kMillisecond);

/// One strand, and ten thousand, on one thread and on two.
void roll_threads(benchmark::State& state, const char* take) {
  const auto strands = static_cast<std::size_t>(state.range(0));
  rolled(state, irregular(strands), {.window = 100, .take = {written(take)}},
         static_cast<int>(state.range(1)));
}
#define THREADS(name, take)                   \
  BENCHMARK_CAPTURE(roll_threads, name, take) \
      ->Args({1, 1})                          \
      ->Args({1, 2})                          \
      ->Args({10'000, 1})                     \
      ->Args({10'000, 2})                     \
      ->Unit(benchmark::kMillisecond)         \
      ->UseRealTime()
THREADS(mean, "mean(level)");
THREADS(median, "median(level)");

void roll_aged(benchmark::State& state, const char* take) {
  rolled(state, irregular(), {.take = {written(take)}}, 1);
}
BENCHMARK_CAPTURE(roll_aged, by_records, "ewma(level,0.94)")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(roll_aged, by_half_life, "ewma(level,1min)")->Unit(benchmark::kMillisecond);

void lagged(benchmark::State& state, const char* take) {
  tbb::task_arena arena(1);
  const Lag options{.take = {written(take)}};
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(lag(irregular(), options)); });
  }
}
BENCHMARK_CAPTURE(lagged, lag, "lag(level)")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(lagged, diff, "diff(level)")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(lagged, change, "change(level)")->Unit(benchmark::kMillisecond);

/// A tenth of the readings missing, one at a time, filled by lines; and bounds that change few.
void filled_linear(benchmark::State& state) {
  Timeline::Parts parts = level(many).parts();
  ValidityBuilder validity(many);
  for (std::size_t i = 5; i < many; i += 10) validity.set_missing(i);
  parts.values.replace(
      0, Column::numbers(Buffer<double>(parts.values.column("level").numbers()), validity.take()));
  const Timeline timeline(std::move(parts));
  tbb::task_arena arena(1);
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(fill(timeline, {})); });
  }
}
BENCHMARK(filled_linear)->Unit(benchmark::kMillisecond);

void clipped_bounds(benchmark::State& state) {
  const Timeline timeline = level(many);
  tbb::task_arena arena(1);
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(clip(timeline, {.by = Bounds{0.01, 4.99}})); });
  }
}
BENCHMARK(clipped_bounds)->Unit(benchmark::kMillisecond);

/// Clipping by windows of so many rows, on so many threads.
void clipped(benchmark::State& state, Clip::Rule rule) {
  const Timeline timeline = level(judged_rows);
  const Clip options{.by = rule, .window = state.range(0)};
  tbb::task_arena arena(static_cast<int>(state.range(1)));
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(clip(timeline, options)); });
  }
}
#define CLIPPED(name, ...)                      \
  BENCHMARK_CAPTURE(clipped, name, __VA_ARGS__) \
      ->Args({101, 1})                          \
      ->Args({10'001, 1})                       \
      ->Args({101, 2})                          \
      ->Unit(benchmark::kMillisecond)           \
      ->UseRealTime()
CLIPPED(spread, Spread{6});
CLIPPED(fences, Fences{3});
CLIPPED(quantiles, Quantiles{0.01, 0.99});
CLIPPED(deviations, Deviations{4});

/// Two columns, times a second apart in a zone whose clocks change.
const Timeline& two_columns() {
  static const Timeline timeline = [] {
    Timeline::Parts parts = level(many).parts();
    Buffer<double> other(many);
    std::mt19937 random(6);
    for (std::size_t i = 0; i < many; ++i) other[i] = static_cast<double>(random() % 900) / 100;
    parts.values.add("flow", Column::numbers(std::move(other)));
    return Timeline(std::move(parts));
  }();
  return timeline;
}

/// The plain loops that expressions are measured against: into a new column, or into bits.
void plain_weighted_sum(benchmark::State& state) {
  const auto x = two_columns().values().column("level").numbers();
  const auto y = two_columns().values().column("flow").numbers();
  const double a = 0.4, b = 0.6;
  for (auto _ : state) {
    Buffer<double> out(x.size());
    for (std::size_t i = 0; i < x.size(); ++i) out[i] = a * x[i] + b * y[i];
    benchmark::DoNotOptimize(out.data());
  }
}
BENCHMARK(plain_weighted_sum)->Unit(benchmark::kMillisecond);

void plain_condition(benchmark::State& state) {
  const auto x = two_columns().values().column("level").numbers();
  const auto y = two_columns().values().column("flow").numbers();
  for (auto _ : state) {
    Buffer<std::uint64_t> out((x.size() + 63) / 64, 0);
    for (std::size_t i = 0; i < x.size(); ++i) {
      out[i / 64] |= static_cast<std::uint64_t>((x[i] > 2.5) & (y[i] < 6)) << (i % 64);
    }
    benchmark::DoNotOptimize(out.data());
  }
}
BENCHMARK(plain_condition)->Unit(benchmark::kMillisecond);

void evaluated(benchmark::State& state, const char* text) {
  const Expression expression(text);
  const Timeline& timeline = two_columns();
  tbb::task_arena one(1);
  for (auto _ : state) {
    one.execute([&] { benchmark::DoNotOptimize(evaluate(expression, timeline)); });
  }
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(many));
}
BENCHMARK_CAPTURE(evaluated, weighted_sum, "0.4*level + 0.6*flow")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(evaluated, hour, "hour()")->Unit(benchmark::kMillisecond);
BENCHMARK_CAPTURE(evaluated, choice, "if(level > 2.5, flow, -flow)")->Unit(benchmark::kMillisecond);

void condition(benchmark::State& state) {
  const Expression expression("level > 2.5 and flow < 6");
  const Timeline& timeline = two_columns();
  tbb::task_arena one(1);
  for (auto _ : state) {
    one.execute([&] { benchmark::DoNotOptimize(rows_where(expression, timeline)); });
  }
}
BENCHMARK(condition)->Unit(benchmark::kMillisecond);

/// Two timelines of one column whose times lie in each other's steps at random.
struct Sides {
  Timeline left, right;

  explicit Sides(std::size_t strands)
      : left(level(many, strands).named("left")), right(moved(level(many, strands))) {}

  static Timeline moved(const Timeline& timeline) {
    Timeline::Parts parts = timeline.parts();
    Buffer<Instant> times(timeline.times());
    std::mt19937 random(7);
    for (Instant& t : times) t += Nanoseconds(random() % 900'000'000);
    parts.times = Column::times(std::move(times));
    parts.name = "right";
    return Timeline(std::move(parts));
  }
};
const Sides& sides(std::size_t strands) {
  static const Sides one(1), thousand(1000);
  return strands == 1 ? one : thousand;
}

/// Times and readings of both sides, copied.
void copied_sides(benchmark::State& state) {
  const Sides& both = sides(1);
  for (auto _ : state) {
    for (const Timeline* side : {&both.left, &both.right}) {
      Buffer<Instant> times(side->times());
      Buffer<double> values(side->values().columns()[0].numbers());
      benchmark::DoNotOptimize(times.data());
      benchmark::DoNotOptimize(values.data());
    }
  }
}
BENCHMARK(copied_sides)->Unit(benchmark::kMillisecond);

void joined(benchmark::State& state, Join::Match match, std::size_t strands, int threads) {
  const Sides& both = sides(strands);
  tbb::task_arena arena(threads);
  for (auto _ : state) {
    arena.execute([&] { benchmark::DoNotOptimize(join(both.left, both.right, {.match = match})); });
  }
}
#define JOINED(match)                                                      \
  BENCHMARK_CAPTURE(joined, match, Join::Match::match, 1, 1)               \
      ->Unit(benchmark::kMillisecond)                                      \
      ->UseRealTime();                                                     \
  BENCHMARK_CAPTURE(joined, match##_two_threads, Join::Match::match, 1, 2) \
      ->Unit(benchmark::kMillisecond)                                      \
      ->UseRealTime()
JOINED(previous);
JOINED(earlier);
JOINED(next);
JOINED(nearest);
JOINED(exact);
JOINED(linear);
BENCHMARK_CAPTURE(joined, strands, Join::Match::previous, 1000, 1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK_CAPTURE(joined, strands_two_threads, Join::Match::previous, 1000, 2)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();

}  // namespace

BENCHMARK_MAIN();
