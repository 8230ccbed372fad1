#include "align/clock/lag_peaks.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <complex>
#include <limits>
#include <unsupported/Eigen/FFT>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_peaks = 12;

/// Takes the moving mean over so many points off, missing points passed over; those become 0.
void take_off_slow(std::vector<double>& values, std::size_t stretch) {
  const std::size_t n = values.size(), half = stretch / 2;
  std::vector<double> sums(n + 1, 0), counts(n + 1, 0);
  for (std::size_t i = 0; i < n; ++i) {
    const bool there = !std::isnan(values[i]);
    sums[i + 1] = sums[i] + (there ? values[i] : 0);
    counts[i + 1] = counts[i] + (there ? 1 : 0);
  }
  for (std::size_t i = 0; i < n; ++i) {
    if (std::isnan(values[i])) {
      values[i] = 0;
      continue;
    }
    const std::size_t from = i > half ? i - half : 0, to = std::min(n, i + half + 1);
    values[i] -= (sums[to] - sums[from]) / (counts[to] - counts[from]);
  }
}

std::vector<double> shape_of(const ClockReadings& readings, const LineGrid& grid, double slow_s) {
  const SmoothLine line(readings, std::max(2.5 * readings.step, 2 * grid.step), grid);
  std::vector<double> values(line.values().begin(), line.values().end());
  take_off_slow(values, static_cast<std::size_t>(slow_s / grid.step) + 1);
  return values;
}

double energy(const std::vector<double>& values) {
  double sum = 0;
  for (const double x : values) sum += x * x;
  return sum;
}

/// The correlation of windows of one series with another, at lags from -most to most.
class WindowLags {
 public:
  WindowLags(const std::vector<double>& reference, const std::vector<double>& other,
             std::size_t most)
      : reference_(reference),
        other_(other),
        most_(most),
        window_(std::clamp(other.size() / 32, std::max<std::size_t>(most, 64),
                           std::max<std::size_t>(other.size(), 64))),
        size_(std::bit_ceil(window_ + 2 * most)) {}

  std::size_t windows() const { return (other_.size() + window_ - 1) / window_; }
  double middle(std::size_t w) const {
    const std::size_t from = w * window_, to = std::min(other_.size(), from + window_);
    return 0.5 * static_cast<double>(from + to - 1);
  }

  /// Element l is of lag l - most: Σ other[k] · reference[k - lag].
  std::vector<double> operator()(std::size_t w) const {
    const std::size_t from = w * window_, to = std::min(other_.size(), from + window_);
    std::vector<double> own(size_, 0), around(size_, 0);
    std::copy(other_.begin() + static_cast<std::ptrdiff_t>(from),
              other_.begin() + static_cast<std::ptrdiff_t>(to), own.begin());
    for (std::size_t i = 0; i < to - from + 2 * most_; ++i) {
      const std::size_t k = from + i;  // place in the reference, plus most_
      if (k >= most_ && k - most_ < reference_.size()) around[i] = reference_[k - most_];
    }
    Eigen::FFT<double> fft;
    std::vector<std::complex<double>> a, b;
    fft.fwd(a, own);
    fft.fwd(b, around);
    for (std::size_t i = 0; i < a.size(); ++i) a[i] = std::conj(a[i]) * b[i];
    std::vector<double> product;
    fft.inv(product, a);
    // product[j] = Σ own[i] · around[i + j], and i + j is the reference at from + i + j - most.
    std::vector<double> lags(2 * most_ + 1);
    for (std::size_t l = 0; l < lags.size(); ++l) lags[l] = product[2 * most_ - l];
    return lags;
  }

 private:
  const std::vector<double>& reference_;
  const std::vector<double>& other_;
  std::size_t most_, window_, size_;
};

/// For each lag the best sum along a drift, and that drift.
struct Stacked {
  std::vector<double> best;
  std::vector<double> drift;
};

