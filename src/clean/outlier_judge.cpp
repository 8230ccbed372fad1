#include "clean/outlier_judge.hpp"

#include <tbb/parallel_for.h>

#include <cmath>
#include <limits>

#include "take/merging.hpp"
#include "take/order_statistics.hpp"
#include "take/sliding.hpp"
#include "take/sorted_windows.hpp"
#include "take/window_rows.hpp"

namespace zerobeat::detail {

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
  const MedianSpread own = median_spread_at(n, at, hint);
  return {around(own.median, std::get<Spread>(rule).k * normal_share * own.deviation),
          own.deviation};
}

Judged judged_moments(const Deviations& rule, const Moments& moments) {
  const double deviation = moments.count > 1 ? std::sqrt(moments.variance()) : 0;
  return {around(moments.mean, rule.k * deviation), deviation};
}

/// Readings that were not judged: of few, and without a spread.
struct Unjudged {
  std::int64_t of_few = 0, without_spread = 0;
};

/// Puts the judges of one strand's rows.
class StrandJudge {
 public:
  StrandJudge(const Timeline& timeline, const Column& numbers, const Clip& options,
              const Strand& strand, OutlierJudges& out)
      : timeline_(timeline), numbers_(numbers), options_(options), strand_(strand), out_(out) {}

  Unjudged operator()() { return options_.window ? by_windows() : by_whole(); }

 private:
  bool there(std::size_t row) const { return numbers_.valid(row); }

  void put(std::size_t row, std::size_t n, const Judged& judged, Unjudged& unjudged) const {
    RowJudge& own = out_.rows[row];
    own = judged.judge;
    const bool few = static_cast<std::int64_t>(n) < options_.min_count;
    if (!few && judged.spread > 0) return;
    own = {not_judged, not_judged, not_judged};
    if (there(row)) ++(few ? unjudged.of_few : unjudged.without_spread);
  }

  Unjudged by_whole() const {
    std::vector<double> readings;
    for (std::size_t row = strand_.begin; row < strand_.end; ++row) {
      if (there(row)) readings.push_back(numbers_.numbers()[row]);
    }
    Judged judged;
    if (readings.empty()) {
      judged = {};
    } else if (const auto* bounds = std::get_if<Bounds>(&options_.by)) {
      judged = {{bounds->low, bounds->high, quantile_of(readings, 0.5)}, 1};
    } else if (const auto* deviations = std::get_if<Deviations>(&options_.by)) {
      judged = judged_moments(*deviations, moments_of(readings));
    } else if (const auto* spread = std::get_if<Spread>(&options_.by)) {
      const MedianSpread own = median_spread_of(readings);
      judged = {around(own.median, spread->k * normal_share * own.deviation), own.deviation};
    } else {
      std::ranges::sort(readings);
      std::size_t hint = 0;
      judged = judged_sorted(
          options_.by, readings.size(), [&](std::size_t k) { return readings[k]; }, hint);
    }
    // Bounds that are told judge whatever there is.
    const bool told = std::holds_alternative<Bounds>(options_.by) && !readings.empty();
    const std::size_t n = told ? static_cast<std::size_t>(options_.min_count) : readings.size();
    Unjudged unjudged;
    for (std::size_t row = strand_.begin; row < strand_.end; ++row) {
      put(row, n, judged, unjudged);
    }
    return unjudged;
  }

  static Moments moments_of(const std::vector<double>& readings) {
    // The mean first, so that squares are of deviations.
    Moments out;
    out.count = static_cast<double>(readings.size());
    CompensatedSum sum;
    for (const double x : readings) sum.add(x);
    out.mean = sum.mean(out.count);
    for (const double x : readings) out.squares += (x - out.mean) * (x - out.mean);
    return out;
  }

  /// Stretches of windows side by side, the same for any number of threads; each begins anew.
  Unjudged by_windows() const {
    const auto windows =
        window_rows(timeline_.times().subspan(strand_.begin, strand_.size()), *options_.window,
                    Place::centred, timeline_.zone(), 0, strand_.size());
    std::size_t longest = 1 << 14;
    for (const RowRange& window : windows) {
      longest = std::max<std::size_t>(longest, 4 * (window.end - window.begin));
    }
    std::vector<Unjudged> parts((windows.size() + longest - 1) / longest);
    tbb::parallel_for(std::size_t{0}, parts.size(), [&](std::size_t p) {
      const std::size_t from = p * longest, size = std::min(longest, windows.size() - from);
      parts[p] = by_stretch(std::span(windows).subspan(from, size), strand_.begin + from);
    });
    Unjudged all;
    for (const Unjudged& part : parts) {
      all.of_few += part.of_few;
      all.without_spread += part.without_spread;
    }
    return all;
  }

  /// The windows of the rows from `row` on.
  Unjudged by_stretch(std::span<const RowRange> windows, std::size_t row) const {
    const auto values = numbers_.numbers().subspan(strand_.begin, strand_.size());
    Unjudged unjudged;
    if (const auto* deviations = std::get_if<Deviations>(&options_.by)) {
      slide<Moments>([&](std::size_t i) { return Moments::of(values[i]); },
                     [&](std::size_t i) { return there(strand_.begin + i); }, windows,
                     [&](std::size_t w, const Moments& moments) {
                       put(row + w, static_cast<std::size_t>(moments.count),
                           judged_moments(*deviations, moments), unjudged);
                     });
      return unjudged;
    }
    std::size_t hint = 0;  // where the last window's deviations met
    over_sorted_windows(
        values, numbers_.validity(), strand_.begin, windows,
        [&](std::size_t w, std::size_t n, const auto& at) {
          put(row + w, n, n == 0 ? Judged{} : judged_sorted(options_.by, n, at, hint), unjudged);
        });
    return unjudged;
  }

  const Timeline& timeline_;
  const Column& numbers_;
  const Clip& options_;
  const Strand& strand_;
  OutlierJudges& out_;
};

}  // namespace

OutlierJudges judges_of(const Timeline& timeline, const Column& numbers, const Clip& options) {
  OutlierJudges out;
  out.rows.resize(timeline.rows());
  std::vector<Unjudged> unjudged(timeline.strands().size());
  tbb::parallel_for(std::size_t{0}, unjudged.size(), [&](std::size_t s) {
    unjudged[s] = StrandJudge(timeline, numbers, options, timeline.strands()[s], out)();
  });
  for (const Unjudged& own : unjudged) {
    out.of_few += own.of_few;
    out.without_spread += own.without_spread;
  }
  return out;
}

}  // namespace zerobeat::detail
