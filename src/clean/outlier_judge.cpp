#include "clean/outlier_judge.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/parallel.hpp"
#include "kernel/order_statistics.hpp"
#include "kernel/window/dense_windows.hpp"
#include "kernel/window/parts.hpp"
#include "kernel/window/rows.hpp"
#include "kernel/window/sorted_windows.hpp"
#include "kernel/window/sums.hpp"
#include "take/definitions.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr double not_judged = std::numeric_limits<double>::quiet_NaN();
/// Of readings that spread normally, the median absolute deviation times this is a deviation.
constexpr double normal_share = 1.4826;

RowJudge around(double centre, double far) { return {centre - far, centre + far, centre}; }

/// What so many readings come to; `spread` is set to how far they lie apart.
struct Judged {
  RowJudge judge{};
  double spread = 0;
};

template <typename At>
Judged judged_sorted(const Clip::Rule& rule, std::size_t n, At&& at, std::size_t& hint) {
  if (const auto* shares = std::get_if<Quantiles>(&rule)) {
    // Equal quantiles are bounds all the same.
    return {{quantile_at(n, shares->low, at), quantile_at(n, shares->high, at),
             quantile_at(n, 0.5, at)},
            1};
  }
  if (const auto* fences = std::get_if<Fences>(&rule)) {
    const double first = quantile_at(n, 0.25, at), third = quantile_at(n, 0.75, at);
    const double beyond = fences->k * (third - first);
    return {{first - beyond, third + beyond, quantile_at(n, 0.5, at)}, third - first};
  }
  const MedianSpread spread = median_spread_at(n, at, hint);
  return {around(spread.median, std::get<Spread>(rule).k * normal_share * spread.deviation),
          spread.deviation};
}

Judged judged_moments(const Deviations& rule, const Moments& moments) {
  const double deviation = moments.count > 1 ? std::sqrt(moments.variance()) : 0;
  return {around(moments.mean, rule.k * deviation), deviation};
}

/// What one part of a strand came to.
struct PartFound {
  std::vector<Outlier> outliers{};
  std::int64_t of_few = 0, without_spread = 0;
};

/// Judges the rows of one part of a strand, and finds the outliers among them.
class PartJudge {
 public:
  PartJudge(const Timeline& timeline, const Column& numbers, const Clip& options,
            const WindowPart& part, OutlierJudges& out)
      : timeline_(timeline),
        numbers_(numbers),
        options_(options),
        part_(part),
        strand_(timeline.strands()[part.strand]),
        out_(out) {}

  /// By what the whole strand came to: `n` readings.
  PartFound by_whole(std::size_t n, const Judged& judged) {
    const std::size_t until = strand_.begin + part_.until;
    const bool judges = static_cast<std::int64_t>(n) >= options_.min_count && judged.spread > 0;
    constexpr std::size_t block = 64;
    for (std::size_t row = strand_.begin + part_.from; row < until; row += block) {
      const std::size_t end = std::min(until, row + block);
      // Where nothing lies outside there is nothing to put.
      if (judges && out_.low.empty() && !any_outside(row, end, judged.judge)) continue;
      for (std::size_t i = row; i < end; ++i) put(i, n, judged);
    }
    return std::move(found_);
  }

  PartFound by_windows() {
    const auto values = numbers_.numbers().subspan(strand_.begin, strand_.size());
    const auto windows =
        window_rows(timeline_.times().subspan(strand_.begin, strand_.size()), *options_.window,
                    Place::centred, timeline_.zone(), part_.from, part_.until);
    over_ascending(windows.span(), [&](std::size_t from, std::size_t until) {
      by_run(values, windows.span().subspan(from, until - from), strand_.begin + part_.from + from);
    });
    return std::move(found_);
  }

 private:
  bool any_outside(std::size_t from, std::size_t until, const RowJudge& judge) const {
    const double* const values = numbers_.numbers().data();
    int outside = 0;
    for (std::size_t i = from; i < until; ++i) {
      outside |= (values[i] < judge.low) | (values[i] > judge.high);
    }
    return outside != 0;
  }

  /// Windows that move ahead only, the first that of `row`.
  void by_run(std::span<const double> values, std::span<const RowRange> windows, std::size_t row) {
    if (const auto* deviations = std::get_if<Deviations>(&options_.by)) {
      const DenseWindows dense(numbers_.validity(), strand_.begin, strand_.size(), windows);
      Buffer<double> room, means(windows.size()), squares(windows.size());
      const auto stretches = dense.dense(stretches_of(windows));
      window_moments(dense.of(values, room), {dense.windows(), stretches}, means.data(),
                     squares.data());
      for (std::size_t w = 0; w < windows.size(); ++w) {
        const std::size_t n = dense.count(w);
        put(row + w, n,
            n == 0 ? Judged{}
                   : judged_moments(*deviations, {static_cast<double>(n), means[w], squares[w]}));
      }
      return;
    }
    std::size_t hint = 0;  // where the last window's deviations met
    over_sorted_windows(values, numbers_.validity(), strand_.begin, windows,
                        [&](std::size_t w, std::size_t n, const auto& at) {
                          put(row + w, n,
                              n == 0 ? Judged{} : judged_sorted(options_.by, n, at, hint));
                        });
  }

