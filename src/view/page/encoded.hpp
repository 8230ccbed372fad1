/// Numbers as text within a page, for its script: float64 or float32, the lowest byte first, in
/// base64 (RFC 4648).

#pragma once

#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

std::string base64(std::span<const unsigned char> bytes);
std::string encoded(std::span<const double> numbers);
std::string encoded(std::span<const float> numbers);

/// Of bytes that are given as two hexadecimal digits each.
std::string base64_of_digits(std::string_view digits);

/// How long the text of so many bytes is.
constexpr std::size_t encoded_size(std::size_t bytes) { return (bytes + 2) / 3 * 4; }

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
