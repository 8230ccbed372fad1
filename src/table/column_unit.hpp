/// Units that the names of columns tell.

#pragma once

#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// How the unit that a word stands for is written: "°C" of c; empty of a word that stands for none.
[[nodiscard]] std::string_view unit_of(std::string_view word);

/// The unit of a column: that of its name's last word, when there is one before it.
[[nodiscard]] std::string_view unit_of_column(std::string_view column);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
