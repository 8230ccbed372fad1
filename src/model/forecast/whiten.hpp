/// Whitening: columns turned into what the past does not tell of them, under a process.

#pragma once

#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "model/forecast/process.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The products of whitened columns, and what the likelihood takes for it.
struct Whitened {
  std::size_t columns = 0;
  std::vector<double> products{};  ///< of columns i and j at i * columns + j
  double log_variances = 0;        ///< the sum of the logarithms of the innovations' variances

  explicit Whitened(std::size_t of) : columns(of), products(of * of, 0.0) {}
  [[nodiscard]] double operator()(std::size_t i, std::size_t j) const {
    return products[i * columns + j];
  }
  /// Of one row's whitened readings.
  void add(std::span<const double> row) {
    for (std::size_t i = 0; i < columns; ++i) {
      for (std::size_t j = 0; j <= i; ++j) products[i * columns + j] += row[i] * row[j];
    }
  }
  /// The other half of the products.
  void mirror() {
    for (std::size_t i = 0; i < columns; ++i) {
      for (std::size_t j = i + 1; j < columns; ++j) {
        products[i * columns + j] = products[j * columns + i];
      }
    }
  }
};

/// Whitens columns of which no reading is missing, by Chandrasekhar's recursions (Morf, Sidhu and
/// Kailath 1974): Kalman's filter, whose covariance is not kept but the change of it, of rank one.
/// Cost: for each row the dimension of the process; when the filter has settled, the coefficients
/// that are not 0. Memory: some rows of that dimension.
/// `last`, when it is given, gets the state of each column after its last row: what its first
/// number becomes is what is told of the rows ahead.
[[nodiscard]] Whitened whiten(const Process& process,
                              std::span<const std::span<const double>> columns,
                              std::vector<std::vector<double>>* last = nullptr);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
