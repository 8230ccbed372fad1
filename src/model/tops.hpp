/// Tops of a sequence of readings: what is higher than both sides, and how far it stands out.

#pragma once

#include <cstdint>
#include <span>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A run of equal readings [first, last] that is higher than both of its neighbours.
struct Top {
  std::size_t first = 0, last = 0;
  double value = 0;
  double prominence = 0;

  /// The middle of the run, of two the earlier.
  [[nodiscard]] std::size_t middle() const { return first + (last - first) / 2; }
};

/// The tops whose prominence is at least that, in order. Cost: one pass; memory for them, and for
/// those that are not overtopped yet.
[[nodiscard]] std::vector<Top> tops_of(std::span<const double> readings, double prominence = 0);

/// Finds how wide tops are.
class TopSides {
 public:
  /// The readings must live as long as it does.
  explicit TopSides(std::span<const double> readings) : readings_(readings) {}

  struct Sides {
    double left = 0, right = 0;
  };
  /// Places on both sides of a top at which lines between the readings first come down to a height;
  /// whole numbers are readings. The height is below the top by less than its prominence. Cost: the
  /// way there, or the logarithm of the readings.
  [[nodiscard]] Sides at(const Top& top, double height);

 private:
  /// The nearest reading at the height or below it, from a place on: downwards or upwards.
  [[nodiscard]] std::size_t before(std::size_t place, double height);
  [[nodiscard]] std::size_t after(std::size_t place, double height);
  [[nodiscard]] std::size_t block_beside(std::size_t block, double height, bool left);
  void make_tree();

  std::span<const double> readings_;
  std::vector<double>
      tree_{};  ///< least readings of blocks and of pairs of them; when first needed
  std::size_t leaves_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
