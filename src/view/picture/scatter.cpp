#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "view/picture/changes.hpp"
#include "view/picture/lines.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_points = 40'000;

/// One strand's rows that have both.
struct Cloud {
  std::string title{};
  std::vector<Point> points{};
};

const Column& numeric_column(const Timeline& timeline, const std::string& name) {
  const Column& column = timeline.values().column(name);
  if (!column.is_numeric()) fail_usage("column \"{}\" holds no numbers to draw", shown(name));
  return column;
}

/// The least-squares line, about the middle of the points so that it is exact far from zero.
struct FittedLine {
  double slope = 0, middle_x = 0, middle_y = 0, r_squared = 0;
  bool any = false;

  [[nodiscard]] double at(double x) const { return middle_y + slope * (x - middle_x); }
};

FittedLine fit(const std::vector<Point>& points) {
  FittedLine line;
  if (points.size() < 2) return line;
  for (const Point& point : points) {
    line.middle_x += point.x / static_cast<double>(points.size());
    line.middle_y += point.y / static_cast<double>(points.size());
  }
  double xx = 0, xy = 0, yy = 0;
  for (const Point& point : points) {
    const double x = point.x - line.middle_x, y = point.y - line.middle_y;
    xx += x * x;
    xy += x * y;
    yy += y * y;
  }
  line.any = xx > 0;
  if (!line.any) return line;
  line.slope = xy / xx;
  line.r_squared = yy > 0 ? xy * xy / (xx * yy) : 1;
  return line;
}

void set_range(DrawnAxis& axis, const Range& range, bool log) {
  axis.log = log;
  if (log) {
    const double room = std::max(1.02, std::pow(range.most / range.least, 0.04));
    axis.low = range.least / room;
    axis.high = range.most * room;
    return;
  }
  const double span = range.most - range.least;
  const double room = span > 0 ? 0.04 * span : std::max(std::fabs(range.most) * 0.05, 0.5);
  axis.low = range.least - room;
  axis.high = range.most + room;
}

void cut_range(DrawnAxis& axis, const Bounds& bounds) {
  if (!std::isinf(bounds.low)) axis.low = bounds.low;
  if (!std::isinf(bounds.high)) axis.high = bounds.high;
  if (axis.low >= axis.high) axis.high = axis.low + 1;
}

Bounds x_bounds(const Between& range) {
  Bounds bounds;
  try {
    if (!range.from.empty()) from_text(range.from, bounds.low);
    if (!range.to.empty()) from_text(range.to, bounds.high);
  } catch (const Error& error) {
    fail_usage("‹x_range› {}: {}; a scatter's lower axis is of numbers", to_text(range),
               error.what());
  }
  return bounds;
}

}  // namespace

DrawnPicture draw_scatter(const PictureTask& task) {
  const Figure& look = task.look;
  const auto& [x_name, y_name] = look.scatter;
  std::vector<Cloud> clouds;
  Range x_range, y_range;
  std::size_t without = 0, below = 0;
  for (const Timeline& timeline : task.timelines) {
    const Column x = numeric_column(timeline, x_name).as_numbers();
    const Column y = numeric_column(timeline, y_name).as_numbers();
    for (const Strand& strand : timeline.strands()) {
      Cloud cloud;
      cloud.title = strand.key ? key_text(*strand.key) : timeline.name();
      if (strand.key && task.timelines.size() > 1) cloud.title += " (" + timeline.name() + ")";
      for (std::size_t row = strand.begin; row < strand.end; ++row) {
        const Point point{x.numbers()[row], y.numbers()[row]};
        if (!x.valid(row) || !y.valid(row) || !std::isfinite(point.x) || !std::isfinite(point.y)) {
          ++without;
          continue;
        }
        if ((look.log_x && point.x <= 0) || (look.log && point.y <= 0)) {
          ++below;
          continue;
        }
        cloud.points.push_back(point);
        x_range.add(point.x);
        y_range.add(point.y);
      }
      if (!cloud.points.empty()) clouds.push_back(std::move(cloud));
    }
  }
  if (clouds.empty()) return nothing_to_draw("no row has both " + x_name + " and " + y_name);

  DrawnPicture out;
  const auto counted = [](std::size_t n) { return grouped(static_cast<std::int64_t>(n)); };
  if (without > 0) out.notes.push_back(counted(without) + " rows lack one of the two columns");
  if (below > 0)
    out.notes.push_back(counted(below) + " points are not above zero and have no place");
  Panel panel;
  set_range(panel.x, x_range, look.log_x);
  set_range(panel.y, y_range, look.log);
  if (look.x_range) cut_range(panel.x, x_bounds(*look.x_range));
  if (look.y_range) cut_range(panel.y, *look.y_range);
  panel.x.name = axis_name(look, x_name);
  panel.y.name = axis_name(look, y_name);
  std::size_t all = 0;
  std::vector<std::string> said;
  for (std::size_t n = 0; n < clouds.size(); ++n) {
    Cloud& cloud = clouds[n];
    all += cloud.points.size();
    const FittedLine line = look.line ? fit(cloud.points) : FittedLine();
    const std::size_t step = (cloud.points.size() + most_points - 1) / most_points;
    PointShape points{.ink = ink(n), .size = cloud.points.size() > 2'000 ? 2.5 : 4.5};
    for (std::size_t i = 0; i < cloud.points.size(); i += step)
      points.points.push_back(cloud.points[i]);
    if (step > 1) {
      out.notes.push_back(fmt::format("{}: every {}. of {} points is drawn", cloud.title, step,
                                      counted(cloud.points.size())));
    }
    const bool several = clouds.size() > 1;
    const std::string slope =
        several && line.any ? fmt::format(": slope {:.4g}, R² {:.4g}", line.slope, line.r_squared)
                            : "";
    panel.shapes.push_back({std::move(points), cloud.title + slope, false, several});
    if (!line.any) continue;
    LineShape shape{.ink = several ? ink(n) : ink(1), .width = 2};
    constexpr int pieces = 100;  // on a logarithmic axis it is a curve
    auto& stretch = shape.stretches.emplace_back();
    for (int i = 0; i <= pieces; ++i) {
      const double share = static_cast<double>(i) / pieces;
      const double x = look.log_x ? x_range.least * std::pow(x_range.most / x_range.least, share)
                                  : x_range.least + share * (x_range.most - x_range.least);
      if (!look.log || line.at(x) > 0) stretch.push_back({x, line.at(x)});
    }
    const std::string told =
        fmt::format("{} = {:.5g} {} {:.5g} · {}, R² {:.4g}", y_name, line.at(0),
                    line.slope < 0 ? "−" : "+", std::fabs(line.slope), x_name, line.r_squared);
    said.push_back(told);
    panel.shapes.push_back(
        {std::move(shape), several ? cloud.title + ": " + told : told, false, !several});
  }
  out.drawing.name = y_name + " against " + x_name;
  out.drawing.description = fmt::format("{} points; {}", counted(all), fmt::join(said, "; "));
  out.drawing.rows.push_back({{std::move(panel)}});
  return out;
}

}  // namespace zerobeat::detail
