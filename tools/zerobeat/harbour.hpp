/// The demo's harbour: made-up records with every fault that real ones have, and a plan for them.

#pragma once

#include <string>

namespace zerobeat::tool {

/// Writes the demo's sources and plan into a folder. What is there already and the same is left
/// alone. Throws Error of kind usage when the folder holds other files, or changed ones.
void write_harbour(const std::string& folder);

}  // namespace zerobeat::tool
