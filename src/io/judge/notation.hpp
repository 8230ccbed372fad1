/// Numbers in another notation: what options would read a column of texts as numbers.

#pragma once

#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/judge/cells.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Options that read nine in ten of the samples, none of which reads as it is: "--decimal comma",
/// "--thousands . --decimal comma", "--strip $". The fewest that do.
std::optional<std::string> notation_of(const std::vector<std::string>& samples,
                                       const NumberShape& now, bool comma_first = false);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
