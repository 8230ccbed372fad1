/// What plot drew by options of its own, and the chain that draws it now.

#pragma once

#include <string>
#include <vector>

namespace zerobeat::tool {

/// Throws Error of kind usage with the chain, runnable as it stands, when a plot at the end of
/// `words` is given an option that it had for what another step makes.
void refuse_gone_options(const std::vector<std::string>& words);

}  // namespace zerobeat::tool
