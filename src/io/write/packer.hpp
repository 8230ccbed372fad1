/// Packing what is written: gzip and Zstandard.

#pragma once

#include <functional>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/output.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

using PutBytes = std::function<void(std::string_view)>;

/// Packs bytes as they come, and puts them out; with `is_last` all that is left. No time and no
/// name go into it.
using Pack = std::function<void(std::string_view bytes, bool is_last, const PutBytes& put)>;

/// Nothing for no compression.
Pack packer_of(Compression compression);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
