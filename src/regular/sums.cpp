#include "regular/sums.hpp"

#include <cmath>
#include <vector>

namespace zerobeat::detail {

namespace {

constexpr std::size_t lanes = 8;

void two_sum(double& sum, double& rest, double value) {
  const double total = sum + value;
  const double part = total - sum;
  rest += (sum - (total - part)) + (value - part);
  sum = total;
}

/// All whole blocks of eight. The lanes are independent, so that they go side by side.
#if defined(__x86_64__)
__attribute__((target_clones("avx2", "default")))
#endif
void sum_blocks(const double* values, std::size_t blocks, double* sum, double* rest) {
  double s[lanes] = {}, r[lanes] = {};
  for (std::size_t i = 0; i < blocks; ++i) {
    for (std::size_t k = 0; k < lanes; ++k) {
      const double value = values[lanes * i + k];
      const double total = s[k] + value;
      const double part = total - s[k];
      r[k] += (s[k] - (total - part)) + (value - part);
      s[k] = total;
    }
  }
  for (std::size_t k = 0; k < lanes; ++k) {
    sum[k] = s[k];
    rest[k] = r[k];
  }
}

}  // namespace

double ExactSum::value() const { return std::isfinite(sum) ? sum + rest : sum; }

double ExactSum::mean(std::size_t count) const {
  if (!std::isfinite(sum)) return sum / static_cast<double>(count);
  return static_cast<double>((static_cast<long double>(sum) + rest) /
                             static_cast<long double>(count));
}

ExactSum sum_of(std::span<const double> readings) {
  double sums[lanes] = {}, rests[lanes] = {};
  const std::size_t blocks = readings.size() / lanes;
  sum_blocks(readings.data(), blocks, sums, rests);
  ExactSum out;
  for (std::size_t k = 0; k < lanes; ++k) {
    two_sum(out.sum, out.rest, sums[k]);
    out.rest += rests[k];
  }
  for (std::size_t i = lanes * blocks; i < readings.size(); ++i) {
    two_sum(out.sum, out.rest, readings[i]);
  }
  if (std::isfinite(out.sum)) return out;
  out = {};
  for (const double value : readings) out.sum += value;
  return out;
}

ExactSum sum_of_products(std::span<const double> a, std::span<const double> b) {
  ExactSum out;
  for (std::size_t i = 0; i < a.size(); ++i) {
    // The product and its rounding error; the error needs twice the digits (Dekker 1971), which
    // a long double nearly has.
    const double product = a[i] * b[i];
    two_sum(out.sum, out.rest, product);
    const long double exact = static_cast<long double>(a[i]) * b[i];
    if (std::isfinite(product)) out.rest += static_cast<double>(exact - product);
  }
  if (std::isfinite(out.sum)) return out;
  out = {};
  for (std::size_t i = 0; i < a.size(); ++i) out.sum += a[i] * b[i];
  return out;
}

double variance_of(std::span<const double> readings) {
  const std::size_t n = readings.size();
  const double mean = sum_of(readings).mean(n);
  double squares = 0, squares_rest = 0, drift = 0;
  for (const double value : readings) {
    const double deviation = value - mean;
    drift += deviation;
    two_sum(squares, squares_rest, deviation * deviation);
  }
  squares += squares_rest;
  const double variance =
      (squares - drift * drift / static_cast<double>(n)) / static_cast<double>(n - 1);
  return variance < 0 ? 0 : variance;
}

}  // namespace zerobeat::detail
