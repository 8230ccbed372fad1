#include "align/clock/scale.hpp"

#include <algorithm>

#include "align/clock/match.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_pairs = 20'000, most_bins = 32, least_in_bin = 20;

/// A reading of the other and the reference's line there.
struct Met {
  double from = 0, to = 0;
};

std::vector<Met> where_they_meet(const ClockReadings& reference, const ClockReadings& other,
                                 const ClockFit& fit) {
  std::vector<Met> all;
  meet(reference, other, fit.offset_s, fit.drift, most_pairs, [&](double line, double reading) {
    all.push_back({reading, line});
  });
  std::ranges::sort(all, {}, &Met::from);
  return all;
}

std::vector<RisingCurve::Knot> rising_knots(const std::vector<Met>& all, std::size_t bins) {
  struct Bin {
    double n, from, to;  // means
  };
  std::vector<Bin> rising;
  for (std::size_t b = 0; b < bins; ++b) {
    const std::size_t begin = b * all.size() / bins, end = (b + 1) * all.size() / bins;
    Bin bin{static_cast<double>(end - begin), 0, 0};
    for (std::size_t i = begin; i < end; ++i) {
      bin.from += all[i].from / bin.n;
      bin.to += all[i].to / bin.n;
    }
    while (!rising.empty() && (rising.back().to >= bin.to || rising.back().from >= bin.from)) {
      const Bin& last = rising.back();
      const double n = last.n + bin.n;
      bin = {n, (last.n * last.from + bin.n * bin.from) / n,
             (last.n * last.to + bin.n * bin.to) / n};
      rising.pop_back();
    }
    rising.push_back(bin);
  }
  std::vector<RisingCurve::Knot> knots;
  for (const Bin& bin : rising) knots.push_back({bin.from, bin.to});
  return knots;
}

/// The mean squared difference from a straight line by least squares.
double rest_of_line(const std::vector<Met>& all) {
  const auto n = static_cast<double>(all.size());
  double from = 0, to = 0, ff = 0, ft = 0, tt = 0;
  for (const Met& met : all) {
    from += met.from / n;
    to += met.to / n;
  }
  for (const Met& met : all) {
    ff += (met.from - from) * (met.from - from);
    ft += (met.from - from) * (met.to - to);
    tt += (met.to - to) * (met.to - to);
  }
  return (tt - (ff > 0 ? ft * ft / ff : 0)) / n;
}

double rest_of_curve(const std::vector<Met>& all, const RisingCurve& curve) {
  double sum = 0;
  for (const Met& met : all) {
    const double off = met.to - curve(met.from);
    sum += off * off;
  }
  return sum / static_cast<double>(all.size());
}

}  // namespace

double RisingCurve::operator()(double x) const {
  const auto next = std::ranges::upper_bound(knots_, x, {}, &Knot::from);
  const auto right = std::clamp(next, knots_.begin() + 1, knots_.end() - 1);
  const Knot &a = *(right - 1), &b = *right;
  return a.to + (x - a.from) / (b.from - a.from) * (b.to - a.to);
}

std::optional<RisingCurve> curved_scale(const ClockReadings& reference, const ClockReadings& other,
                                        const ClockFit& fit) {
  const auto all = where_they_meet(reference, other, fit);
  const std::size_t bins = std::min(most_bins, all.size() / least_in_bin);
  if (bins < 3) return std::nullopt;
  auto knots = rising_knots(all, bins);
  if (knots.size() < 3) return std::nullopt;
  RisingCurve curve(std::move(knots));
  constexpr double nearly = 0.9;
  if (rest_of_curve(all, curve) > nearly * rest_of_line(all)) return std::nullopt;
  return curve;
}

}  // namespace zerobeat::detail
