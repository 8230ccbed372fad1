#include <fmt/format.h>

#include <zerobeat/table/reach.hpp>

namespace zerobeat {

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

}  // namespace zerobeat
