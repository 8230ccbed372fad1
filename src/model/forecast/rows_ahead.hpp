/// What a model says of the rows ahead.

#pragma once

#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The rows ahead, and for each share that was asked for its band; NaN where there is none.
struct RowsAhead {
  std::vector<double> value{};
  std::vector<std::vector<double>> low{}, high{};
};

/// Bands of the normal distribution about values.
[[nodiscard]] RowsAhead normal_bands(std::vector<double> value, std::span<const double> deviation,
                                     std::span<const double> shares);

/// The quantile of a standard normal.
[[nodiscard]] double normal_quantile(double p);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