  void put(std::size_t row, std::size_t n, const Judged& judged) {
    const bool few = static_cast<std::int64_t>(n) < options_.min_count;
    const bool judges = !few && judged.spread > 0;
    if (!out_.low.empty()) {
      out_.low[row] = judges ? judged.judge.low : not_judged;
      out_.high[row] = judges ? judged.judge.high : not_judged;
    }
    if (judges) {
      const double value = numbers_.numbers()[row];
      const bool outside = (value < judged.judge.low) | (value > judged.judge.high);
      if (outside && numbers_.valid(row)) found_.outliers.push_back({row, judged.judge});
    } else if (numbers_.valid(row)) {
      ++(few ? found_.of_few : found_.without_spread);
    }
  }

  const Timeline& timeline_;
  const Column& numbers_;
  const Clip& options_;
  const WindowPart& part_;
  const Strand& strand_;
  OutlierJudges& out_;
  PartFound found_{};
};

Moments moments_of(const std::vector<double>& readings) {
  // The mean first, so that squares are of deviations.
  Moments out;
  out.count = static_cast<double>(readings.size());
  CompensatedSum sum;
  for (const double x : readings) sum.add(x);
  out.mean = sum.mean(out.count);
  for (const double x : readings) out.squares += (x - out.mean) * (x - out.mean);
  return out;
}

/// What judges a whole strand, and how many readings it is of.
struct WholeJudge {
  std::size_t n = 0;
  Judged judged{};
};

WholeJudge whole_judge(const Column& numbers, const Strand& strand, const Clip& options) {
  const auto* bounds = std::get_if<Bounds>(&options.by);
  // Bounds that are told judge whatever there is.
  const auto enough = static_cast<std::size_t>(options.min_count);
  if (bounds != nullptr && options.put != Clip::Put::level) {
    return {enough, {{bounds->low, bounds->high, 0}, 1}};
  }
  std::vector<double> readings;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (numbers.valid(row)) readings.push_back(numbers.numbers()[row]);
  }
  if (readings.empty()) return {};
  const std::size_t n = readings.size();
  if (bounds != nullptr) {
    return {enough, {{bounds->low, bounds->high, quantile_of(readings, 0.5)}, 1}};
  }
  if (const auto* deviations = std::get_if<Deviations>(&options.by)) {
    return {n, judged_moments(*deviations, moments_of(readings))};
  }
  if (const auto* spread = std::get_if<Spread>(&options.by)) {
    const MedianSpread median_spread = median_spread_of(readings);
    return {n,
            {around(median_spread.median, spread->k * normal_share * median_spread.deviation),
             median_spread.deviation}};
  }
  std::ranges::sort(readings);
  std::size_t hint = 0;
  return {n, judged_sorted(
                 options.by, n, [&](std::size_t k) { return readings[k]; }, hint)};
}

}  // namespace

OutlierJudges judges_of(const Timeline& timeline, const Column& numbers, const Clip& options) {
  OutlierJudges out;
  if (options.band) {
    out.low.resize(timeline.rows());
    out.high.resize(timeline.rows());
  }
  std::vector<WholeJudge> whole;
  if (!options.window) {
    whole.resize(timeline.strands().size());
    detail::parallel_for(std::size_t{0}, whole.size(), [&](std::size_t s) {
      whole[s] = whole_judge(numbers, timeline.strands()[s], options);
    });
  }
  std::vector<Extent> windows;
  if (options.window) windows.push_back(*options.window);
  const auto parts = window_parts(timeline, windows);
  std::vector<PartFound> found(parts.size());
  detail::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
    PartJudge judge(timeline, numbers, options, parts[p], out);
    const std::size_t s = parts[p].strand;
    found[p] = options.window ? judge.by_windows() : judge.by_whole(whole[s].n, whole[s].judged);
  });
  for (const PartFound& part : found) {
    out.outliers.insert(out.outliers.end(), part.outliers.begin(), part.outliers.end());
    out.of_few += part.of_few;
    out.without_spread += part.without_spread;
  }
  return out;
}

}  // namespace zerobeat::detail
