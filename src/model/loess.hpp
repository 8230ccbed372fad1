/// Loess: local regression of points by weights that fall with their distance (Cleveland and Devlin
/// 1988; the weights of Cleveland, Cleveland, McRae and Terpenning 1990).

#pragma once

#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Points at ascending places, no two at one.
struct LoessPoints {
  std::span<const double> places{};
  std::span<const double> values{};
  std::span<const double> weights{};  ///< none: all weigh 1
};

/// The smooth at a place: of the `window` nearest points the weighted line (degree 1) or mean (0),
/// the weights (1 - u³)³ of the distance over that of the furthest; of fewer points than that the
/// distance of the furthest times window / points. Where no point weighs anything the weights of
/// the points do not count. NaN of no points. Cost: the window.
[[nodiscard]] double loess_at(const LoessPoints& points, std::size_t window, int degree, double at);

/// The same at `count` places from `first` on, one apart. Cost: the window for each; those of
/// places that have a point each, of degree 1, by sums over a fixed window.
[[nodiscard]] std::vector<double> loess(const LoessPoints& points, std::size_t window, int degree,
                                        double first, std::size_t count);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
