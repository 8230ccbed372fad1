#pragma once

#include <zerobeat/clean/fill.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

inline Readings filled(const Timeline& timeline, const Fill& options) {
  return readings(fill(timeline, options), "level");
}

}  // namespace zerobeat::testing
