/// The rows of a strand that a regression looks at.

#pragma once

#include <cmath>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

#include "model/least_squares.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// y, its terms and its weights, each as long as the timeline. The first coefficient is that of
/// the constant, when there is one.
struct Sample {
  Column y{};
  std::vector<Column> terms{};
  std::optional<Column> weights{};
  bool constant = true;

  [[nodiscard]] std::size_t columns() const { return terms.size() + (constant ? 1 : 0); }
  [[nodiscard]] bool has_terms(std::size_t row) const {
    for (const Column& term : terms) {
      if (!term.valid(row) || !std::isfinite(term.numbers()[row])) return false;
    }
    return true;
  }
  [[nodiscard]] bool has_y(std::size_t row) const {
    return y.valid(row) && std::isfinite(y.numbers()[row]);
  }
  /// 1 where there are none, or it is missing.
  [[nodiscard]] double weight(std::size_t row) const {
    return weights && weights->valid(row) ? weights->numbers()[row] : 1;
  }
  [[nodiscard]] bool has_weight(std::size_t row) const {
    if (!weights) return true;
    const double weight = weights->numbers()[row];
    return weights->valid(row) && weight > 0 && std::isfinite(weight);
  }
  [[nodiscard]] bool uses(std::size_t row) const {
    return has_y(row) && has_terms(row) && has_weight(row);
  }
  /// The terms of a row, the constant first.
  void put_terms(std::size_t row, std::span<long double> x) const {
    std::size_t j = 0;
    if (constant) x[j++] = 1;
    for (const Column& term : terms) x[j++] = term.numbers()[row];
  }
};

/// The triangle of the rows that are used, each times the root of its weight and of `more` (of the
/// strand's rows; none: 1), and how many they are. Chunks side by side, the same at any number of
/// threads.
struct Reduced {
  Triangle triangle;
  std::int64_t rows = 0;
  long double log_weights = 0;  ///< their sum
};
[[nodiscard]] Reduced reduced(const Sample& sample, const Strand& strand,
                              std::span<const double> more = {});

/// The readings of a sample side by side, for loops over rows.
class SampleRows {
 public:
  explicit SampleRows(const Sample& sample);

  /// Whether the row is used.
  [[nodiscard]] bool uses(std::size_t row) const {
    if (!dense_) return sample_->uses(row);
    // What is not finite makes this not a number.
    double nothing = y_[row] * 0;
    for (const double* term : terms_) nothing += term[row] * 0;
    return nothing == 0;
  }
  /// Whether all rows of a stretch are used, and none has a weight.
  [[nodiscard]] bool all_used(std::size_t begin, std::size_t end) const {
    if (!dense_) return false;
    double nothing = 0;
    for (std::size_t row = begin; row < end; ++row) nothing += y_[row] * 0;
    for (const double* term : terms_) {
      for (std::size_t row = begin; row < end; ++row) nothing += term[row] * 0;
    }
    return nothing == 0;
  }
  /// The columns from a row on, y the last; null for the constant.
  [[nodiscard]] std::vector<const double*> columns(std::size_t row) const {
    std::vector<const double*> columns;
    if (constant_) columns.push_back(nullptr);
    for (const double* term : terms_) columns.push_back(term + row);
    columns.push_back(y_ + row);
    return columns;
  }
  [[nodiscard]] double y(std::size_t row) const { return y_[row]; }
  [[nodiscard]] std::span<const double* const> terms() const { return terms_; }

  /// y less what the coefficients make of the terms of a row.
  [[nodiscard]] long double residual(std::size_t row,
                                     std::span<const long double> coefficients) const {
    long double rest = y_[row];
    std::size_t j = 0;
    if (constant_) rest -= coefficients[j++];
    for (const double* term : terms_) rest -= coefficients[j++] * term[row];
    return rest;
  }

 private:
  const Sample* sample_;
  bool dense_ = true, constant_ = true;
  const double* y_;
  std::vector<const double*> terms_{};
};

/// Durbin and Watson's figure of the rows that are used.
[[nodiscard]] double durbin_watson(const Sample& sample, const Strand& strand,
                                   std::span<const long double> coefficients);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
