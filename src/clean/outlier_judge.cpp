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
Judged judged_sorted(const Clip::Rule& rule, std::size_t n, At&& at) {
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
  const MedianSpread own = median_spread_at(n, at);
  return {around(own.median, std::get<Spread>(rule).k * normal_share * own.deviation),
          own.deviation};
}

Judged judged_moments(const Deviations& rule, const Moments& moments) {
  const double deviation = moments.count > 1 ? std::sqrt(moments.variance()) : 0;
  return {around(moments.mean, rule.k * deviation), deviation};
}

/// Puts the judges of one strand's rows.
class StrandJudge {
 public:
  StrandJudge(const Timeline& timeline, const Column& numbers, const Clip& options,
              OutlierJudges& out)
      : timeline_(timeline), numbers_(numbers), options_(options), out_(out) {}

  /// Readings that were not judged: of few, and without a spread.
  std::pair<std::int64_t, std::int64_t> operator()(const Strand& strand) {
    strand_ = &strand;
    of_few_ = without_spread_ = 0;
    if (options_.window) {
      by_windows();
    } else {
      by_whole();
    }
    return {of_few_, without_spread_};
  }

 private:
  bool there(std::size_t row) const { return numbers_.valid(row); }

  void put(std::size_t row, std::size_t n, const Judged& judged) {
    RowJudge& own = out_.rows[row];
    own = judged.judge;
    const bool few = static_cast<std::int64_t>(n) < options_.min_count;
    if (!few && judged.spread > 0) return;
    own = {not_judged, not_judged, not_judged};
    if (there(row)) ++(few ? of_few_ : without_spread_);
  }

  void by_whole() {
    std::vector<double> readings;
    for (std::size_t row = strand_->begin; row < strand_->end; ++row) {
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
      judged =
          judged_sorted(options_.by, readings.size(), [&](std::size_t k) { return readings[k]; });
    }
    // Bounds that are told judge whatever there is.
    const bool told = std::holds_alternative<Bounds>(options_.by) && !readings.empty();
    const std::size_t n = told ? static_cast<std::size_t>(options_.min_count) : readings.size();
    for (std::size_t row = strand_->begin; row < strand_->end; ++row) put(row, n, judged);
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

  void by_windows() {
    const auto times = timeline_.times().subspan(strand_->begin, strand_->size());
    const auto windows =
        window_rows(times, *options_.window, Place::centred, timeline_.zone(), 0, strand_->size());
    const auto values = numbers_.numbers().subspan(strand_->begin, strand_->size());
    const std::size_t begin = strand_->begin;
    if (const auto* deviations = std::get_if<Deviations>(&options_.by)) {
      slide<Moments>([&](std::size_t i) { return Moments::of(values[i]); },
                     [&](std::size_t i) { return there(begin + i); }, windows,
                     [&](std::size_t w, const Moments& moments) {
                       put(begin + w, static_cast<std::size_t>(moments.count),
                           judged_moments(*deviations, moments));
                     });
      return;
    }
    over_sorted_windows(values, numbers_.validity(), begin, windows,
                        [&](std::size_t w, std::size_t n, const auto& at) {
                          put(begin + w, n, n == 0 ? Judged{} : judged_sorted(options_.by, n, at));
                        });
  }

  const Timeline& timeline_;
  const Column& numbers_;
  const Clip& options_;
  OutlierJudges& out_;
  const Strand* strand_ = nullptr;
  std::int64_t of_few_ = 0, without_spread_ = 0;
};

}  // namespace

OutlierJudges judges_of(const Timeline& timeline, const Column& numbers, const Clip& options) {
  OutlierJudges out;
  out.rows.resize(timeline.rows());
  std::vector<std::pair<std::int64_t, std::int64_t>> unjudged(timeline.strands().size());
  tbb::parallel_for(std::size_t{0}, unjudged.size(), [&](std::size_t s) {
    StrandJudge judge(timeline, numbers, options, out);
    unjudged[s] = judge(timeline.strands()[s]);
  });
  for (const auto& [few, equal] : unjudged) {
    out.of_few += few;
    out.without_spread += equal;
  }
  return out;
}

}  // namespace zerobeat::detail
