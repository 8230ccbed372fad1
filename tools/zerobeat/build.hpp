/// A plan from the words of a command line.

#pragma once

#include <vector>

#include "words.hpp"

namespace zerobeat::tool {

/// What a command line asks for.
struct Asked {
  Plan plan;
  General general;
  Planned planned;
  CheckOptions check;  ///< of `check`
  RunFlags run;        ///< of `run`
};

/// Throws Error of kind usage naming the option that is wrong.
Asked build(const std::vector<ChainPart>& parts);

}  // namespace zerobeat::tool
