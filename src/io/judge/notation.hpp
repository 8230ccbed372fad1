/// Numbers in another notation: what options would read a column of texts as numbers.

#pragma once

#include <optional>
#include <string>
#include <vector>

#include "io/judge/cells.hpp"

namespace zerobeat::detail {

/// Options that read nine in ten of the samples, none of which reads as it is: "--decimal comma",
/// "--thousands . --decimal comma", "--strip $". The fewest that do.
std::optional<std::string> notation_of(const std::vector<std::string>& samples,
                                       const NumberShape& now);

}  // namespace zerobeat::detail
