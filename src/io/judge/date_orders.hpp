/// What the orders of day, month and year would make of a column, for whoever has to choose one.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// "as month/day they are monthly, 60 of 60; as day/month they are 12 days of each January". Of
/// texts in their order.
std::string made_by_orders(const std::vector<std::string>& texts,
                           std::span<const DateOrder> orders);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
