/// Shades: stretches of time behind the lines in which a condition holds.

#pragma once

#include <map>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/expression/expression.hpp>

#include "view/picture/line.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// From and until, in seconds from the picture's left edge, in order.
using Stretches = std::vector<std::pair<double, double>>;

/// The spells of each strand of the timelines that have the condition's columns.
class Shades {
 public:
  void put(const Timeline* timeline, std::size_t first_row, Stretches stretches) {
    of_[{timeline, first_row}] = std::move(stretches);
  }
  Stretches of(const Line& line) const {
    const auto at = of_.find({line.timeline, line.strand.begin});
    return at == of_.end() ? Stretches() : at->second;
  }

 private:
  std::map<std::pair<const Timeline*, std::size_t>, Stretches> of_;
};

/// Throws Error when no timeline has the columns, or it is no condition.
Shades shades_of(const std::vector<const Timeline*>& timelines, const Expression& condition,
                 const Canvas& canvas);

/// What is in any of them, without overlap, narrower ones than a pixel with those beside them.
Stretches together(const std::vector<Stretches>& all);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
