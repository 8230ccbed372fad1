/// Records from all over a source, to tell from them what its columns hold.

#pragma once

#include <zerobeat/base/export.hpp>

#include "io/text/layout.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// By record and the source's columns.
using Samples = std::vector<std::vector<std::string>>;

/// How much of a stream is looked at before its records are read.
inline constexpr std::size_t head_bytes = std::size_t{1} << 20;

/// Of all parts, of each as many as its share of the source asks for.
Samples take_samples(const OpenSource& source, const FoundLayout& found);

/// The times of the samples, joined from several columns as the layout says.
std::vector<std::string> time_samples(const Samples& samples, const Layout& layout,
                                      const MissingWords& missing_words);

/// Of one column, what is not missing.
std::vector<std::string> column_samples(const Samples& samples, std::size_t cell,
                                        const MissingWords& missing_words);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
