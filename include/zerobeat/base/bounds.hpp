/// Bounds of numbers, either of which may be open.
///
/// Threads may call these at the same time.

#pragma once

#include <limits>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A lower and an upper number; one that is infinite is open.
struct Bounds {
  double low = -std::numeric_limits<double>::infinity();
  double high = std::numeric_limits<double>::infinity();
  friend bool operator==(const Bounds&, const Bounds&) = default;
};

template <>
inline constexpr bool takes_lists<Bounds> = true;

/// Reads "LO,HI", either of which may be empty: ",4". Throws Error when both are, or LO is greater
/// than HI.
void from_text(std::string_view text, Bounds& out);
[[nodiscard]] std::string to_text(const Bounds& bounds);

}  // namespace v1
}  // namespace zerobeat
