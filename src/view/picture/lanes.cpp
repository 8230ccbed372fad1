#include "view/picture/lanes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <zerobeat/base/text.hpp>
#include <zerobeat/time/moment.hpp>

namespace zerobeat::inline v1::detail {

namespace {

constexpr std::size_t most_lanes = 1'000;

DrawnAxis lane_axis(const std::vector<std::string>& titles) {
  DrawnAxis axis = word_axis(titles, 2.5);
  axis.low -= 0.2;
  axis.high += 0.2;
  axis.reversed = true;
  return axis;
}

}  // namespace

void check_lanes(std::size_t lanes) {
  if (lanes <= most_lanes) return;
  fail_usage(
      "{} lanes are more than fit, which is {}; choose some: select ‹keys› A,B before, or ‹on› "
      "COLUMNS",
      grouped(static_cast<std::int64_t>(lanes)), most_lanes);
}

void set_lanes(Panel& panel, const std::vector<std::string>& titles,
               const std::vector<std::string>& on_the_right) {
  panel.y = lane_axis(titles);
  if (!on_the_right.empty()) panel.right = lane_axis(on_the_right);
}

void set_x_range(const Figure& look, const Zone& zone, const Axis& axis, Canvas& canvas) {
  if (!look.x_range) return;
  const auto read = [&](const std::string& text, Instant& out) {
    if (text.empty()) return;
    if (axis.is_instants()) {
      out = Moment(text).in(zone);
      return;
    }
    const auto number = read_elapsed(text, *axis.elapsed);
    if (!number) fail_usage("‹x_range›: \"{}\" is no number of the axis", shown(text));
    out = *number;
  };
  read(look.x_range->from, canvas.first);
  read(look.x_range->to, canvas.last);
  if (canvas.first >= canvas.last) {
    fail_usage("‹x_range› {}: it begins where it ends, or later", to_text(*look.x_range));
  }
}

Canvas canvas_of(const PictureTask& task, std::span<const Instant> times) {
  const Timeline& timeline = task.material->timelines[0];
  Canvas canvas;
  canvas.width = task.look.size.width;
  canvas.unit = timeline.axis().elapsed;
  if (!times.empty()) {
    const auto [first, last] = std::ranges::minmax(times);
    canvas.first = first;
    canvas.last = std::max(last, first + Nanoseconds(1));
  }
  set_x_range(task.look, timeline.zone(), timeline.axis(), canvas);
  return canvas;
}

}  // namespace zerobeat::detail
