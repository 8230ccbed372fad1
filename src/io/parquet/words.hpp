/// The numbers by which Parquet's metadata name types, encodings and codecs, and plain values in
/// its bytes: all are little-endian.

#pragma once

#include <cstdint>
#include <cstring>
#include <stdexcept>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

enum class Physical : std::int32_t {
  boolean = 0,
  int32 = 1,
  int64 = 2,
  int96 = 3,
  float32 = 4,
  float64 = 5,
  byte_array = 6,
  fixed = 7,
};
enum class ParquetEncoding : std::int32_t {
  plain = 0,
  plain_dictionary = 2,
  rle = 3,
  bit_packed = 4,
  delta_binary_packed = 5,
  delta_length_byte_array = 6,
  delta_byte_array = 7,
  rle_dictionary = 8,
  byte_stream_split = 9,
};
enum class ParquetCodec : std::int32_t {
  uncompressed = 0,
  snappy = 1,
  gzip = 2,
  lzo = 3,
  brotli = 4,
  lz4 = 5,  ///< framed as one old program frames it
  zstd = 6,
  lz4_raw = 7,
};
enum class PageType : std::int32_t { data = 0, index = 1, dictionary = 2, data_v2 = 3 };

inline constexpr std::string_view parquet_mark = "PAR1";

/// What is wrong with a page; its reader knows where it is.
struct DamagedPage : std::runtime_error {
  using std::runtime_error::runtime_error;
};

template <typename T>
T little_endian(const char* at) {
  T value;
  std::memcpy(&value, at, sizeof value);
  return value;
}

/// Takes `size` bytes off the front of `bytes`. Throws DamagedPage when there are fewer.
inline std::string_view take_front(std::string_view& bytes, std::size_t size) {
  if (size > bytes.size()) throw DamagedPage("it ends too early");
  const std::string_view front = bytes.substr(0, size);
  bytes.remove_prefix(size);
  return front;
}

template <typename T>
T take_front(std::string_view& bytes) {
  return little_endian<T>(take_front(bytes, sizeof(T)).data());
}

/// An unsigned number of seven bits a byte, the lowest first (ULEB128).
inline std::uint64_t take_varint(std::string_view& bytes) {
  std::uint64_t value = 0;
  for (int shift = 0; shift < 64; shift += 7) {
    const auto byte = take_front<std::uint8_t>(bytes);
    value |= std::uint64_t{byte & 0x7fU} << shift;
    if (byte < 0x80) return value;
  }
  throw DamagedPage("a number has more bytes than it may");
}

inline std::int64_t take_zigzag(std::string_view& bytes) {
  const std::uint64_t value = take_varint(bytes);
  return static_cast<std::int64_t>(value >> 1 ^ (~(value & 1) + 1));
}

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
