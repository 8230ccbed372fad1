#include "model/loess.hpp"

#include <algorithm>
#include <cmath>

#include "base/parallel.hpp"

namespace zerobeat::inline v1::detail {

namespace {

double tricube(double share) {
  if (share >= 1) return 0;
  const double rest = 1 - share * share * share;
  return rest * rest * rest;
}

/// Weighted sums of points, by their distance from a place.
struct Sums {
  double weight = 0, first = 0, second = 0, value = 0, value_first = 0;

  void add(double w, double distance, double y) {
    weight += w;
    first += w * distance;
    second += w * distance * distance;
    value += w * y;
    value_first += w * distance * y;
  }

  /// The mean, or the line, at distance 0. `scale` is that of distances.
  [[nodiscard]] double estimate(int degree, double scale) const {
    const double mean = value / weight;
    if (degree == 0) return mean;
    const double center = first / weight;
    const double spread = second / weight - center * center;
    // Points that stand at one place have no slope.
    if (!(spread > 1e-12 * scale * scale)) return mean;
    const double slope = (value_first / weight - center * mean) / spread;
    return mean - slope * center;
  }
};

/// The points [begin, end) that are nearest to a place, when as many as `size`.
class Nearest {
 public:
  Nearest(std::span<const double> places, std::size_t size, double at)
      : places_(places), size_(std::min(size, places.size())) {
    const auto right =
        static_cast<std::size_t>(std::ranges::lower_bound(places, at) - places.begin());
    begin_ = right > size_ ? right - size_ : 0;
    move_to(at);
  }

  /// To a place that is not before the last.
  void move_to(double at) {
    while (begin_ + size_ < places_.size() &&
           std::fabs(places_[begin_ + size_] - at) < std::fabs(places_[begin_] - at)) {
      ++begin_;
    }
  }
  [[nodiscard]] std::size_t begin() const { return begin_; }
  [[nodiscard]] std::size_t end() const { return begin_ + size_; }

 private:
  std::span<const double> places_;
  std::size_t size_, begin_ = 0;
};

double estimate_at(const LoessPoints& points, std::size_t window, int degree, double at,
                   const Nearest& nearest) {
  const std::size_t begin = nearest.begin(), end = nearest.end();
  if (begin == end) return std::nan("");
  double furthest =
      std::max(std::fabs(points.places[begin] - at), std::fabs(points.places[end - 1] - at));
  if (window > points.places.size()) {
    furthest *= static_cast<double>(window) / static_cast<double>(points.places.size());
  }
  const auto sums_of = [&](bool with_weights) {
    Sums sums;
    for (std::size_t i = begin; i < end; ++i) {
      const double distance = points.places[i] - at;
      double weight = furthest > 0 ? tricube(std::fabs(distance) / furthest) : 1;
      if (with_weights) weight *= points.weights[i];
      if (weight > 0) sums.add(weight, distance, points.values[i]);
    }
    return sums;
  };
  Sums sums = sums_of(!points.weights.empty());
  if (!(sums.weight > 0)) sums = sums_of(false);
  // All at the edge of the window: the nearest ones.
  if (!(sums.weight > 0)) {
    for (std::size_t i = begin; i < end; ++i) sums.add(1, points.places[i] - at, points.values[i]);
  }
  return sums.estimate(degree, std::max(furthest, 1e-300));
}

/// Whether the points stand at `count` places one apart from `first` on.
bool is_even(const LoessPoints& points, double first, std::size_t count) {
  if (points.places.size() != count || count == 0 || points.places[0] != first) return false;
  for (std::size_t i = 1; i < count; ++i) {
    if (points.places[i] != first + static_cast<double>(i)) return false;
  }
  return true;
}

/// The weights of a window around its middle; at distances of half of it they are nothing.
struct Kernel {
  std::vector<double> plain{}, first{}, second{};

  explicit Kernel(std::size_t half) {
    const auto reach = static_cast<double>(half);
    for (std::size_t i = 0; i < 2 * half - 1; ++i) {
      const double distance = static_cast<double>(i) - (reach - 1);
      const double weight = tricube(std::fabs(distance) / reach);
      plain.push_back(weight);
      first.push_back(weight * distance);
      second.push_back(weight * distance * distance);
    }
  }
};

double product(const std::vector<double>& kernel, const double* values) {
  constexpr std::size_t lanes = 8;
  double sums[lanes] = {};
  std::size_t i = 0;
  for (; i + lanes <= kernel.size(); i += lanes) {
    for (std::size_t j = 0; j < lanes; ++j) sums[j] += kernel[i + j] * values[i + j];
  }
  double all = 0;
  for (; i < kernel.size(); ++i) all += kernel[i] * values[i];
  for (const double sum : sums) all += sum;
  return all;
}

/// Rows of which each is a point: away from the ends the window is the same around each.
void smooth_even(const LoessPoints& points, std::size_t window, double first,
                 std::vector<double>& out) {
  const std::size_t n = points.places.size(), half = (window - 1) / 2;
  const Kernel kernel(half);
  std::vector<double> weighted;
  if (!points.weights.empty()) {
    for (std::size_t i = 0; i < n; ++i) weighted.push_back(points.weights[i] * points.values[i]);
  }
  double all = 0;
  for (const double weight : kernel.plain) all += weight;
  constexpr std::size_t chunk = 4096;
  parallel_for(std::size_t{0}, (n + chunk - 1) / chunk, [&](std::size_t c) {
    for (std::size_t row = c * chunk; row < std::min(n, (c + 1) * chunk); ++row) {
      const double at = first + static_cast<double>(row);
      if (row < half || row + half >= n) {
        out[row] = loess_at(points, window, 1, at);
        continue;
      }
      const std::size_t from = row - (half - 1);
      if (points.weights.empty()) {
        // By symmetry the line passes through the mean.
        out[row] = product(kernel.plain, points.values.data() + from) / all;
        continue;
      }
      const Sums sums{product(kernel.plain, points.weights.data() + from),
                      product(kernel.first, points.weights.data() + from),
                      product(kernel.second, points.weights.data() + from),
                      product(kernel.plain, weighted.data() + from),
                      product(kernel.first, weighted.data() + from)};
      out[row] = sums.weight > 0 ? sums.estimate(1, static_cast<double>(half))
                                 : loess_at(points, window, 1, at);
    }
  });
}

}  // namespace

double loess_at(const LoessPoints& points, std::size_t window, int degree, double at) {
  return estimate_at(points, window, degree, at, Nearest(points.places, window, at));
}

std::vector<double> loess(const LoessPoints& points, std::size_t window, int degree, double first,
                          std::size_t count) {
  std::vector<double> out(count);
  const bool odd = window % 2 == 1 && window >= 5 && window < count;
  if (degree == 1 && odd && is_even(points, first, count)) {
    smooth_even(points, window, first, out);
    return out;
  }
  constexpr std::size_t chunk = 4096;
  parallel_for(std::size_t{0}, (count + chunk - 1) / chunk, [&](std::size_t c) {
    const std::size_t begin = c * chunk;
    Nearest nearest(points.places, window, first + static_cast<double>(begin));
    for (std::size_t i = begin; i < std::min(count, begin + chunk); ++i) {
      const double at = first + static_cast<double>(i);
      nearest.move_to(at);
      out[i] = estimate_at(points, window, degree, at, nearest);
    }
  });
  return out;
}

}  // namespace zerobeat::detail
