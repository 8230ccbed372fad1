#include "clean/gap_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <zerobeat/time/grid.hpp>

#include "kernel/order_statistics.hpp"
#include "kernel/window/dense_windows.hpp"
#include "kernel/window/quantiles.hpp"
#include "kernel/window/sums.hpp"
#include "take/definitions.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// A reading of a curve: those of one instant as their mean.
struct Knot {
  double t = 0;  ///< seconds since the first
  double x = 0;  ///< above the first reading, so that large levels lose no digits
};

struct Knots {
  std::vector<Knot> all{};
  Instant zero{};
  double base = 0;
};

Knots knots_of(const GapStrand& strand) {
  Knots knots;
  std::size_t i = 0;
  while (i < strand.size() && !strand.valid(i)) ++i;
  if (i == strand.size()) return knots;
  knots.zero = strand.time(i);
  knots.base = strand.value(i);
  while (i < strand.size()) {
    const Instant at = strand.time(i);
    double sum = 0, n = 0;
    for (; i < strand.size() && strand.time(i) == at; ++i) {
      if (!strand.valid(i)) continue;
      sum += strand.value(i) - knots.base;
      ++n;
    }
    if (n > 0) knots.all.push_back({seconds_between(knots.zero, at), sum / n});
  }
  return knots;
}

/// Fritsch and Butland (1984): at an inner knot the harmonic mean of the slopes beside it, weighted
/// by their lengths, 0 when they differ in sign; at an end the three-point formula, kept in shape.
std::vector<double> monotone_slopes(const std::vector<Knot>& knots) {
  const std::size_t n = knots.size();
  std::vector<double> slopes(n, 0), steps(n - 1), lengths(n - 1);
  for (std::size_t i = 0; i + 1 < n; ++i) {
    lengths[i] = knots[i + 1].t - knots[i].t;
    steps[i] = (knots[i + 1].x - knots[i].x) / lengths[i];
  }
  if (n == 2) return {steps[0], steps[0]};
  const auto at_end = [](double h1, double h2, double d1, double d2) {
    const double slope = ((2 * h1 + h2) * d1 - h1 * d2) / (h1 + h2);
    if (slope * d1 <= 0) return 0.0;
    if (d1 * d2 < 0 && std::fabs(slope) > 3 * std::fabs(d1)) return 3 * d1;
    return slope;
  };
  slopes[0] = at_end(lengths[0], lengths[1], steps[0], steps[1]);
  slopes[n - 1] = at_end(lengths[n - 2], lengths[n - 3], steps[n - 2], steps[n - 3]);
  for (std::size_t i = 1; i + 1 < n; ++i) {
    const double d1 = steps[i - 1], d2 = steps[i];
    if (!(d1 * d2 > 0)) continue;
    const double w1 = 2 * lengths[i] + lengths[i - 1], w2 = lengths[i] + 2 * lengths[i - 1];
    slopes[i] = (w1 + w2) / (w1 / d1 + w2 / d2);
  }
  return slopes;
}

/// The slopes of the natural cubic spline, whose second derivative is 0 at both ends: a system of
/// three diagonals, by elimination.
std::vector<double> spline_slopes(const std::vector<Knot>& knots) {
  const std::size_t n = knots.size();
  std::vector<double> diagonal(n), right(n), slopes(n);
  const auto length = [&](std::size_t i) { return knots[i + 1].t - knots[i].t; };
  const auto step = [&](std::size_t i) { return (knots[i + 1].x - knots[i].x) / length(i); };
  // 2 s0 + s1 = 3 d0; s(i-1)/h(i-1) + 2 (1/h(i-1) + 1/h(i)) s(i) + s(i+1)/h(i) = 3 (d/h + d/h).
  diagonal[0] = 2;
  right[0] = 3 * step(0);
  double above = 1;
  for (std::size_t i = 1; i < n; ++i) {
    const bool last = i + 1 == n;
    const double below = last ? 1 : 1 / length(i - 1);
    const double x = last ? 2 : 2 * (1 / length(i - 1) + 1 / length(i));
    const double value =
        last ? 3 * step(n - 2) : 3 * (step(i - 1) / length(i - 1) + step(i) / length(i));
    const double factor = below / diagonal[i - 1];
    diagonal[i] = x - factor * above;
    right[i] = value - factor * right[i - 1];
    above = last ? 0 : 1 / length(i);
  }
  slopes[n - 1] = right[n - 1] / diagonal[n - 1];
  for (std::size_t i = n - 1; i-- > 0;) {
    const double beside = i == 0 ? 1 : 1 / length(i);
    slopes[i] = (right[i] - beside * slopes[i + 1]) / diagonal[i];
  }
  return slopes;
}

/// Hermite's cubic between two knots.
double cubic(const Knot& a, const Knot& b, double slope_a, double slope_b, double t) {
  const double h = b.t - a.t, s = (t - a.t) / h;
  const double s2 = s * s, s3 = s2 * s;
  return (2 * s3 - 3 * s2 + 1) * a.x + (s3 - 2 * s2 + s) * h * slope_a + (3 * s2 - 2 * s3) * b.x +
         (s3 - s2) * h * slope_b;
}

