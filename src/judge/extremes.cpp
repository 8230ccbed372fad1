#include <algorithm>
#include <array>
#include <cmath>
#include <zerobeat/judge/extremes.hpp>

namespace zerobeat {

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
    const double own = value;
    const auto own_next = other.next;
    *this = other;
    next = nearer(own_next, own);
  } else {
    next = nearer(next, other.value);
  }
}

Extremes::End Extremes::end_of(std::span<const double> readings, std::int64_t row, double sign) {
  End end;
  double least = HUGE_VAL;
  for (const double reading : readings) least = std::min(least, sign * reading);
  double next = HUGE_VAL;
  std::int64_t count = 0;
  for (const double reading : readings) {
    const double own = sign * reading;
    count += own == least;
    next = std::min(next, own > least ? own : HUGE_VAL);
  }
  end.value = least;
  end.count = count;
  if (next < HUGE_VAL) end.next = next;
  const auto first =
      std::ranges::find_if(readings, [&](double reading) { return sign * reading == least; });
  end.first_row = row + (first - readings.begin());
  return end;
}

void Extremes::add(std::span<const double> readings, std::int64_t row) {
  if (readings.empty()) return;
  low_.take(end_of(readings, row, 1));
  high_.take(end_of(readings, row, -1));
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
