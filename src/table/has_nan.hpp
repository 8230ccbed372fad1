/// Whether some numbers are none.

#pragma once

#include <span>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A pass over them in blocks, in each of which several are looked at at once.
bool has_nan(std::span<const double> values);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
