#include "kernel/sums.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

#include "base/clones.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t sum_lanes = 8;
constexpr std::size_t few = 4 * sum_lanes;  // below, lanes cost more than they bring

/// All whole blocks of eight. The lanes are independent, so that they go side by side.
ZEROBEAT_CLONES
void sum_blocks(const double* values, std::size_t blocks, double* sum, double* rest) {
  double s[sum_lanes] = {}, r[sum_lanes] = {};
  for (std::size_t i = 0; i < blocks; ++i) {
    for (std::size_t k = 0; k < sum_lanes; ++k) {
      const double value = values[sum_lanes * i + k];
      const double total = s[k] + value;
      const double part = total - s[k];
      r[k] += (s[k] - (total - part)) + (value - part);
      s[k] = total;
    }
  }
  for (std::size_t k = 0; k < sum_lanes; ++k) {
    sum[k] = s[k];
    rest[k] = r[k];
  }
}

template <typename Number>
void extreme_blocks(const Number* values, std::size_t blocks, Number* least, Number* most) {
  Number a[sum_lanes], b[sum_lanes];
  for (std::size_t k = 0; k < sum_lanes; ++k) a[k] = b[k] = values[k];
  for (std::size_t i = 1; i < blocks; ++i) {
    for (std::size_t k = 0; k < sum_lanes; ++k) {
      const Number value = values[sum_lanes * i + k];
      a[k] = value < a[k] ? value : a[k];
      b[k] = b[k] < value ? value : b[k];
    }
  }
  for (std::size_t k = 0; k < sum_lanes; ++k) {
    least[k] = a[k];
    most[k] = b[k];
  }
}

ZEROBEAT_CLONES
void extreme_blocks_of(const double* values, std::size_t blocks, double* least, double* most) {
  extreme_blocks(values, blocks, least, most);
}

ZEROBEAT_CLONES
void extreme_blocks_of(const std::int64_t* values, std::size_t blocks, std::int64_t* least,
                       std::int64_t* most) {
  extreme_blocks(values, blocks, least, most);
}

template <typename Number>
Extremes<Number> extremes(std::span<const Number> readings) {
  Extremes<Number> out{readings[0], readings[0]};
  const auto take = [&](Number low, Number high) {
    out.least = low < out.least ? low : out.least;
    out.most = out.most < high ? high : out.most;
  };
  const std::size_t blocks = readings.size() < few ? 0 : readings.size() / sum_lanes;
  if (blocks > 0) {
    Number least[sum_lanes], most[sum_lanes];
    extreme_blocks_of(readings.data(), blocks, least, most);
    for (std::size_t k = 0; k < sum_lanes; ++k) take(least[k], most[k]);
  }
  for (std::size_t i = sum_lanes * blocks; i < readings.size(); ++i) take(readings[i], readings[i]);
  return out;
}

/// Squares of deviations, compensated, and the deviations themselves.
ZEROBEAT_CLONES
void square_blocks(const double* values, std::size_t blocks, double mean, double* squares,
                   double* rests, double* drifts) {
  double s[sum_lanes] = {}, r[sum_lanes] = {}, d[sum_lanes] = {};
  for (std::size_t i = 0; i < blocks; ++i) {
    for (std::size_t k = 0; k < sum_lanes; ++k) {
      const double deviation = values[sum_lanes * i + k] - mean;
      const double square = deviation * deviation;
      const double total = s[k] + square;
      const double part = total - s[k];
      r[k] += (s[k] - (total - part)) + (square - part);
      s[k] = total;
      d[k] += deviation;
    }
  }
  for (std::size_t k = 0; k < sum_lanes; ++k) {
    squares[k] = s[k];
    rests[k] = r[k];
    drifts[k] = d[k];
  }
}

}  // namespace

CompensatedSum sum_of(std::span<const double> readings) {
  CompensatedSum out;
  std::size_t blocks = 0;
  if (readings.size() >= few) {
    double sums[sum_lanes], rests[sum_lanes];
    blocks = readings.size() / sum_lanes;
    sum_blocks(readings.data(), blocks, sums, rests);
    for (std::size_t k = 0; k < sum_lanes; ++k) {
      out.add(sums[k]);
      out.rest += rests[k];
    }
  }
  for (std::size_t i = sum_lanes * blocks; i < readings.size(); ++i) {
    out.add(readings[i]);
  }
  if (std::isfinite(out.sum)) return out;
  out = {};
  for (const double value : readings) out.sum += value;
  return out;
}

CompensatedSum sum_of_products(std::span<const double> a, std::span<const double> b) {
  CompensatedSum out;
  for (std::size_t i = 0; i < a.size(); ++i) {
    // The product and its rounding error; the error needs twice the digits (Dekker 1971), which
    // a long double nearly has.
    const double product = a[i] * b[i];
    out.add(product);
    const long double exact = static_cast<long double>(a[i]) * b[i];
    if (std::isfinite(product)) out.rest += static_cast<double>(exact - product);
  }
  if (std::isfinite(out.sum)) return out;
  out = {};
  for (std::size_t i = 0; i < a.size(); ++i) out.sum += a[i] * b[i];
  return out;
}

Extremes<double> extremes_of(std::span<const double> readings) { return extremes(readings); }
Extremes<std::int64_t> extremes_of(std::span<const std::int64_t> readings) {
  return extremes(readings);
}

Deviations deviations_of(std::span<const double> readings, double mean, bool higher) {
  CompensatedSum squares;
  double drift = 0;
  std::size_t blocks = 0;
  if (readings.size() >= few) {
    double s[sum_lanes], r[sum_lanes], d[sum_lanes];
    blocks = readings.size() / sum_lanes;
    square_blocks(readings.data(), blocks, mean, s, r, d);
    for (std::size_t k = 0; k < sum_lanes; ++k) {
      squares.add(s[k]);
      squares.rest += r[k];
      drift += d[k];
    }
  }
  for (std::size_t i = sum_lanes * blocks; i < readings.size(); ++i) {
    const double deviation = readings[i] - mean;
    squares.add(deviation * deviation);
    drift += deviation;
  }
  Deviations out;
  out.squares = squares.sum + squares.rest - drift * drift / static_cast<double>(readings.size());
  if (out.squares < 0) out.squares = 0;
  if (!higher) return out;
  CompensatedSum cubes, fourths;
  for (const double value : readings) {
    const double deviation = value - mean, square = deviation * deviation;
    cubes.add(square * deviation);
    fourths.add(square * square);
  }
  out.cubes = cubes.sum + cubes.rest;
  out.fourths = fourths.sum + fourths.rest;
  return out;
}

double variance_of(std::span<const double> readings) {
  const std::size_t n = readings.size();
  return deviations_of(readings, sum_of(readings).mean(n), false).squares /
         static_cast<double>(n - 1);
}

}  // namespace zerobeat::detail
