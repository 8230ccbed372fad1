#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/normal.hpp>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "kernel/bucket/numbers.hpp"
#include "kernel/order_statistics.hpp"
#include "view/picture/kinds.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_rows = 4;
constexpr std::size_t most_points = 2'000;

/// The readings of one strand, sorted.
struct Described {
  std::string title;
  std::vector<double> sorted;
  double mean = 0, std = 0;
};

Described described(const Column& numbers, const Strand& strand, const std::string& name) {
  Described out;
  for (std::size_t row = strand.begin; row < strand.end; ++row) {
    if (numbers.valid(row) && std::isfinite(numbers.numbers()[row])) {
      out.sorted.push_back(numbers.numbers()[row]);
    }
  }
  std::ranges::sort(out.sorted);
  BucketNumbers bucket_numbers(out.sorted, {});
  out.mean = bucket_numbers(Take{.stat = Stat::mean});
  out.std = bucket_numbers(Take{.stat = Stat::std});
  out.title = fmt::format("{}{}: {} readings, mean {:.4g}, std {:.4g}", name,
                          strand.key ? " " + key_text(*strand.key) : "",
                          grouped(static_cast<std::int64_t>(out.sorted.size())), out.mean, out.std);
  return out;
}

struct Bins {
  double from = 0, width = 1;
  std::vector<std::int64_t> counts;
};

/// Bins of twice the interquartile range over the cube root of n, between 8 and 120 of them.
Bins bins_of(const Described& described) {
  const std::size_t n = described.sorted.size();
  const auto at = [&](std::size_t k) { return described.sorted[k]; };
  const double range = described.sorted.back() - described.sorted.front();
  Bins bins;
  if (range == 0) {
    bins.from = described.sorted.front() - 0.5;
    bins.counts = {static_cast<std::int64_t>(n)};
    return bins;
  }
  const double middle = quantile_at(n, 0.75, at) - quantile_at(n, 0.25, at);
  const double asked = middle > 0 ? range / (2 * middle / std::cbrt(static_cast<double>(n))) : 30;
  const double number = std::clamp(std::ceil(asked), 8.0, 120.0);
  bins.width = range / number;
  bins.from = described.sorted.front();
  bins.counts.assign(static_cast<std::size_t>(number), 0);
  for (const double x : described.sorted) {
    const auto bin = static_cast<std::size_t>((x - bins.from) / bins.width);
    ++bins.counts[std::min(bin, bins.counts.size() - 1)];
  }
  return bins;
}

/// Sorted readings against quantiles of a distribution; of very many, so many evenly chosen ones,
/// the first and the last among them.
std::vector<Point> quantile_points(const Described& described, bool uniform) {
  // Not by way of long double, whose tables would be filled before main, and not under valgrind.
  using namespace boost::math::policies;
  const boost::math::normal_distribution<double, policy<promote_double<false>>> normal;
  const double low = described.sorted.front(), high = described.sorted.back();
  const std::size_t n = described.sorted.size(), count = std::min(n, most_points);
  std::vector<Point> points;
  for (std::size_t p = 0; p < count; ++p) {
    const std::size_t i = count == 1 ? 0 : p * (n - 1) / (count - 1);
    const double share = (static_cast<double>(i) + 0.5) / static_cast<double>(n);
    const double x = uniform ? low + share * (high - low) : boost::math::quantile(normal, share);
    points.push_back({x, described.sorted[i]});
  }
  return points;
}

/// How many readings there would be in each bin, as a line over the bins.
LineShape expected_in(const Bins& bins, const Described& described, bool uniform) {
  const double width = bins.width, span = width * static_cast<double>(bins.counts.size());
  const auto n = static_cast<double>(described.sorted.size());
  LineShape curve{.ink = ink(1), .width = 2};
  auto& stretch = curve.stretches.emplace_back();
  if (uniform) {
    const double height = n / static_cast<double>(bins.counts.size());
    stretch = {{bins.from, height}, {bins.from + span, height}};
    return curve;
  }
  const double height = n * width / (described.std * std::sqrt(2 * std::acos(-1.0)));
  constexpr int pieces = 400;
  for (int i = 0; i <= pieces; ++i) {
    const double x = bins.from + span * i / pieces;
    const double off = (x - described.mean) / described.std;
    stretch.push_back({x, height * std::exp(-0.5 * off * off)});
  }
  return curve;
}

