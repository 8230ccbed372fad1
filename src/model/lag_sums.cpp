#include "model/lag_sums.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <complex>
#include <unsupported/Eigen/FFT>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// In blocks of which each is summed by itself, so that long sums lose little.
double sum_at(std::span<const double> x, std::span<const double> y, std::size_t lag) {
  constexpr std::size_t block = 512, lanes = 8;
  const std::size_t n = x.size() - lag;
  double all = 0;
  for (std::size_t from = 0; from < n; from += block) {
    const std::size_t until = std::min(n, from + block);
    std::array<double, lanes> sums{};
    std::size_t t = from;
    for (; t + lanes <= until; t += lanes) {
      for (std::size_t j = 0; j < lanes; ++j) sums[j] += x[t + j] * y[t + j + lag];
    }
    for (; t < until; ++t) sums[0] += x[t] * y[t + lag];
    double own = 0;
    for (const double sum : sums) own += sum;
    all += own;
  }
  return all;
}

}  // namespace

std::vector<double> lag_sums_by_passes(std::span<const double> x, std::span<const double> y,
                                       std::size_t lags) {
  std::vector<double> sums(lags + 1);
  parallel_for(std::size_t{0}, lags + 1,
               [&](std::size_t lag) { sums[lag] = lag < x.size() ? sum_at(x, y, lag) : 0; });
  return sums;
}

std::vector<double> lag_sums_by_transform(std::span<const double> x, std::span<const double> y,
                                          std::size_t lags) {
  // Room for the lags behind the sequence, so that its end does not meet its beginning.
  const std::size_t size = std::bit_ceil(x.size() + lags + 1);
  Eigen::FFT<double> transform;
  transform.SetFlag(Eigen::FFT<double>::HalfSpectrum);
  std::vector<double> padded(size);
  std::vector<std::complex<double>> of_x, of_y;
  std::ranges::copy(x, padded.begin());
  transform.fwd(of_x, padded);
  if (x.data() == y.data()) {
    for (auto& value : of_x) value = std::norm(value);
  } else {
    std::ranges::fill(padded, 0.0);
    std::ranges::copy(y, padded.begin());
    transform.fwd(of_y, padded);
    for (std::size_t i = 0; i < of_x.size(); ++i) of_x[i] = std::conj(of_x[i]) * of_y[i];
  }
  transform.inv(padded, of_x, static_cast<Eigen::Index>(size));
  std::vector<double> sums(lags + 1);
  std::copy_n(padded.begin(), std::min(lags + 1, x.size()), sums.begin());
  return sums;
}

std::vector<double> lag_sums(std::span<const double> x, std::span<const double> y,
                             std::size_t lags) {
  // A transform costs about as much as this many passes.
  const auto size = static_cast<double>(std::bit_ceil(x.size() + lags + 1));
  const double transforms = 12 * size * std::log2(size),
               passes =
                   static_cast<double>(x.size()) * static_cast<double>(std::min(lags, x.size()));
  return passes < transforms ? lag_sums_by_passes(x, y, lags) : lag_sums_by_transform(x, y, lags);
}

}  // namespace zerobeat::detail
