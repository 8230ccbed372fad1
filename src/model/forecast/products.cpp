#include "model/forecast/products.hpp"

#include <algorithm>
#include <cmath>

namespace zerobeat::inline v1::detail {

bool decompose_products(std::vector<double>& products, std::size_t size) {
  for (std::size_t i = 0; i < size; ++i) {
    double* row = &products[i * size];
    for (std::size_t j = 0; j < i; ++j) {
      const double* before = &products[j * size];
      double sum = row[j];
      for (std::size_t k = 0; k < j; ++k) sum -= row[k] * before[k];
      row[j] = sum / before[j];
    }
    double rest = row[i];
    for (std::size_t k = 0; k < i; ++k) rest -= row[k] * row[k];
    if (i + 1 < size && !(rest > 0)) return false;
    row[i] = std::sqrt(std::max(rest, 0.0));
  }
  return true;
}

std::vector<double> shares_of_last(const std::vector<double>& triangle, std::size_t size) {
  const std::size_t last = size - 1;
  std::vector<double> share(last);
  for (std::size_t i = last; i-- > 0;) {
    double sum = triangle[last * size + i];
    for (std::size_t k = i + 1; k < last; ++k) sum -= triangle[k * size + i] * share[k];
    share[i] = sum / triangle[i * size + i];
  }
  return share;
}

}  // namespace zerobeat::detail
