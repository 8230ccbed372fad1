#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>

#include "time/wide_instant.hpp"
#include "view/picture/kinds.hpp"
#include "view/picture/over_time.hpp"

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_strands_of_parts = 8;

}  // namespace

DrawnPicture draw_decompose(const PictureTask& task) {
  const Timeline& timeline = task.material->timelines[0];
  const auto& columns = task.material->names.at("on");
  if (columns.size() != 1) {
    fail_usage("{} columns are more than fit; choose one: decompose ‹on› A", columns.size());
  }
  const Canvas canvas = canvas_over(timeline, task.look);
  DrawnPicture out;
  const std::size_t strands = std::min(most_strands_of_parts, timeline.strands().size());
  if (strands < timeline.strands().size()) {
    out.notes.push_back(
        fmt::format("{} strands more have no room in it", timeline.strands().size() - strands));
  }
  const std::string name = shown_name(task.look, columns[0]);
  for (const char* part : {"", "_trend", "_season", "_rest"}) {
    Panel panel = panel_over(canvas, timeline);
    panel.y.name = *part == '\0' ? axis_name(task.look, columns[0]) : std::string(part + 1);
    for (std::size_t s = 0; s < strands; ++s) {
      const Strand& strand = timeline.strands()[s];
      if (strand.size() == 0) continue;
      add_course(panel, canvas, timeline, strand, columns[0] + part,
                 strand.key ? key_text(*strand.key) : name, ink(s), 1.3);
    }
    const bool first = out.drawing.rows.empty();
    // What each line is stands above the first panel, when there are several.
    for (DrawnShape& shape : panel.shapes) shape.in_key &= first && strands > 1;
    leave_room(panel);
    out.drawing.rows.push_back({{std::move(panel)}});
  }
  share_time_axis(out.drawing);
  out.drawing.name = "Trend, season and rest of " + name;
  return out;
}

namespace {

constexpr std::size_t most_residuals = 6'000;

/// Residuals of a strand against fitted values and against time.
struct Residuals {
  PointShape by_fitted{}, by_time{};
  double low = 0, high = 0, least = 0, most = 0;
  bool any = false;

  void add(double fitted, double x, double rest) {
    by_fitted.points.push_back({fitted, rest});
    by_time.points.push_back({x, rest});
    least = any ? std::min(least, fitted) : fitted;
    most = any ? std::max(most, fitted) : fitted;
    low = any ? std::min(low, rest) : rest;
    high = any ? std::max(high, rest) : rest;
    any = true;
  }
};

}  // namespace

DrawnPicture draw_regress(const PictureTask& task) {
  const Timeline& timeline = task.material->timelines[0];
  const std::string& y = task.material->names.at("y")[0];
  const Column fitted = timeline.values().column(y + "_fitted").as_numbers();
  const Column rests = timeline.values().column(y + "_residual").as_numbers();
  const Canvas canvas = canvas_over(timeline, task.look);
  DrawnPicture out;
  Panel left, right = panel_over(canvas, timeline);
  Residuals all;
  const std::size_t strands = std::min(most_strands_of_parts, timeline.strands().size());
  const std::size_t each = timeline.rows() / most_residuals + 1;
  for (std::size_t s = 0; s < strands; ++s) {
    const Strand& strand = timeline.strands()[s];
    all.by_fitted = {.points = {}, .ink = ink(s), .size = 3};
    all.by_time = all.by_fitted;
    for (std::size_t row = strand.begin; row < strand.end; row += each) {
      if (!fitted.valid(row) || !rests.valid(row)) continue;
      all.add(fitted.numbers()[row], canvas.x(timeline.times()[row]), rests.numbers()[row]);
    }
    const std::string title = strand.key ? key_text(*strand.key) : "residuals";
    const bool named = timeline.strands().size() > 1;
    left.shapes.push_back({std::move(all.by_fitted), title, false, named});
    right.shapes.push_back({std::move(all.by_time), title, false, false});
  }
  if (!all.any) return nothing_to_draw("there are no residuals");
  if (each > 1) {
    out.notes.push_back(fmt::format("every {}th row is drawn", each));
  }
  const std::string name = shown_name(task.look, y);
  left.x.name = "fitted " + axis_name(task.look, y);
  const double across = std::max(1e-9, 0.03 * (all.most - all.least));
  left.x.low = all.least - across;
  left.x.high = all.most + across;
  for (Panel* panel : {&left, &right}) {
    panel->y.low = std::min(all.low, 0.0);
    panel->y.high = std::max(all.high, 0.0);
    panel->y.name = "residual";
    leave_room(*panel);
    panel->shapes.push_back({RuleShape{.at = 0, .ink = text_ink}, "", false, false});
  }
  out.drawing.rows.push_back({{std::move(left)}});
  out.drawing.rows.push_back({{std::move(right)}});
  out.drawing.name = "Residuals of " + name;
  return out;
}

}  // namespace zerobeat::detail