Panel histogram(const Described& described, const std::string& axis, bool uniform) {
  const Bins bins = bins_of(described);
  Panel panel;
  panel.title = described.title;
  panel.x.name = axis;
  panel.y.name = "readings";
  const double width = bins.width, span = width * static_cast<double>(bins.counts.size());
  panel.x.low = bins.from - 0.02 * span;
  panel.x.high = bins.from + 1.02 * span;
  BoxShape bars{.ink = ink(0), .edged = true};
  std::int64_t most = 0;
  for (std::size_t i = 0; i < bins.counts.size(); ++i) {
    const double left = bins.from + width * static_cast<double>(i);
    if (bins.counts[i] > 0) {
      bars.boxes.push_back({left, left + width, 0, static_cast<double>(bins.counts[i])});
    }
    most = std::max(most, bins.counts[i]);
  }
  panel.shapes.push_back({std::move(bars), "readings", false, false});
  auto highest = static_cast<double>(most);
  if (described.std > 0) {
    LineShape curve = expected_in(bins, described, uniform);
    for (const Point& point : curve.stretches[0]) highest = std::max(highest, point.y);
    panel.shapes.push_back({std::move(curve), uniform
                                                  ? "uniform, between the least and the greatest"
                                                  : "normal, of this mean and std"});
  }
  panel.y.low = 0;
  panel.y.high = highest * 1.05;
  return panel;
}

Panel quantiles(const Described& described, const std::string& axis, bool uniform) {
  Panel panel;
  panel.x.name = fmt::format("quantile of the {} distribution", uniform ? "uniform" : "normal");
  panel.y.name = axis;
  const auto points = quantile_points(described, uniform);
  if (uniform) {
    const double room = std::max(1e-9, 0.05 * (points.back().x - points.front().x));
    panel.x.low = points.front().x - room;
    panel.x.high = points.back().x + room;
  } else {
    const double wide = std::max(0.5, 1.06 * points.back().x);
    panel.x.low = -wide;
    panel.x.high = wide;
  }
  double low = described.sorted.front(), high = described.sorted.back();
  if (described.std > 0) {
    LineShape line{.ink = ink(1), .width = 2};
    const auto at = [&](double x) { return uniform ? x : described.mean + described.std * x; };
    line.stretches.push_back(
        {{points.front().x, at(points.front().x)}, {points.back().x, at(points.back().x)}});
    low = std::min(low, at(points.front().x));
    high = std::max(high, at(points.back().x));
    panel.shapes.push_back(
        {std::move(line), uniform ? "where uniform ones lie" : "where normal ones lie"});
  }
  const double room = high > low ? 0.05 * (high - low) : 0.5;
  panel.y.low = low - room;
  panel.y.high = high + room;
  panel.shapes.push_back({PointShape{points, ink(0), Mark::dot, 3}, "readings", false, false});
  return panel;
}

}  // namespace

DrawnPicture draw_describe(const PictureTask& task) {
  const Timeline& timeline = task.material->timelines[0];
  std::vector<Described> all;
  std::vector<std::string> columns;
  for (const auto& name : task.material->names.at("on")) {
    const Column numbers = timeline.values().column(name).as_numbers();
    for (const Strand& strand : timeline.strands()) {
      Described description = described(numbers, strand, shown_name(task.look, name));
      if (description.sorted.empty()) continue;
      all.push_back(std::move(description));
      columns.push_back(name);
    }
  }
  if (all.empty()) return nothing_to_draw("every reading is missing");
  if (all.size() > most_rows) {
    fail_usage(
        "{} strands and columns are more than fit, which is {}; choose some: describe ‹on› "
        "A,B, or select ‹keys› A,B before",
        all.size(), most_rows);
  }
  const bool uniform = task.material->names.at("against")[0] == "uniform";
  DrawnPicture out;
  std::vector<std::string> titles;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const std::string axis = axis_name(task.look, columns[i]);
    out.drawing.rows.push_back(
        {{histogram(all[i], axis, uniform), quantiles(all[i], axis, uniform)}});
    titles.push_back(all[i].title);
  }
  out.drawing.name = "How readings are spread";
  out.drawing.description = fmt::format("{}", fmt::join(titles, "; "));
  return out;
}

}  // namespace zerobeat::detail
