#include "model/tops.hpp"

#include <algorithm>
#include <bit>
#include <limits>

namespace zerobeat::inline v1::detail {

namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

}  // namespace

Tops::Tops(std::span<const double> readings) : readings_(readings) {
  find(readings);
  measure();
}

void Tops::find(std::span<const double> readings) {
  const std::size_t n = readings.size();
  if (n == 0) return;
  // Where the readings last rose or fell, and which.
  Bottom bottom{0, 0, readings[0]};
  bool rising = false;
  std::size_t begin = 0;  // of the run of equal readings that is being looked at
  for (std::size_t i = 1; i < n; ++i) {
    const double before = readings[i - 1], value = readings[i];
    if (value == before) continue;
    if (value > before) {
      if (!rising && before <= bottom.value) bottom = {begin, i - 1, before};
      rising = true;
    } else {
      if (rising) {
        tops_.push_back({begin, i - 1, before, 0});
        bottoms_.push_back(bottom);
        bottom = {i, i, value};
      }
      rising = false;
      if (value <= bottom.value) bottom = {i, i, value};
    }
    begin = i;
  }
  if (!rising && readings[n - 1] <= bottom.value) bottom = {begin, n - 1, readings[n - 1]};
  bottoms_.push_back(bottom);
}

void Tops::measure() {
  // What is higher than a top and is none itself stands at an end, or on the side of a higher top:
  // then the lowest reading between is the same.
  struct Higher {
    double value, lowest;  ///< the lowest reading between it and the next higher one before it
  };
  const std::size_t count = tops_.size();
  if (count == 0) return;
  std::vector<double> left(count);
  std::vector<Higher> stack;
  const auto pass = [&](double end, auto bottom_of, auto order, auto&& put) {
    stack.clear();
    stack.push_back({end, infinity});
    for (std::size_t i = 0; i < count; ++i) {
      const std::size_t top = order(i);
      double lowest = bottom_of(top);
      while (!stack.empty() && stack.back().value <= tops_[top].value) {
        lowest = std::min(lowest, stack.back().lowest);
        stack.pop_back();
      }
      put(top, lowest);
      stack.push_back({tops_[top].value, lowest});
    }
  };
  pass(
      readings_.front(), [&](std::size_t top) { return bottoms_[top].value; },
      [](std::size_t i) { return i; }, [&](std::size_t top, double lowest) { left[top] = lowest; });
  pass(
      readings_.back(), [&](std::size_t top) { return bottoms_[top + 1].value; },
      [&](std::size_t i) { return count - 1 - i; },
      [&](std::size_t top, double lowest) {
        tops_[top].prominence = tops_[top].value - std::max(left[top], lowest);
      });
}

void Tops::make_tree() {
  leaves_ = std::bit_ceil(std::max<std::size_t>(1, bottoms_.size()));
  tree_.assign(2 * leaves_, infinity);
  for (std::size_t i = 0; i < bottoms_.size(); ++i) tree_[leaves_ + i] = bottoms_[i].value;
  for (std::size_t i = leaves_ - 1; i > 0; --i) tree_[i] = std::min(tree_[2 * i], tree_[2 * i + 1]);
}

/// The nearest bottom on a side that lies at a height or below; there must be one.
std::size_t Tops::bottom_at(std::size_t top, double height, bool left) {
  // Mostly it is the next one, or near.
  constexpr std::size_t near = 8;
  for (std::size_t d = 0; d < near; ++d) {
    if (left && d > top) break;
    if (!left && top + 1 + d >= bottoms_.size()) break;
    const std::size_t bottom = left ? top - d : top + 1 + d;
    if (bottoms_[bottom].value <= height) return bottom;
  }
  if (tree_.empty()) make_tree();
  // Up to a stretch on that side that holds one, then down to the nearest in it.
  std::size_t node = leaves_ + (left ? top : top + 1);
  if (!(tree_[node] <= height)) {
    for (;; node /= 2) {
      const bool is_right = (node & 1) != 0;
      if (left == is_right && tree_[node ^ 1] <= height) {
        node ^= 1;
        break;
      }
      if (node <= 1) return left ? 0 : bottoms_.size() - 1;
    }
    while (node < leaves_) {
      const std::size_t nearer = 2 * node + (left ? 1 : 0);
      node = tree_[nearer] <= height ? nearer : nearer ^ 1;
    }
  }
  return node - leaves_;
}

Tops::Sides Tops::sides_at(std::size_t top, double height) {
  // From the bottom to the top on its inner side the readings only rise.
  const std::size_t left_bottom = bottom_at(top, height, true);
  const std::size_t right_bottom = bottom_at(top, height, false);
  // Of the tops between, the readings on the inner slope of that bottom.
  const std::size_t rise_begin = bottoms_[left_bottom].last, rise_end = tops_[left_bottom].first;
  const auto rise = readings_.subspan(rise_begin, rise_end - rise_begin + 1);
  const auto up = static_cast<std::size_t>(
      std::ranges::partition_point(rise, [&](double value) { return value <= height; }) -
      rise.begin());
  const std::size_t above = rise_begin + up;
  const std::size_t fall_begin = tops_[right_bottom - 1].last,
                    fall_end = bottoms_[right_bottom].first;
  const auto fall = readings_.subspan(fall_begin, fall_end - fall_begin + 1);
  const auto down = static_cast<std::size_t>(
      std::ranges::partition_point(fall, [&](double value) { return value > height; }) -
      fall.begin());
  const std::size_t beneath = fall_begin + down;
  Sides sides;
  const double a = readings_[above - 1], b = readings_[above];
  sides.left = static_cast<double>(above - 1) + (height - a) / (b - a);
  const double c = readings_[beneath - 1], d = readings_[beneath];
  sides.right = static_cast<double>(beneath - 1) + (c - height) / (c - d);
  return sides;
}

}  // namespace zerobeat::detail