Stacked stack(const std::vector<std::vector<double>>& windows, const std::vector<double>& middles,
              std::size_t margin, std::size_t lags, double step_of_drift, int drifts) {
  Stacked out{std::vector<double>(lags, -std::numeric_limits<double>::infinity()),
              std::vector<double>(lags, 0)};
  std::vector<double> sum(lags);
  for (int d = -drifts; d <= drifts; ++d) {
    const double drift = step_of_drift * d;
    std::ranges::fill(sum, 0);
    for (std::size_t w = 0; w < windows.size(); ++w) {
      const auto moved = static_cast<std::ptrdiff_t>(std::lround(drift * middles[w]));
      const double* value = windows[w].data() + (static_cast<std::ptrdiff_t>(margin) + moved);
      for (std::size_t l = 0; l < lags; ++l) sum[l] += value[l];
    }
    for (std::size_t l = 0; l < lags; ++l) {
      // Of equal ones the least drift.
      if (sum[l] > out.best[l] ||
          (sum[l] == out.best[l] && std::fabs(drift) < std::fabs(out.drift[l]))) {
        out.best[l] = sum[l];
        out.drift[l] = drift;
      }
    }
  }
  return out;
}

}  // namespace

double slow_stretch(const ClockSearch& search, double coarser_step, double span_s) {
  return search.slowness * std::max({12 * search.within_s, 200 * coarser_step, span_s / 150});
}

LagPeaks lag_peaks(const ClockReadings& reference, const ClockReadings& other,
                   const ClockSearch& search) {
  const double coarser = std::max(reference.step, other.step);
  const double from = std::min(reference.at.front(), other.at.front());
  const double to = std::max(reference.at.back(), other.at.back());
  const double span = to - from;
  // Half the coarser step; of very many steps, one.
  constexpr double many = 1 << 18, most_points = 1 << 22;
  const double step = std::max(span / coarser > many ? coarser : coarser / 2, span / most_points);
  const LineGrid grid{from, step, static_cast<std::size_t>(span / step) + 2};
  const double slow = slow_stretch(search, coarser, span);
  std::vector<double> a, b;
  detail::parallel_for(0, 2, [&](int side) {
    (side == 0 ? a : b) = shape_of(side == 0 ? reference : other, grid, slow);
  });
  const double norm = std::sqrt(energy(a) * energy(b));
  if (!(norm > 0)) return {};

  // A little more on both sides, so that a peak at an end is seen to be one.
  const auto lags_each_way = static_cast<std::size_t>(std::ceil(search.within_s / step)) + 3;
  const double reach = std::max(std::fabs(from), std::fabs(to));
  const auto margin =
      search.drift ? static_cast<std::size_t>(std::ceil(most_drift * reach / step)) + 2 : 0;
  const WindowLags lags_of(a, b, lags_each_way + margin);
  std::vector<std::vector<double>> windows(lags_of.windows());
  std::vector<double> middles(windows.size());
  detail::parallel_for(std::size_t{0}, windows.size(), [&](std::size_t w) {
    windows[w] = lags_of(w);
    // In seconds from zero, over the step: times a drift, it is in points of the grid.
    middles[w] = from / step + lags_of.middle(w);
  });
  const double step_of_drift = 2 * step / span;
  const int drifts = search.drift ? static_cast<int>(most_drift / step_of_drift) : 0;
  const std::size_t lags = 2 * lags_each_way + 1;
  const Stacked sum = stack(windows, middles, margin, lags, step_of_drift, drifts);

  LagPeaks out;
  const auto offset_of = [&](std::size_t l) {
    return (static_cast<double>(l) - static_cast<double>(lags_each_way)) * step;
  };
  double highest = 0;
  std::size_t at_highest = 0;
  for (std::size_t l = 0; l < lags; ++l) {
    if (sum.best[l] > highest) {
      highest = sum.best[l];
      at_highest = l;
    }
  }
  if (highest <= 0) return out;
  for (std::size_t l = 1; l + 1 < lags; ++l) {
    const bool is_peak = sum.best[l] > sum.best[l - 1] && sum.best[l] >= sum.best[l + 1];
    if (!is_peak || sum.best[l] < 0.5 * highest) continue;
    out.peaks.push_back({offset_of(l), sum.drift[l], sum.best[l] / norm});
  }
  std::ranges::stable_sort(out.peaks, std::greater<>(), &LagPeak::likeness);
  if (out.peaks.size() > most_peaks) out.peaks.resize(most_peaks);
  out.rises_beyond = at_highest == 0 || at_highest + 1 == lags;
  return out;
}

}  // namespace zerobeat::detail
