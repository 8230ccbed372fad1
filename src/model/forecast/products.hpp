/// Matrices of products of columns, and what they say of the last one.

#pragma once

#include <cstddef>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

inline constexpr double log_two_pi = 1.8378770664093453;

/// The triangle of a matrix of products in its place (Cholesky): what a column leaves of itself by
/// those before it stands, squared, on the diagonal. False when one but the last leaves nothing.
[[nodiscard]] bool decompose_products(std::vector<double>& products, std::size_t size);

/// What belongs to each of the others in the last column's regression on them, from the triangle.
[[nodiscard]] std::vector<double> shares_of_last(const std::vector<double>& triangle,
                                                 std::size_t size);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
