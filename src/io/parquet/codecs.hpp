/// Packed pages of Parquet files, unpacked and packed.

#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>

#include "io/parquet/words.hpp"

struct ZSTD_DCtx_s;

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Bytes, and what keeps them.
struct KeptBytes {
  std::string_view bytes{};
  std::shared_ptr<const void> owner{};
};

/// Unpacks pages one after the other. For one thread at a time.
class PageUnpacker {
 public:
  /// The bytes of a page, which are `size` when they are unpacked. What is not packed is given as
  /// it is. Throws DamagedPage when they are not what the codec makes, or of another size; Error of
  /// kind input for a codec that is not read.
  KeptBytes unpacked(ParquetCodec codec, std::string_view packed, std::size_t size);

 private:
  void unpack_zstd(std::string_view packed, char* out, std::size_t size);

  /// What Zstandard works in, which takes long to make.
  std::shared_ptr<ZSTD_DCtx_s> zstd_{};
};

/// Bytes as Zstandard packs them, the same ones on every run.
std::string zstd_packed(std::string_view bytes);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
