/// Quantiles of windows that move along.

#pragma once

#include <span>
#include <zerobeat/base/export.hpp>

#include "kernel/window/rows.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// The quantile of each window, linear between order statistics at position share * (n - 1), into
/// out[w]; those of windows without readings are left as they were. Windows move ahead only.
///
/// Readings are sorted block by block, and each block is a list in that order, from which readings
/// are unlinked as they leave a window, and to which they are linked again in the opposite order
/// as they come (Suomela 2014). Two places, one in the block that goes and one in the block that
/// comes, follow the quantile. Cost a reading: sorting, and a few steps.
void window_quantiles(std::span<const double> readings, std::span<const RowRange> windows,
                      double share, double* out);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