/// Values along a curve at the missing rows between a strand's first and last knot.
std::vector<double> along(const GapStrand& strand, const Knots& knots,
                          const std::vector<double>& slopes) {
  std::vector<double> values(strand.size(), no_filling);
  std::size_t at = 0;
  for (std::size_t i = 0; i < strand.size(); ++i) {
    if (strand.valid(i)) continue;
    const double t = seconds_between(knots.zero, strand.time(i));
    if (t < knots.all.front().t || t > knots.all.back().t) continue;
    while (at + 2 < knots.all.size() && knots.all[at + 1].t < t) ++at;
    values[i] = knots.base + cubic(knots.all[at], knots.all[at + 1], slopes[at], slopes[at + 1], t);
  }
  return values;
}

std::vector<double> by_curve(const GapStrand& strand, Fill::How how) {
  const Knots knots = knots_of(strand);
  if (knots.all.size() < 2) {
    std::vector<double> values(strand.size(), no_filling);
    // Of one instant alone, rows of that very instant.
    for (std::size_t i = 0; i < values.size() && !knots.all.empty(); ++i) {
      if (!strand.valid(i) && strand.time(i) == knots.zero) {
        values[i] = knots.base + knots.all[0].x;
      }
    }
    return values;
  }
  return along(strand, knots,
               how == Fill::How::monotone ? monotone_slopes(knots.all) : spline_slopes(knots.all));
}

/// Lines between the last reading before a gap and the first after it.
template <typename Value>
std::vector<double> by_lines(const GapStrand& strand, Value&& value) {
  std::vector<double> values(strand.size(), no_filling);
  std::optional<std::size_t> before;
  for (std::size_t i = 0; i < strand.size();) {
    if (strand.valid(i)) {
      before = i++;
      continue;
    }
    std::size_t after = i;
    while (after < strand.size() && !strand.valid(after)) ++after;
    if (before && after < strand.size()) {
      const double a = value(*before), b = value(after);
      const double whole = seconds_between(strand.time(*before), strand.time(after));
      for (; i < after; ++i) {
        const double part = seconds_between(strand.time(*before), strand.time(i));
        const double share = whole > 0 ? part / whole : 0;
        values[i] = a == b ? a : a * (1 - share) + b * share;
      }
    }
    i = after;
  }
  return values;
}

struct MeanState {
  CompensatedSum sum{};
  double n = 0;
  void merge(const MeanState& other) {
    sum.merge(other.sum);
    n += other.n;
  }
};

std::vector<double> by_window(const GapStrand& strand, const Fill& options, Fill::How how) {
  std::vector<double> values(strand.size(), no_filling);
  const auto put = [&](std::size_t i, double value) {
    if (!strand.valid(i)) values[i] = value;
  };
  if (!options.window) {
    std::vector<double> readings;
    for (std::size_t i = 0; i < strand.size(); ++i) {
      if (strand.valid(i)) readings.push_back(strand.value(i));
    }
    if (readings.empty()) return values;
    double whole = 0;
    if (how == Fill::How::median) {
      whole = quantile_of(readings, 0.5);
    } else {
      CompensatedSum sum;
      for (const double x : readings) sum.add(x);
      whole = sum.mean(static_cast<double>(readings.size()));
    }
    for (std::size_t i = 0; i < strand.size(); ++i) put(i, whole);
    return values;
  }
  const auto windows = window_rows(strand.times(), *options.window, Place::centred,
                                   strand.timeline->zone(), 0, strand.size());
  const auto all = strand.numbers->numbers().subspan(strand.strand.begin, strand.size());
  over_ascending(windows.span(), [&](std::size_t from, std::size_t until) {
    const auto run = windows.span().subspan(from, until - from);
    const DenseWindows dense(strand.numbers->validity(), strand.strand.begin, strand.size(), run);
    Buffer<double> room, middles(run.size());
    const auto readings = dense.of(all, room);
    if (how == Fill::How::mean) {
      const auto stretches = dense.dense(stretches_of(run));
      window_means(readings, {dense.windows(), stretches}, middles.data());
    } else {
      window_quantiles(readings, dense.windows(), 0.5, middles.data());
    }
    for (std::size_t i = 0; i < run.size(); ++i) {
      if (dense.count(i) > 0) put(from + i, middles[i]);
    }
  });
  return values;
}

/// The phase of each row, in typical steps since the start of its period by the clock on the wall.
std::vector<std::int64_t> phases_of(const GapStrand& strand, const Period& period) {
  const auto step = typical_step(strand.times());
  const Zone& zone = strand.timeline->zone();
  const Grid grid(period, {.zone = zone});
  const auto on_wall = [&](Instant from, Instant to) {
    if (period.is_fixed()) return Wide(nanoseconds_of(to)) - nanoseconds_of(from);
    return Wide((zone.local_of(to) - zone.local_of(from)).count());
  };
  const Wide unit = step ? step->count() : 1;
  std::vector<std::int64_t> phases(strand.size());
  for (std::size_t i = 0; i < phases.size(); ++i) {
    const std::int64_t n = grid.index_of(strand.time(i));
    const Wide since = on_wall(grid.edge(n), strand.time(i));
    const Wide whole = on_wall(grid.edge(n), grid.edge(n + 1));
    const Wide phase = (2 * since + unit) / (2 * unit);
    phases[i] = phase * unit >= whole ? 0 : static_cast<std::int64_t>(phase);
  }
  return phases;
}

