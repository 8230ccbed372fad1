/// Opening sources: what a name stands for, and what its bytes are.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/source/part.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Opens what a name stands for: a file, standard input, several files by a pattern, what is in a
/// compressed file or an archive, a database. `opened` is a pipe that was opened before. Throws
/// Error.
OpenSource open_parts(const std::string& path, const ReadOptions& options,
                      const SourceText* opened = nullptr);

/// The same for text that is at hand.
OpenSource open_parts(SourceText text, const ReadOptions& options);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
