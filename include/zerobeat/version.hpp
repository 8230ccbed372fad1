/// The library's version: of the headers, as macros, and of what a program is linked with.
///
/// Versions are compatible when their first two numbers are alike: the second changes when a
/// program has to be compiled again.

#pragma once

#include <string_view>
#include <zerobeat/base/export.hpp>

#define ZEROBEAT_VERSION_MAJOR 0
#define ZEROBEAT_VERSION_MINOR 1
#define ZEROBEAT_VERSION_PATCH 0
#define ZEROBEAT_VERSION "0.1.0"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// The version of the library that is linked: "0.1.0".
[[nodiscard]] std::string_view version() noexcept;

}  // namespace v1
}  // namespace zerobeat
