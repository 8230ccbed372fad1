/// Where a window lies beside its row.
///
/// Values: threads may read one at the same time; copies share what they hold.

#pragma once

#include <array>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

enum class Place {
  trailing,  ///< it ends with the row
  centred,   ///< it has the row in the middle
  leading,   ///< it starts with the row
};
[[nodiscard]] constexpr auto enum_words(Place) {
  return std::array<std::string_view, 3>{"trailing", "centred", "leading"};
}

}  // namespace v1
}  // namespace zerobeat
