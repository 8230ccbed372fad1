/// The lines before the header of untimed records, which say something of the capture.

#pragma once

#include <string_view>
#include <zerobeat/base/export.hpp>

#include "io/text/shape.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Takes `key: value`, `key = value` or `key, value` from the line at `at`, if it is such.
void add_preamble_line(std::string_view text, std::size_t at, Shape& found);

/// Passes over the lines before the header of untimed records: the header is the first line of
/// names that a line of as many numbers follows. `at` becomes its first byte; it stays where it is
/// when there is no such line.
void pass_preamble(std::string_view text, const ReadOptions& options, std::size_t& at,
                   Shape& found);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
