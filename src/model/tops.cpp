#include "model/tops.hpp"

#include <algorithm>
#include <bit>
#include <limits>

namespace zerobeat::inline v1::detail {

namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

/// Tops that no later one is higher than yet, and what lies lowest beside them. What is higher than
/// a top without being one stands at an end of the readings or on the side of a higher top; then
/// the lowest reading between is the same.
class Pending {
 public:
  Pending(double least_prominence, std::vector<Top>& found)
      : least_prominence_(least_prominence), found_(found) {}

  /// The first reading, when what follows is lower: no top, but higher than what comes.
  void begin(double value) { stack_.push_back({0, 0, value, infinity, infinity, false}); }

  /// A top after a lowest reading.
  void add(std::size_t first, std::size_t last, double value, double lowest) {
    double left = overtop(value, lowest);
    // Past equal ones, which are not higher.
    if (!stack_.empty() && stack_.back().value == value) {
      left = std::min(left, stack_.back().lowest_before);
    }
    stack_.push_back({first, last, value, left, infinity, true});
  }

  /// The last reading, after the lowest since the last top.
  void end(double value, double lowest) {
    overtop(value, lowest);
    double right = infinity;
    while (!stack_.empty()) {
      right = std::min(right, stack_.back().lowest_after);
      finish(stack_.back(), right);
      stack_.pop_back();
    }
  }

 private:
  struct Entry {
    std::size_t first, last;
    double value;
    double lowest_before;  ///< between it and the nearest higher one before it
    double lowest_after;   ///< between it and the next one here
    bool is_top;
  };

  /// Finishes what is lower than a reading; what lies lowest between that and the nearest that is
  /// not.
  double overtop(double value, double lowest) {
    double left = lowest;
    if (!stack_.empty()) stack_.back().lowest_after = std::min(stack_.back().lowest_after, lowest);
    while (!stack_.empty() && stack_.back().value < value) {
      const Entry& entry = stack_.back();
      lowest = std::min(lowest, entry.lowest_after);
      left = std::min({left, entry.lowest_after, entry.lowest_before});
      finish(entry, lowest);
      stack_.pop_back();
      // What lies behind it lies behind the one before, too.
      if (!stack_.empty()) {
        stack_.back().lowest_after = std::min(stack_.back().lowest_after, lowest);
      }
    }
    return left;
  }

  void finish(const Entry& entry, double lowest) {
    if (!entry.is_top) return;
    const double prominence = entry.value - std::max(entry.lowest_before, lowest);
    if (prominence >= least_prominence_) {
      found_.push_back({entry.first, entry.last, entry.value, prominence});
    }
  }

  double least_prominence_;
  std::vector<Top>& found_;
  std::vector<Entry> stack_{};
};

}  // namespace

std::vector<Top> tops_of(std::span<const double> x, double prominence) {
  std::vector<Top> found;
  const std::size_t n = x.size();
  Pending pending(prominence, found);
  std::size_t i = 1;
  while (i < n && x[i] == x[0]) ++i;
  if (i >= n) return found;
  double lowest = x[0];
  if (x[i] < x[0]) pending.begin(x[0]);
  while (i < n) {
    // Down to where it turns, then up; runs of equal readings belong to either.
    while (i < n && x[i] <= x[i - 1]) ++i;
    lowest = std::min(lowest, x[i - 1]);
    if (i == n) break;
    std::size_t first = i;
    for (++i; i < n && x[i] >= x[i - 1]; ++i) {
      if (x[i] > x[i - 1]) first = i;
    }
    if (i == n) break;
    pending.add(first, i - 1, x[first], lowest);
    lowest = infinity;
  }
  pending.end(x[n - 1], lowest);
  std::ranges::sort(found, {}, &Top::first);
  return found;
}

namespace {

constexpr std::size_t block_rows = 64, near_rows = 256;

}  // namespace

void TopSides::make_tree() {
  const std::size_t blocks = (readings_.size() + block_rows - 1) / block_rows;
  leaves_ = std::bit_ceil(std::max<std::size_t>(1, blocks));
  tree_.assign(2 * leaves_, infinity);
  for (std::size_t i = 0; i < readings_.size(); ++i) {
    double& least = tree_[leaves_ + i / block_rows];
    least = std::min(least, readings_[i]);
  }
  for (std::size_t i = leaves_ - 1; i > 0; --i) tree_[i] = std::min(tree_[2 * i], tree_[2 * i + 1]);
}

/// The nearest block on a side that holds a reading at the height or below it; there must be one.
std::size_t TopSides::block_beside(std::size_t block, double height, bool left) {
  if (tree_.empty()) make_tree();
  // Up to a stretch on that side that holds one, then down to the nearest in it.
  std::size_t node = leaves_ + block;
  for (;; node /= 2) {
    const bool is_right = (node & 1) != 0;
    if (left == is_right && tree_[node ^ 1] <= height) {
      node ^= 1;
      break;
    }
    if (node <= 1) return block;
  }
  while (node < leaves_) {
    const std::size_t nearer = 2 * node + (left ? 1 : 0);
    node = tree_[nearer] <= height ? nearer : nearer ^ 1;
  }
  return node - leaves_;
}

std::size_t TopSides::before(std::size_t place, double height) {
  const std::size_t near_end = place > near_rows ? place - near_rows : 0;
  std::size_t i = place;
  while (i > near_end && readings_[i] > height) --i;
  if (readings_[i] <= height) return i;
  while (i % block_rows != 0 && readings_[i] > height) --i;
  if (readings_[i] <= height) return i;
  i = std::min(readings_.size(), (block_beside(i / block_rows, height, true) + 1) * block_rows) - 1;
  while (i > 0 && readings_[i] > height) --i;
  return i;
}

std::size_t TopSides::after(std::size_t place, double height) {
  const std::size_t last = readings_.size() - 1, near_end = std::min(last, place + near_rows);
  std::size_t i = place;
  while (i < near_end && readings_[i] > height) ++i;
  if (readings_[i] <= height) return i;
  while (i < last && i % block_rows != block_rows - 1 && readings_[i] > height) ++i;
  if (readings_[i] <= height) return i;
  i = block_beside(i / block_rows, height, false) * block_rows;
  while (i < last && readings_[i] > height) ++i;
  return i;
}

TopSides::Sides TopSides::at(const Top& top, double height) {
  const std::size_t a = before(top.first, height), b = after(top.last, height);
  Sides sides;
  sides.left = static_cast<double>(a) + (height - readings_[a]) / (readings_[a + 1] - readings_[a]);
  sides.right =
      static_cast<double>(b) - (height - readings_[b]) / (readings_[b - 1] - readings_[b]);
  return sides;
}

}  // namespace zerobeat::detail
