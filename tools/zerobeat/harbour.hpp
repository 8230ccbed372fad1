/// The demo's harbour: made-up records with every fault that real ones have, and a plan for them.

#pragma once

#include <string>
#include <vector>

namespace zerobeat::tool {

/// Writes the demo's sources and plan into a folder. What is there already and the same is left
/// alone. Throws Error of kind usage when the folder holds other files, or changed ones.
void write_harbour(const std::string& folder);

/// Notes what the demo made of its outputs, so that a later one knows whether they were changed.
void note_outputs(const std::string& folder, const std::vector<std::string>& written);

}  // namespace zerobeat::tool
