/// Lanes: one below another over a time axis, each with its title.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "view/picture/line.hpp"
#include "view/picture/picture.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The place of one of several lanes, the first at the top.
class Lane {
 public:
  Lane(std::size_t place, std::size_t lanes)
      : middle_(static_cast<double>(place)), half_(lanes > 60 ? 0.46 : 0.36) {}

  [[nodiscard]] Box box(double from, double to) const {
    return {from, to, middle_ - half_, middle_ + half_};
  }

 private:
  double middle_, half_;
};

/// Throws Error of kind usage when there are more lanes than a picture holds.
void check_lanes(std::size_t lanes);

/// The panel's upward axis: the lanes' titles, and on the right what else is told of each (nothing
/// where that is empty). Where lanes are narrower than a line of text, every second title, and so
/// on.
void set_lanes(Panel& panel, const std::vector<std::string>& titles,
               const std::vector<std::string>& on_the_right);

/// The span of times, or what look.x_range asks.
Canvas canvas_of(const PictureTask& task, std::span<const Instant> times);

/// The ends of an axis of time that look.x_range gives; those that it leaves out stay.
void set_x_range(const Figure& look, const Zone& zone, const Axis& axis, Canvas& canvas);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
