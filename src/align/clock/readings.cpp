#include "align/clock/readings.hpp"

#include <algorithm>
#include <cmath>
#include <zerobeat/table/timeline.hpp>

#include "kernel/order_statistics.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

double median_around(const std::vector<double>& values, std::size_t i) {
  const std::size_t from = std::min(i < 2 ? 0 : i - 2, values.size() - 5);
  double a = values[from], b = values[from + 1], c = values[from + 2], d = values[from + 3],
         e = values[from + 4];
  // The least and the greatest of four can't be it (a network of compare and exchange).
  const auto order = [](double& x, double& y) {
    const double less = std::min(x, y);
    y = std::max(x, y);
    x = less;
  };
  order(a, b);
  order(c, d);
  order(a, c);
  order(b, d);
  order(b, c);
  return std::max(b, std::min(c, e));
}

void leave_spikes_out(ClockReadings& readings) {
  const std::size_t n = readings.size();
  if (n < 5) return;
  std::vector<double> off(n);
  for (std::size_t i = 0; i < n; ++i) {
    off[i] = std::fabs(readings.values[i] - median_around(readings.values, i));
  }
  std::vector<double> sizes = off, values = readings.values;
  const double usual = quantile_of(sizes, 0.5), spread = median_spread_of(values).deviation;
  const double most = 1.4826 * std::max(10 * usual, 3 * spread);
  if (!(most > 0)) return;
  std::size_t kept = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (off[i] > most) continue;
    readings.at[kept] = readings.at[i];
    readings.values[kept++] = readings.values[i];
  }
  readings.spikes = static_cast<std::int64_t>(n - kept);
  readings.at.resize(kept);
  readings.values.resize(kept);
}

}  // namespace

ClockReadings clock_readings(std::span<const Instant> times, const Column& numbers,
                             std::size_t begin, std::size_t end, Instant zero, bool once) {
  ClockReadings out;
  std::vector<Instant> kept;
  const auto values = numbers.numbers();
  for (std::size_t i = begin; i < end; ++i) {
    if (!numbers.valid(i) || !std::isfinite(values[i])) continue;
    kept.push_back(times[i]);
    out.at.push_back(seconds_between(zero, times[i]));
    out.values.push_back(values[i]);
  }
  const auto step = typical_step(kept);
  out.step = step ? std::chrono::duration<double>(*step).count() : 0;
  leave_spikes_out(out);
  if (!once) return out;
  std::size_t last = 0;
  for (std::size_t i = 0; i < out.size();) {
    double sum = 0;
    const std::size_t first = i;
    for (; i < out.size() && out.at[i] == out.at[first]; ++i) sum += out.values[i];
    out.at[last] = out.at[first];
    out.values[last++] = sum / static_cast<double>(i - first);
  }
  out.at.resize(last);
  out.values.resize(last);
  return out;
}

ClockReadings between(const ClockReadings& readings, double from, double to) {
  const auto begin = std::ranges::lower_bound(readings.at, from) - readings.at.begin();
  const auto end = std::ranges::upper_bound(readings.at, to) - readings.at.begin();
  ClockReadings out;
  out.step = readings.step;
  if (begin >= end) return out;
  out.at.assign(readings.at.begin() + begin, readings.at.begin() + end);
  out.values.assign(readings.values.begin() + begin, readings.values.begin() + end);
  return out;
}

ClockReadings standardised(const ClockReadings& readings) {
  ClockReadings out = readings;
  const auto n = static_cast<double>(out.size());
  double mean = 0, squares = 0;
  for (const double x : out.values) mean += x / n;
  for (double& x : out.values) {
    x -= mean;
    squares += x * x / n;
  }
  if (squares > 0) {
    for (double& x : out.values) x /= std::sqrt(squares);
  }
  return out;
}

}  // namespace zerobeat::detail
