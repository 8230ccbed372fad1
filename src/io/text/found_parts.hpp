/// The shapes of a source's parts, and what columns they have between them.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/text/layout.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

void find_parts(const OpenSource& source, const ReadOptions& options, const FurtherNames& further,
                FoundLayout& found);

/// What the look at the parts noticed: preambles, line ends, columns that some have not.
void note_parts(const OpenSource& source, FoundLayout& found);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
