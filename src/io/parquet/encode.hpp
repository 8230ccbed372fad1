/// Values as the bytes of Parquet pages.

#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Appends a value as it lies in memory.
template <typename T>
void append_plain(std::string& out, T value) {
  out.append(reinterpret_cast<const char*>(&value), sizeof value);
}

/// Appends a number of seven bits a byte, the lowest first.
void append_varint(std::string& out, std::uint64_t value);

/// Appends numbers of `width` bits as one run, when they are all alike, or as packed groups.
void append_hybrid(std::string& out, std::span<const std::uint32_t> numbers, unsigned width);

/// Appends whole numbers as differences in packed blocks (DELTA_BINARY_PACKED): blocks of 128 in
/// miniblocks of 32.
void append_deltas(std::string& out, std::span<const std::int64_t> values);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