GapValues by_season(const GapStrand& strand, const Period& period) {
  GapValues out;
  out.values.assign(strand.size(), no_filling);
  const auto phases = phases_of(strand, period);
  std::map<std::int64_t, MeanState> seen;
  for (std::size_t i = 0; i < strand.size(); ++i) {
    if (strand.valid(i)) {
      seen[phases[i]].merge({CompensatedSum::of(strand.value(i)), 1});
    }
  }
  if (seen.empty()) return out;
  CompensatedSum all;
  for (const auto& [phase, state] : seen) all.add(state.sum.mean(state.n));
  const double middle = all.mean(static_cast<double>(seen.size()));
  std::map<std::int64_t, double> season;
  for (const auto& [phase, state] : seen) season[phase] = state.sum.mean(state.n) - middle;

  const auto left = [&](std::size_t i) { return strand.value(i) - season.at(phases[i]); };
  out.values = by_lines(strand, left);
  std::size_t first = 0, last = strand.size();
  while (!strand.valid(first)) ++first;
  while (!strand.valid(last - 1)) --last;
  out.held_before.assign(strand.size(), no_filling);
  out.held_after = out.held_before;
  std::int64_t unseen = 0;
  for (std::size_t i = 0; i < strand.size(); ++i) {
    if (strand.valid(i)) continue;
    const auto own = season.find(phases[i]);
    if (own == season.end()) {
      ++unseen;
      out.values[i] = no_filling;
      continue;
    }
    if (i < first) out.held_before[i] = left(first) + own->second;
    if (i >= last) out.held_after[i] = left(last - 1) + own->second;
    out.values[i] += own->second;
  }
  if (unseen > 0) {
    out.note = fmt::format("{} rows are of a phase without readings, and stay open", unseen);
  }
  return out;
}

GapValues by_like(const GapStrand& strand, const Column& like) {
  GapValues out;
  out.values.assign(strand.size(), no_filling);
  const auto there = [&](std::size_t i) {
    return like.valid(strand.strand.begin + i) &&
           std::isfinite(like.numbers()[strand.strand.begin + i]);
  };
  const auto other = [&](std::size_t i) { return like.numbers()[strand.strand.begin + i]; };
  CompensatedSum x, y;
  double n = 0;
  for (std::size_t i = 0; i < strand.size(); ++i) {
    if (!strand.valid(i) || !there(i)) continue;
    ++n;
    x.add(other(i));
    y.add(strand.value(i));
  }
  if (n < 3) {
    out.note = "fewer than 3 rows have both, and it stays open";
    return out;
  }
  const double mean_x = x.mean(n), mean_y = y.mean(n);
  double xx = 0, xy = 0, largest = 0;
  for (std::size_t i = 0; i < strand.size(); ++i) {
    if (!strand.valid(i) || !there(i)) continue;
    const double dx = other(i) - mean_x;
    xx += dx * dx;
    xy += dx * (strand.value(i) - mean_y);
    largest = std::max(largest, std::fabs(other(i)));
  }
  // Of equal ones rounding may leave a trace.
  if (!(xx > n * largest * largest * 1e-30)) {
    out.note = "the other column is constant there, and it stays open";
    return out;
  }
  const double slope = xy / xx;
  for (std::size_t i = 0; i < strand.size(); ++i) {
    if (!strand.valid(i) && there(i)) out.values[i] = mean_y + slope * (other(i) - mean_x);
  }
  return out;
}

}  // namespace

GapValues gap_values(const GapStrand& strand, const Fill& options, const Fill::Method& how,
                     const Column* like) {
  if (const auto* constant = std::get_if<Fill::Constant>(&how)) {
    GapValues out;
    out.values.assign(strand.size(), no_filling);
    for (std::size_t i = 0; i < strand.size(); ++i) {
      if (!strand.valid(i)) out.values[i] = constant->value;
    }
    return out;
  }
  if (const auto* seasonal = std::get_if<Fill::Seasonal>(&how)) {
    return by_season(strand, seasonal->period);
  }
  if (std::holds_alternative<Fill::Like>(how)) return by_like(strand, *like);
  GapValues out;
  switch (std::get<Fill::How>(how)) {
    case Fill::How::monotone:
    case Fill::How::spline:
      out.values = by_curve(strand, std::get<Fill::How>(how));
      break;
    case Fill::How::mean:
    case Fill::How::median:
      out.values = by_window(strand, options, std::get<Fill::How>(how));
      break;
    default:  // lines are drawn where they are put
      break;
  }
  return out;
}

}  // namespace zerobeat::detail
