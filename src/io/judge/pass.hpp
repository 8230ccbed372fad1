/// A pass over a source's records: chunks are read side by side, and put together in order.

#pragma once

#include <cstddef>
#include <zerobeat/base/export.hpp>

#include "io/judge/assembly.hpp"
#include "io/judge/stretches.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Reads all records of `source` as `found` says into `assembly`, in chunks of `chunk_bytes` (0:
/// the usual size); with `stretching`, which may end the pass, its rows are handed on meanwhile.
/// Chunks do not depend on the number of threads, so that neither does anything read.
void run_pass(const OpenSource& source, const FoundLayout& found, const MissingWords& missing_words,
              std::size_t chunk_bytes, Assembly& assembly, Stretching* stretching = nullptr);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
