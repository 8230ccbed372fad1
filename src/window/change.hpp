/// Changes from one reading to another, as they are defined.

#pragma once

#include <zerobeat/base/export.hpp>

#include "take/definitions.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

template <typename D>
inline constexpr bool takes_seconds = requires {
  D::of(0.0, 0.0, 0.0);
};

template <typename D>
inline constexpr bool is_change = takes_seconds<D> || requires {
  D::of(0.0, 0.0);
};

template <typename D>
double change_of(double now, double then, Instant before, Instant t) {
  if constexpr (takes_seconds<D>)
    return D::of(now, then, seconds_between(before, t));
  else
    return D::of(now, then);
}

using ChangeOf = double (*)(double now, double then, Instant before, Instant t);

/// Of a statistic that is a change; null for others.
inline ChangeOf change_of(Stat stat) {
  static constexpr auto all = for_each_statistic<ChangeOf>([]<typename D>(D) -> ChangeOf {
    if constexpr (is_change<D>) return &change_of<D>;
    return nullptr;
  });
  return all[static_cast<std::size_t>(stat)];
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
