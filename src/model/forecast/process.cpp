#include "model/forecast/process.hpp"

#include <algorithm>

namespace zerobeat::inline v1::detail {

std::size_t Process::dimension() const { return std::max(ar.size(), ma.size() + 1); }

std::vector<double> from_partials(std::span<const double> partials) {
  std::vector<double> a, before;
  for (const double partial : partials) {
    before = a;
    for (std::size_t i = 0; i < a.size(); ++i) {
      a[i] = before[i] - partial * before[before.size() - 1 - i];
    }
    a.push_back(partial);
  }
  return a;
}

std::vector<double> to_partials(std::span<const double> coefficients) {
  std::vector<double> a(coefficients.begin(), coefficients.end()), partials(a.size()), before;
  for (std::size_t k = a.size(); k-- > 0;) {
    const double partial = partials[k] = a[k];
    a.resize(k);
    before = a;
    for (std::size_t i = 0; i < k; ++i) {
      a[i] = (before[i] + partial * before[k - 1 - i]) / (1 - partial * partial);
    }
  }
  return partials;
}

std::vector<double> times_seasonal(std::span<const double> a, std::span<const double> b,
                                   std::size_t season) {
  std::vector<double> out(a.size() + b.size() * season, 0.0);
  for (std::size_t i = 0; i < a.size(); ++i) out[i] += a[i];
  for (std::size_t j = 0; j < b.size(); ++j) {
    const std::size_t lag = (j + 1) * season;
    out[lag - 1] += b[j];
    for (std::size_t i = 0; i < a.size(); ++i) out[lag + i] -= a[i] * b[j];
  }
  return out;
}

namespace {

/// The autocovariances of an autoregression by its partial correlations (Levinson's recursion run
/// both ways): memory for one autoregression.
std::vector<double> covariances_of_ar(std::span<const double> ar, std::size_t lags) {
  const std::vector<double> partials = to_partials(ar);
  std::vector<double> g(lags + 1, 0.0);
  double variance = 1;
  for (const double partial : partials) variance /= 1 - partial * partial;
  g[0] = variance;
  std::vector<double> a;
  a.reserve(ar.size());
  for (std::size_t k = 0; k < partials.size() && k < lags; ++k) {
    const double partial = partials[k];
    double sum = partial * variance;
    for (std::size_t i = 0; i < k; ++i) sum += a[i] * g[k - i];
    g[k + 1] = sum;
    variance *= 1 - partial * partial;
    for (std::size_t i = 0; 2 * i < k; ++i) {
      const std::size_t other = k - 1 - i;
      const double low = a[i], high = a[other];
      a[i] = low - partial * high;
      if (other != i) a[other] = high - partial * low;
    }
    a.push_back(partial);
  }
  for (std::size_t k = ar.size() + 1; k <= lags; ++k) {
    for (std::size_t i = 0; i < ar.size(); ++i) g[k] += ar[i] * g[k - 1 - i];
  }
  return g;
}

/// Places and values of what is not 0.
struct Sparse {
  std::vector<std::size_t> at{};
  std::vector<double> value{};

  void add(std::size_t place, double number) {
    if (number == 0) return;
    at.push_back(place);
    value.push_back(number);
  }
};

/// 1 and the coefficients of the moving average.
Sparse moving_average(const Process& process) {
  Sparse all;
  all.add(0, 1);
  for (std::size_t i = 0; i < process.ma.size(); ++i) all.add(i + 1, process.ma[i]);
  return all;
}

}  // namespace

std::vector<double> autocovariances(const Process& process, std::size_t lags) {
  const std::size_t q = process.ma.size();
  const std::vector<double> g = covariances_of_ar(process.ar, lags + q);
  // Products of the moving average with itself, so many steps apart.
  const Sparse ma = moving_average(process);
  std::vector<double> c(q + 1, 0.0);
  for (std::size_t i = 0; i < ma.at.size(); ++i) {
    for (std::size_t j = i; j < ma.at.size(); ++j) {
      c[ma.at[j] - ma.at[i]] += ma.value[i] * ma.value[j];
    }
  }
  std::vector<double> out(lags + 1, 0.0);
  for (std::size_t l = 0; l <= q; ++l) {
    if (c[l] == 0) continue;
    for (std::size_t k = 0; k <= lags; ++k) {
      out[k] += c[l] * g[k > l ? k - l : l - k];
      if (l > 0) out[k] += c[l] * g[k + l];
    }
  }
  return out;
}

std::vector<double> responses(const Process& process, std::size_t steps) {
  std::vector<double> out(steps + 1, 0.0);
  out[0] = 1;
  Sparse ar;
  for (std::size_t i = 0; i < process.ar.size(); ++i) ar.add(i + 1, process.ar[i]);
  for (std::size_t k = 1; k <= steps; ++k) {
    double sum = k <= process.ma.size() ? process.ma[k - 1] : 0;
    for (std::size_t i = 0; i < ar.at.size() && ar.at[i] <= k; ++i) {
      sum += ar.value[i] * out[k - ar.at[i]];
    }
    out[k] = sum;
  }
  return out;
}

std::vector<double> state_covariances(const Process& process) {
  const std::size_t r = process.dimension();
  const auto gamma = autocovariances(process, process.ar.size());
  const auto psi = responses(process, process.ma.size());
  std::vector<double> out(r, 0.0);
  for (std::size_t j = 0; j < process.ar.size(); ++j) {
    if (process.ar[j] == 0) continue;
    for (std::size_t i = 0; i <= j; ++i) out[i] += process.ar[j] * gamma[j - i + 1];
  }
  const Sparse ma = moving_average(process);
  for (std::size_t k = 0; k < ma.at.size(); ++k) {
    for (std::size_t i = 0; i <= ma.at[k]; ++i) out[i] += ma.value[k] * psi[ma.at[k] - i];
  }
  return out;
}

}  // namespace zerobeat::detail
