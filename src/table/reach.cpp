#include <fmt/format.h>

#include <zerobeat/table/reach.hpp>

namespace zerobeat::inline v1 {

std::string to_text(const ReachSide& side) {
  switch (side.kind) {
    case ReachSide::Kind::none:
      return "none";
    case ReachSide::Kind::whole:
      return "the whole strand";
    case ReachSide::Kind::extent:
      break;
  }
  if (!side.extent.in_rows()) return to_text(side.extent.period);
  return fmt::format("{} row{}", side.extent.rows, side.extent.rows == 1 ? "" : "s");
}

Period half_of(const Period& period) {
  Period half;
  half.months = (period.months + 1) / 2;
  half.days = (period.days + 1) / 2;
  half.nanoseconds = (period.nanoseconds + Nanoseconds(1)) / 2;
  return half;
}

}  // namespace zerobeat
