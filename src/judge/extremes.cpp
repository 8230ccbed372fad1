#include <algorithm>
#include <array>
#include <cmath>
#include <zerobeat/judge/extremes.hpp>

#include "base/clones.hpp"

namespace zerobeat::inline v1 {

void Extremes::End::take(const End& other) {
  if (other.count == 0) return;
  if (count == 0) {
    *this = other;
    return;
  }
  const auto nearer = [](std::optional<double> a, std::optional<double> b) {
    if (!a || !b) return a ? a : b;
    return std::optional(std::min(*a, *b));
  };
  if (other.value == value) {
    count += other.count;
    first_row = std::min(first_row, other.first_row);
    next = nearer(next, other.next);
  } else if (other.value < value) {
    const double x = value;
    const auto own_next = other.next;
    *this = other;
    next = nearer(own_next, x);
  } else {
    next = nearer(next, other.value);
  }
}

namespace {

struct Range {
  double least, greatest;
};

/// Eight at a time, for a comparison waits on the one before.
ZEROBEAT_CLONES Range range_of(std::span<const double> readings) {
  constexpr std::size_t lanes = 8;
  double least[lanes], greatest[lanes];
  std::fill_n(least, lanes, readings[0]);
  std::fill_n(greatest, lanes, readings[0]);
  const double* const value = readings.data();
  std::size_t i = 0;
  for (; i + lanes <= readings.size(); i += lanes) {
    for (std::size_t k = 0; k < lanes; ++k) {
      least[k] = value[i + k] < least[k] ? value[i + k] : least[k];
      greatest[k] = value[i + k] > greatest[k] ? value[i + k] : greatest[k];
    }
  }
  for (; i < readings.size(); ++i) {
    least[0] = std::min(least[0], value[i]);
    greatest[0] = std::max(greatest[0], value[i]);
  }
  return {*std::min_element(least, least + lanes), *std::max_element(greatest, greatest + lanes)};
}

}  // namespace

Extremes::End Extremes::end_of(std::span<const double> readings, std::int64_t row, double least,
                               double sign) {
  End end;
  end.value = least;
  for (std::size_t i = 0; i < readings.size(); ++i) {
    const double value = sign * readings[i];
    if (value == least) {
      if (end.count++ == 0) end.first_row = row + static_cast<std::int64_t>(i);
    } else {
      end.next = end.next ? std::min(*end.next, value) : value;
    }
  }
  return end;
}

void Extremes::add(std::span<const double> readings, std::int64_t row) {
  constexpr std::size_t block = 256;
  for (std::size_t from = 0; from < readings.size(); from += block) {
    const auto stretch = readings.subspan(from, std::min(block, readings.size() - from));
    const std::int64_t own_row = row + static_cast<std::int64_t>(from);
    const auto [least, greatest] = range_of(stretch);
    const auto take = [&](End& end, double value, double sign) {
      // Most blocks have nothing at the very end, and their own end may only be next to it.
      if (end.count == 0 || value <= end.value) {
        end.take(end_of(stretch, own_row, value, sign));
      } else {
        end.next = end.next ? std::min(*end.next, value) : value;
      }
    };
    take(low_, least, 1);
    take(high_, -greatest, -1);
  }
}

void Extremes::append(const Extremes& next, std::int64_t rows) {
  End low = next.low_, high = next.high_;
  low.first_row += rows;
  high.first_row += rows;
  low_.take(low);
  high_.take(high);
}

std::optional<Extremes::Sentinel> Extremes::sentinel_at(const End& end, const End& other_end,
                                                        double sign) const {
  constexpr std::int64_t again_and_again = 3;
  if (end.count < again_and_again || !end.next || !std::isfinite(end.value)) return std::nullopt;
  // Values that are commonly written for missing need not be as far off.
  static constexpr std::array<double, 17> common{
      9.0,   99.0,   999.0,   9999.0,  99999.0, 999999.0, 99.9, 999.9, 9999.9,
      99.99, 999.99, 9999.99, 32767.0, 32768.0, 65535.0,  1e20, 1e30};
  const double size = std::abs(end.value);
  const bool usual = std::ranges::find(common, size) != common.end();
  const double apart = *end.next - end.value;
  const auto is_far = [&](double others) {
    return others > 0 && apart > (usual ? 1.0 : 3.0) * others;
  };
  // The other end may be such a value, too; then what is next to it ends the others.
  double far = -other_end.value;
  if (!is_far(far - *end.next) && other_end.count >= again_and_again && other_end.next) {
    far = -*other_end.next;
  }
  if (!is_far(far - *end.next)) return std::nullopt;
  Sentinel found{sign * end.value, end.count, end.first_row, sign * *end.next, sign * far};
  if (sign < 0) std::swap(found.others_least, found.others_greatest);
  return found;
}

std::optional<Extremes::Sentinel> Extremes::sentinel() const {
  const auto low = sentinel_at(low_, high_, 1), high = sentinel_at(high_, low_, -1);
  if (low && high) return low->count >= high->count ? low : high;
  return low ? low : high;
}

}  // namespace zerobeat
