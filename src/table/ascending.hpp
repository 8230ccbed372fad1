/// Whether times ascend.

#pragma once

#include <span>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/instant.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Whether none is before the one before it. A pass over them in blocks, none of which it leaves
/// early, so that several are compared at once.
bool ascend(std::span<const Instant> times);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
