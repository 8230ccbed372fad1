#include <fmt/format.h>

#include <cmath>
#include <zerobeat/base/bounds.hpp>

#include "base/trim.hpp"

namespace zerobeat::inline v1 {

void from_text(std::string_view text, Bounds& out) {
  const std::size_t comma = text.find(',');
  if (comma == std::string_view::npos || text.find(',', comma + 1) != std::string_view::npos) {
    fail_usage("\"{}\" is not two numbers; write it like 0,10", text);
  }
  const std::string_view low = detail::trim(text.substr(0, comma));
  const std::string_view high = detail::trim(text.substr(comma + 1));
  if (low.empty() && high.empty()) {
    fail_usage("\"{}\" holds no number; write it like 0,10 or ,10", text);
  }
  Bounds read;
  if (!low.empty()) from_text(low, read.low);
  if (!high.empty()) from_text(high, read.high);
  if (!(read.low <= read.high)) fail_usage("\"{}\": the lower one comes first", text);
  out = read;
}

std::string to_text(const Bounds& bounds) {
  const auto one = [](double bound) { return std::isinf(bound) ? "" : fmt::to_string(bound); };
  return one(bounds.low) + "," + one(bounds.high);
}

}  // namespace zerobeat
