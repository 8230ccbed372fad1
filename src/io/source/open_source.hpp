/// Opening sources: what a name stands for, and what its bytes are.

#pragma once

#include "io/source/part.hpp"

namespace zerobeat::detail {

/// Opens what a name stands for: a file, standard input, several files by a pattern, what is in a
/// compressed file or an archive, a database. `opened` is a pipe that was opened before. Throws
/// Error.
OpenSource open_parts(const std::string& path, const ReadOptions& options,
                      const SourceText* opened = nullptr);

/// The same for text that is at hand.
OpenSource open_parts(SourceText text, const ReadOptions& options);

}  // namespace zerobeat::detail
