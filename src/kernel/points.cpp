#include "kernel/points.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>

#include "base/clones.hpp"
#include "base/wide.hpp"
#include "kernel/row_search.hpp"
#include "kernel/sums.hpp"

// The vectors below never leave this file, so that how they are passed on does not matter.
#pragma GCC diagnostic ignored "-Wpsabi"

namespace zerobeat::inline v1::detail {

namespace {

// Four readings side by side, whatever the machine's vectors are.
constexpr std::size_t lanes = 4;
using Numbers = double __attribute__((vector_size(32)));
using Whole = std::int64_t __attribute__((vector_size(32)));

/// Lengths of time as numbers. There is no instruction for it before AVX-512, but lengths below
/// 2^52 are the low bits of the number 2^52 + length; longer ones are shifted until they are.
struct Lengths {
  std::int64_t origin = 0;
  int shift = 0;

  Lengths(Instant from, Instant until)
      : origin(nanoseconds_of(from)),
        shift(std::max(
            0, static_cast<int>(std::bit_width(static_cast<std::uint64_t>(nanoseconds_of(until)) -
                                               static_cast<std::uint64_t>(nanoseconds_of(from)))) -
                   52)) {}

  double operator()(std::int64_t at) const {
    const auto length = static_cast<std::uint64_t>(at) - static_cast<std::uint64_t>(origin);
    return static_cast<double>(length >> shift);
  }
};

inline Numbers load(const double* from) {
  Numbers out;
  std::memcpy(&out, from, sizeof out);
  return out;
}

inline Numbers load_lengths(const std::int64_t* from, std::int64_t origin, int shift) {
  using Bits = std::uint64_t __attribute__((vector_size(32)));
  constexpr std::uint64_t two_52 = 0x4330000000000000;
  Bits length;
  std::memcpy(&length, from, sizeof length);
  length = ((length - static_cast<std::uint64_t>(origin)) >> shift) | two_52;
  Numbers out;
  std::memcpy(&out, &length, sizeof out);
  return out - 4503599627370496.0;
}

/// Sums of lengths and values.
ZEROBEAT_CLONES
void add_up(const std::int64_t* times, const double* values, std::size_t n, std::int64_t origin,
            int shift, double& x, double& y) {
  Numbers sum_x = {}, sum_y = {}, more_x = {}, more_y = {};
  std::size_t i = 0;
  for (; i + 2 * lanes <= n; i += 2 * lanes) {
    sum_x += load_lengths(times + i, origin, shift);
    sum_y += load(values + i);
    more_x += load_lengths(times + i + lanes, origin, shift);
    more_y += load(values + i + lanes);
  }
  sum_x += more_x;
  sum_y += more_y;
  x = (sum_x[0] + sum_x[1]) + (sum_x[2] + sum_x[3]);
  y = (sum_y[0] + sum_y[1]) + (sum_y[2] + sum_y[3]);
  for (; i < n; ++i) {
    x += static_cast<double>(
        (static_cast<std::uint64_t>(times[i]) - static_cast<std::uint64_t>(origin)) >> shift);
    y += values[i];
  }
}

/// The first place of the largest triangle with the origin, where the chosen point is at height y0,
/// and the mean point, at (x1, y1).
ZEROBEAT_CLONES
std::size_t largest_of(const std::int64_t* times, const double* values, std::size_t n,
                       std::int64_t origin, int shift, double y0, double x1, double y1) {
  const double rise = y1 - y0;
  Numbers best = {-1, -1, -1, -1};
  Whole best_at = {0, 0, 0, 0};
  Whole at = {0, 1, 2, 3};
  std::size_t i = 0;
  for (; i + lanes <= n; i += lanes) {
    const Numbers x = load_lengths(times + i, origin, shift);
    const Numbers twice = x * rise - x1 * (load(values + i) - y0);
    const Numbers area = twice < 0 ? -twice : twice;
    const auto larger = area > best;
    best = larger ? area : best;
    best_at = larger ? at : best_at;
    at += static_cast<std::int64_t>(lanes);
  }
  double most = -1;
  std::size_t place = 0;
  for (std::size_t k = 0; k < lanes && i > 0; ++k) {
    const auto own = static_cast<std::size_t>(best_at[k]);
    if (best[k] > most || (best[k] == most && own < place)) {
      most = best[k];
      place = own;
    }
  }
  for (; i < n; ++i) {
    const double x = static_cast<double>(
        (static_cast<std::uint64_t>(times[i]) - static_cast<std::uint64_t>(origin)) >> shift);
    const double area = std::abs(x * rise - x1 * (values[i] - y0));
    if (area > most) {
      most = area;
      place = i;
    }
  }
  return place;
}

ZEROBEAT_CLONES
double furthest_between(const std::int64_t* times, const double* values, std::size_t n,
                        std::int64_t origin, int shift, double y0, double slope) {
  Numbers most = {};
  std::size_t i = 0;
  for (; i + lanes <= n; i += lanes) {
    const Numbers off = load(values + i) - (load_lengths(times + i, origin, shift) * slope + y0);
    const Numbers distance = off < 0 ? -off : off;
    most = distance > most ? distance : most;
  }
  double furthest = std::max(std::max(most[0], most[1]), std::max(most[2], most[3]));
  for (; i < n; ++i) {
    const double x = static_cast<double>(
        (static_cast<std::uint64_t>(times[i]) - static_cast<std::uint64_t>(origin)) >> shift);
    furthest = std::max(furthest, std::abs(values[i] - (x * slope + y0)));
  }
  return furthest;
}

const std::int64_t* whole(std::span<const Instant> times) {
  static_assert(sizeof(Instant) == sizeof(std::int64_t));
  return reinterpret_cast<const std::int64_t*>(times.data());
}

/// How far the furthest reading between places a and b is from the line between those.
double furthest_of_segment(std::span<const Instant> times, std::span<const double> values,
                           std::size_t a, std::size_t b) {
  if (b - a < 2) return 0;
  const Lengths lengths(times[a], times[b]);
  const double run = lengths(nanoseconds_of(times[b]));
  if (run == 0) {
    // The line goes straight up: what is between its ends is on it.
    const auto [low, high] = std::minmax(values[a], values[b]);
    double most = 0;
    for (std::size_t i = a + 1; i < b; ++i) {
      most = std::max({most, low - values[i], values[i] - high});
    }
    return most;
  }
  const double slope = (values[b] - values[a]) / run;
  return furthest_between(whole(times) + a + 1, values.data() + a + 1, b - a - 1, lengths.origin,
                          lengths.shift, values[a], slope);
}

}  // namespace

std::vector<std::size_t> largest_triangles(std::span<const Instant> times,
                                           std::span<const double> values, std::size_t points,
                                           double* furthest) {
  double most = 0;
  const std::size_t n = values.size();
  std::vector<std::size_t> chosen;
  if (n <= points) {
    chosen.resize(n);
    for (std::size_t i = 0; i < n; ++i) chosen[i] = i;
    if (furthest != nullptr) *furthest = 0;
    return chosen;
  }
  chosen.reserve(points);
  chosen.push_back(0);
  const std::size_t buckets = points - 2;
  const double every = static_cast<double>(n - 2) / static_cast<double>(buckets);
  const auto start_of = [&](std::size_t bucket) {
    return std::min(n, static_cast<std::size_t>(static_cast<double>(bucket) * every) + 1);
  };
  for (std::size_t b = 0; b < buckets; ++b) {
    const std::size_t from = start_of(b), until = start_of(b + 1), next_until = start_of(b + 2);
    const std::size_t last = chosen.back();
    // The mean of the next bucket; after the last one, of the last reading.
    const std::size_t next = std::min(until, n - 1);
    const std::size_t size = std::max(next_until, next + 1) - next;
    const Lengths lengths(times[last], times[next + size - 1]);
    double x = 0, y = 0;
    add_up(whole(times) + next, values.data() + next, size, lengths.origin, lengths.shift, x, y);
    x /= static_cast<double>(size);
    y /= static_cast<double>(size);
    chosen.push_back(from + largest_of(whole(times) + from, values.data() + from, until - from,
                                       lengths.origin, lengths.shift, values[last], x, y));
    // Now, while what lies between is at hand.
    if (furthest != nullptr) {
      most = std::max(most, furthest_of_segment(times, values, last, chosen.back()));
    }
  }
  if (furthest != nullptr) {
    *furthest = std::max(most, furthest_of_segment(times, values, chosen.back(), n - 1));
  }
  chosen.push_back(n - 1);
  return chosen;
}

std::vector<std::size_t> extremes_of_stretches(std::span<const Instant> times,
                                               std::span<const double> values, Instant from,
                                               Instant until, std::size_t stretches) {
  std::vector<std::size_t> chosen;
  const Wide origin = nanoseconds_of(from), span = Wide(nanoseconds_of(until)) - origin;
  std::size_t at = 0;
  std::size_t before = 0;
  while (at < values.size()) {
    // The stretch that holds this reading, and the readings up to its end.
    const Wide since = Wide(nanoseconds_of(times[at])) - origin;
    const Wide number = span == 0 ? Wide(stretches) : since * Wide(stretches) / span;
    std::size_t end = values.size();
    if (number + 1 < Wide(stretches)) {
      const Wide stop = origin + ((number + 1) * span + Wide(stretches) - 1) / Wide(stretches);
      end = first_not(at, values.size(), at + before,
                      [&](std::size_t i) { return nanoseconds_of(times[i]) < stop; });
    }
    before = end - at;
    const auto stretch = values.subspan(at, end - at);
    const Extremes<double> extremes = extremes_of(stretch);
    const auto place_of = [&](double value) {
      const auto found = std::ranges::find(stretch, value);  // not there when it is not a number
      return found == stretch.end() ? at : at + static_cast<std::size_t>(found - stretch.begin());
    };
    std::size_t four[] = {at, place_of(extremes.least), place_of(extremes.most), end - 1};
    std::ranges::sort(four);
    for (const std::size_t place : four) {
      if (chosen.empty() || place != chosen.back()) chosen.push_back(place);
    }
    at = end;
  }
  return chosen;
}

double furthest_from_line(std::span<const Instant> times, std::span<const double> values,
                          std::span<const std::size_t> places) {
  double most = 0;
  for (std::size_t s = 0; s + 1 < places.size(); ++s) {
    most = std::max(most, furthest_of_segment(times, values, places[s], places[s + 1]));
  }
  return most;
}

}  // namespace zerobeat::detail
