#include "view/picture/over_time.hpp"

#include <algorithm>
#include <cmath>

#include "view/picture/picture.hpp"
#include "view/picture/ticks.hpp"

namespace zerobeat::inline v1::detail {

Canvas canvas_over(const Timeline& timeline, const Figure& look) {
  Canvas canvas{.width = look.size.width, .unit = timeline.axis().elapsed};
  const auto times = timeline.times();
  bool any = false;
  for (const Strand& strand : timeline.strands()) {
    if (strand.size() == 0) continue;
    canvas.first = any ? std::min(canvas.first, times[strand.begin]) : times[strand.begin];
    canvas.last = any ? std::max(canvas.last, times[strand.end - 1]) : times[strand.end - 1];
    any = true;
  }
  if (canvas.last <= canvas.first) canvas.last = canvas.first + Nanoseconds(1);
  return canvas;
}

Panel panel_over(const Canvas& canvas, const Timeline& timeline) {
  Panel panel;
  panel.x = time_axis(canvas, timeline.zone(), timeline.axis(), timeline.time_name());
  panel.y.low = std::numeric_limits<double>::infinity();
  panel.y.high = -std::numeric_limits<double>::infinity();
  return panel;
}

std::string strand_name(const Figure& look, const Strand& strand, const std::string& column) {
  const std::string name = shown_name(look, column);
  return strand.key ? name + ", " + key_text(*strand.key) : name;
}

void widen(Panel& panel, double value) {
  if (!std::isfinite(value)) return;
  panel.y.low = std::min(panel.y.low, value);
  panel.y.high = std::max(panel.y.high, value);
}

void leave_room(Panel& panel) {
  if (!(panel.y.low <= panel.y.high)) {
    panel.y.low = 0;
    panel.y.high = 1;
    panel.empty = "every reading is missing";
    return;
  }
  const double span = panel.y.high - panel.y.low;
  const double room = span > 0 ? 0.06 * span : std::max(1e-9, 0.05 * std::fabs(panel.y.high));
  panel.y.low -= room;
  panel.y.high += room;
}

void share_time_axis(Drawing& drawing) {
  for (std::size_t row = 0; row + 1 < drawing.rows.size(); ++row) {
    for (Panel& panel : drawing.rows[row].panels) {
      panel.x.name.clear();
      panel.x.ticks = [ticks = panel.x.ticks](int most) {
        auto plain = ticks(most);
        for (AxisTick& tick : plain) tick = {.at = tick.at};
        return plain;
      };
    }
  }
  constexpr double for_texts = 0.35;
  if (drawing.rows.size() > 1) drawing.rows.back().height = 1 + for_texts;
}

void add_course(Panel& panel, const Canvas& canvas, const Timeline& timeline, const Strand& strand,
                const std::string& column, const std::string& title, const std::string& ink,
                double width) {
  const Column numbers = timeline.values().column(column).as_numbers();
  const DrawnLine drawn =
      drawn_line(zerobeat::detail::Line{&timeline, strand, numbers, column, title}, canvas);
  if (drawn.readings == 0) return;
  widen(panel, drawn.least);
  widen(panel, drawn.most);
  LineShape line{.stretches = drawn.stretches, .ink = ink, .width = width};
  PointShape alone{.ink = ink, .size = 4};
  alone.points = take_lone_points(line);
  panel.shapes.push_back({std::move(line), title, false, true});
  if (!alone.points.empty()) panel.shapes.push_back({std::move(alone), title, false, false});
}

}  // namespace zerobeat::detail
