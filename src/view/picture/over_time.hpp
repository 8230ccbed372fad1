/// Panels of one column of one strand over time, for pictures that mark something in them.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/figure.hpp>

#include "view/drawing/drawing.hpp"
#include "view/picture/line.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// All that a timeline spans, as wide as the picture.
Canvas canvas_over(const Timeline& timeline, const Figure& look);

/// An empty panel over that time.
Panel panel_over(const Canvas& canvas, const Timeline& timeline);

/// "level, north": a column of a strand, as its panel is called.
std::string strand_name(const Figure& look, const Strand& strand, const std::string& column);

/// Adds a column of a strand as a line, what stands alone as points, and widens the panel's y to
/// it. Cost: some passes over the readings.
void add_course(Panel& panel, const Canvas& canvas, const Timeline& timeline, const Strand& strand,
                const std::string& column, const std::string& title, const std::string& ink,
                double width);

/// One time axis for all rows of panels, under the last, which has room for its texts in its share.
void share_time_axis(Drawing& drawing);

/// Widens the panel's y to a value; the first one makes it.
void widen(Panel& panel, double value);
/// Leaves some room above and below.
void leave_room(Panel& panel);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
