#include "model/least_squares.hpp"

#include <cmath>

namespace zerobeat::inline v1::detail {

namespace {

long double squares_of(const long double* a, std::size_t rows) {
  // Sums side by side: one waits for itself.
  long double even = 0, odd = 0;
  std::size_t i = 0;
  for (; i + 2 <= rows; i += 2) {
    even += a[i] * a[i];
    odd += a[i + 1] * a[i + 1];
  }
  if (i < rows) even += a[i] * a[i];
  return even + odd;
}

/// A column turned by a reflection: first and own are its vector, over the head and below it.
void reflect(const long double* own, std::size_t rows, long double first, long double scale,
             long double& top, long double* other) {
  long double even = first * top, odd = 0;
  std::size_t i = 0;
  for (; i + 2 <= rows; i += 2) {
    even += own[i] * other[i];
    odd += own[i + 1] * other[i + 1];
  }
  if (i < rows) even += own[i] * other[i];
  const long double product = (even + odd) * scale;
  top -= product * first;
  for (i = 0; i < rows; ++i) other[i] -= product * own[i];
}

/// Two at once.
void reflect(const long double* own, std::size_t rows, long double first, long double scale,
             long double& top_a, long double* a, long double& top_b, long double* b) {
  long double sum_a = first * top_a, sum_b = first * top_b;
  for (std::size_t i = 0; i < rows; ++i) {
    const long double value = own[i];
    sum_a += value * a[i];
    sum_b += value * b[i];
  }
  sum_a *= scale;
  sum_b *= scale;
  top_a -= sum_a * first;
  top_b -= sum_b * first;
  for (std::size_t i = 0; i < rows; ++i) {
    const long double value = own[i];
    a[i] -= sum_a * value;
    b[i] -= sum_b * value;
  }
}

/// A reflection that leaves nothing of a column but its head.
struct Reflection {
  long double first = 0, scale = 0;
};

Reflection reflection_of(long double& head, long double squares) {
  const long double length = std::sqrt(head * head + squares);
  const long double goal = head > 0 ? -length : length;
  const long double first = head - goal;
  head = goal;
  return {first, 2 / (first * first + squares)};
}

/// The first reflection, from doubles: a column of ones, or another, turns `other` into `out`.
template <typename Own>
void reflect_first(const Own& own, std::size_t rows, const Reflection& by, long double& top,
                   const double* other, long double* out) {
  long double even = by.first * top, odd = 0;
  std::size_t i = 0;
  for (; i + 2 <= rows; i += 2) {
    even += own(i) * other[i];
    odd += own(i + 1) * other[i + 1];
  }
  if (i < rows) even += own(i) * other[i];
  const long double product = (even + odd) * by.scale;
  top -= product * by.first;
  for (i = 0; i < rows; ++i) out[i] = other[i] - product * own(i);
}

}  // namespace

void Triangle::add_from(std::size_t column, std::span<long double> block, std::size_t rows,
                        std::size_t stride) {
  for (std::size_t j = column; j < columns_; ++j) {
    const long double* own = block.data() + j * stride;
    const long double squares = squares_of(own, rows);
    if (squares == 0) continue;
    long double* row = r_.data() + j * columns_;
    const Reflection by = reflection_of(row[j], squares);
    std::size_t l = j + 1;
    for (; l + 2 <= columns_; l += 2) {
      reflect(own, rows, by.first, by.scale, row[l], block.data() + l * stride, row[l + 1],
              block.data() + (l + 1) * stride);
    }
    if (l < columns_) {
      reflect(own, rows, by.first, by.scale, row[l], block.data() + l * stride);
    }
  }
}

void Triangle::add(std::span<long double> block, std::size_t rows, std::size_t stride) {
  add_from(0, block, rows, stride);
}

void Triangle::add(std::span<const double* const> columns, std::size_t rows,
                   std::span<long double> work, std::size_t stride) {
  const double* own = columns[0];
  long double squares = 0;
  if (own == nullptr) {
    squares = static_cast<long double>(rows);
  } else {
    for (std::size_t i = 0; i < rows; ++i) squares += static_cast<long double>(own[i]) * own[i];
  }
  if (squares == 0) {
    // Nothing to turn: the others as they are.
    for (std::size_t l = 1; l < columns_; ++l) {
      for (std::size_t i = 0; i < rows; ++i) work[l * stride + i] = columns[l][i];
    }
    return add_from(1, work, rows, stride);
  }
  const Reflection by = reflection_of(r_[0], squares);
  for (std::size_t l = 1; l < columns_; ++l) {
    long double* out = work.data() + l * stride;
    if (own == nullptr) {
      reflect_first([](std::size_t) { return 1.0L; }, rows, by, r_[l], columns[l], out);
    } else {
      reflect_first([own](std::size_t i) { return static_cast<long double>(own[i]); }, rows, by,
                    r_[l], columns[l], out);
    }
  }
  add_from(1, work, rows, stride);
}

void Triangle::merge(const Triangle& other) {
  std::vector<long double> block(columns_ * columns_);
  for (std::size_t i = 0; i < columns_; ++i) {
    for (std::size_t j = 0; j < columns_; ++j) block[j * columns_ + i] = other(i, j);
  }
  add(block, columns_, columns_);
}

Triangle Triangle::of(std::span<const std::size_t> columns) const {
  Triangle part(columns.size());
  std::vector<long double> block(columns.size() * columns_);
  for (std::size_t j = 0; j < columns.size(); ++j) {
    for (std::size_t i = 0; i < columns_; ++i) block[j * columns_ + i] = (*this)(i, columns[j]);
  }
  part.add(block, columns_, columns_);
  return part;
}

long double Triangle::length(std::size_t column) const {
  long double squares = 0;
  for (std::size_t i = 0; i <= column; ++i) squares += (*this)(i, column) * (*this)(i, column);
  return std::sqrt(squares);
}

long double LeastSquares::covariance(std::size_t i, std::size_t j) const {
  long double sum = 0;
  const std::size_t k = size();
  for (std::size_t l = std::max(i, j); l < k; ++l) sum += inverse[i * k + l] * inverse[j * k + l];
  return sum;
}

long double LeastSquares::leverage(std::span<const long double> x) const {
  const std::size_t k = size();
  long double all = 0;
  for (std::size_t l = 0; l < k; ++l) {
    long double sum = 0;
    for (std::size_t i = 0; i <= l; ++i) sum += x[i] * inverse[i * k + l];
    all += sum * sum;
  }
  return all;
}

LeastSquares solve(const Triangle& whole) {
  constexpr long double least_share = 1e-13L;
  const std::size_t y = whole.columns() - 1;
  LeastSquares out;
  out.coefficients.assign(y, 0);
  // Columns one by one: each is kept that those before it leave something of.
  std::vector<std::size_t> columns;
  for (std::size_t j = 0; j < y; ++j) {
    columns.push_back(j);
    const Triangle part = whole.of(columns);
    const std::size_t last = columns.size() - 1;
    const long double length = whole.length(j);
    const bool left = std::fabs(part(last, last)) > least_share * length;
    if (!left) columns.pop_back();
  }
  out.kept = columns;
  const std::size_t k = columns.size();
  columns.push_back(y);
  const Triangle r = whole.of(columns);
  for (std::size_t i = k; i-- > 0;) {
    long double value = r(i, k);
    for (std::size_t j = i + 1; j < k; ++j) value -= r(i, j) * out.coefficients[columns[j]];
    out.coefficients[columns[i]] = value / r(i, i);
  }
  out.inverse.assign(k * k, 0);
  for (std::size_t j = 0; j < k; ++j) {
    out.inverse[j * k + j] = 1 / r(j, j);
    for (std::size_t i = j; i-- > 0;) {
      long double sum = 0;
      for (std::size_t l = i + 1; l <= j; ++l) sum += r(i, l) * out.inverse[l * k + j];
      out.inverse[i * k + j] = -sum / r(i, i);
    }
  }
  for (std::size_t i = 0; i < k; ++i) out.explained += r(i, k) * r(i, k);
  if (k > 0) out.first_explained = r(0, k) * r(0, k);
  out.residual_squares = r(k, k) * r(k, k);
  out.y_squares = out.explained + out.residual_squares;
  return out;
}

}  // namespace zerobeat::detail
