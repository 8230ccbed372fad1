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

/// The tops of readings, in order, with their prominences, and what is needed to find how wide each
/// is.
class Tops {
 public:
  /// Cost: one pass. The readings must live as long as it does.
  explicit Tops(std::span<const double> readings);

  [[nodiscard]] const std::vector<Top>& all() const { return tops_; }

  /// Places on both sides of a top at which lines between the readings first come down to a height;
  /// whole numbers are readings. The height is below the top by less than its prominence. Cost: the
  /// logarithm of the number of tops.
  struct Sides {
    double left = 0, right = 0;
  };
  [[nodiscard]] Sides sides_at(std::size_t top, double height);

 private:
  /// A lowest run between two tops that follow each other; before the first and after the last one
  /// the lowest reading of the end.
  struct Bottom {
    std::size_t first = 0, last = 0;
    double value = 0;
  };

  void find(std::span<const double> readings);
  void measure();
  void make_tree();
  [[nodiscard]] std::size_t bottom_at(std::size_t top, double height, bool left);

  std::span<const double> readings_;
  std::vector<Top> tops_{};
  std::vector<Bottom> bottoms_{};  ///< one before each top, and one after the last
  std::vector<double> tree_{};     ///< least values of stretches of bottoms; made when first needed
  std::size_t leaves_ = 0;
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
