/// Which columns hold a source's times, and how they are written.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/text/samples.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Fills in the layout's time cells, their format and the samples. Throws Error when no column
/// reads as times: it says which columns there are, and what each near miss asks for.
void find_time(const OpenSource& source, FoundLayout& found, const ReadOptions& options,
               const MissingWords& missing_words, const Samples& samples);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
