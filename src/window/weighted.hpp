/// Means of windows of records, weighted by their places.

#pragma once

#include <cstdint>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/place.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/window/roll.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Windows of records and their weights, the first that of the earliest record.
struct WeightedWindow {
  std::vector<double> weights{};
  std::int64_t before = 0;  ///< how many records before the row it begins
  std::int64_t least = 0;   ///< readings; fewer have no mean
};

/// Throws Error when the weights do not go with the window or its place.
WeightedWindow weighted_window(const WindowWeights& weights, const Extent& window,
                               const std::optional<Place>& place,
                               const std::optional<std::int64_t>& min_count);

/// The weighted means of a numeric column, by Σwx/Σw over the readings there are; a weight stays
/// with its place where a strand's end cuts the window. Cost a row: the window.
Column weighted_means(const Timeline& timeline, const Column& column, const WeightedWindow& window);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
