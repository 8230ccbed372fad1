/// Text as HTML: the one place where what is data becomes part of a page.

#pragma once

#include <fmt/format.h>

#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Text for between tags and for within a quoted attribute alike; marks that control or turn the
/// text around them as \uXXXX.
std::string escaped(std::string_view text);

/// ` name="value"`, the value escaped.
std::string attribute(std::string_view name, std::string_view value);
std::string attribute(std::string_view name, std::int64_t value);
/// In the shortest form that reads back the same; nothing when it is not finite.
std::string attribute(std::string_view name, double value);

/// A place to a tenth of a pixel, as short as it goes.
std::string pixel(double value);

/// The beginning of a long text, for people; the whole is elsewhere.
std::string shortened(std::string_view text, std::size_t letters);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
