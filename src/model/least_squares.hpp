/// Least squares by orthogonal decomposition, row by row, in extended precision.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The triangle R of rows x = Q R, to which rows are added by Householder reflections (Golub 1965;
/// Golub and Van Loan, Matrix Computations, section 5.2), Q being let go of. Memory does not grow
/// with the rows. Triangles of parts merge into that of the whole.
class Triangle {
 public:
  explicit Triangle(std::size_t columns) : columns_(columns), r_(columns * columns) {}

  [[nodiscard]] std::size_t columns() const { return columns_; }
  [[nodiscard]] long double operator()(std::size_t i, std::size_t j) const {
    return r_[i * columns_ + j];
  }

  /// Adds rows that stand column by column, each column's `stride` apart; they are used up.
  void add(std::span<long double> block, std::size_t rows, std::size_t stride);
  /// Adds rows that stand column by column as doubles, of which all are finite; null is a column of
  /// ones. `work` has room for `rows` of each column, `stride` apart.
  void add(std::span<const double* const> columns, std::size_t rows, std::span<long double> work,
           std::size_t stride);
  void merge(const Triangle& other);

  /// The triangle of some of its columns, in order.
  [[nodiscard]] Triangle of(std::span<const std::size_t> columns) const;

  /// The length of a column of x.
  [[nodiscard]] long double length(std::size_t column) const;

 private:
  void add_from(std::size_t column, std::span<long double> block, std::size_t rows,
                std::size_t stride);

  std::size_t columns_;
  std::vector<long double> r_;
};

/// What the least squares of a triangle come to, whose last column is y.
struct LeastSquares {
  std::vector<std::size_t> kept{};          ///< columns that have a coefficient
  std::vector<long double> coefficients{};  ///< of all columns but y; 0 where there is none
  std::vector<long double> inverse{};       ///< of R of those kept, row by row, upper triangle
  long double residual_squares = 0;
  long double y_squares = 0;
  long double explained = 0;        ///< of y's squares, by all columns
  long double first_explained = 0;  ///< by the first column alone

  [[nodiscard]] std::size_t size() const { return kept.size(); }
  /// Of (X'X)⁻¹, by places among those kept.
  [[nodiscard]] long double covariance(std::size_t i, std::size_t j) const;
  /// x (X'X)⁻¹ x of a row of those kept.
  [[nodiscard]] long double leverage(std::span<const long double> x) const;
};

/// Solves it. A column that those before it determine, to 1e-13 of its length, has no coefficient.
[[nodiscard]] LeastSquares solve(const Triangle& triangle);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
